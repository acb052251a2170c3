/**
 * What stands around the table: its problem, what there is in place of it, the foot, and that it is
 * computed.
 */
import { api } from "../api.js";
import { byId, count, h, icon, plural, rowsSaid } from "../dom.js";
import { showFocusBar } from "../focusBar.js";
import { waysAsCards } from "../waysIn.js";

export class Shown {
  /** @param {import("../studio.js").Studio} studio */
  constructor(studio) {
    this.studio = studio;
  }

  /** All that follows from the table and the focus. */
  all() {
    this.problem();
    this.bar();
    this.footer();
  }

  problem() {
    const { problem, table, selected, state } = this.studio;
    const box = byId("table-problem");
    const elsewhere = problem?.step && problem.step !== selected;
    box.hidden = !problem || !table || (!elsewhere && problem.code === "unfinished");
    if (!problem || box.hidden) return;
    const there = state.steps[problem.step];
    const said = elsewhere ? `“${there?.label}” has a problem. ` : "Shown is what comes in. ";
    box.replaceChildren(
      h("p", { class: "said-problem" }, h("strong", {}, said), problem.text),
      elsewhere ? this.way("btn btn-quiet", "Go there", problem.step) : "",
    );
  }

  /** @param {string} looks @param {string} text @param {string} id of the step that it leads to */
  way(looks, text, id) {
    const onclick = () => this.studio.select(id);
    return h("button", { type: "button", class: looks, onclick }, text);
  }

  /**
   * There is no table to show: say why, and where to go.
   * @param {import("../contract.d.ts").ProblemShown} problem
   * @param {import("../contract.d.ts").StepShown} step
   */
  nothing(problem, step) {
    const there = problem.step && problem.step !== step.id && this.studio.state.steps[problem.step];
    const title = there ? `“${there.label}” comes first` : "No table here yet";
    const go = there ? this.way("btn btn-primary", `Go to “${there.label}”`, there.id) : null;
    byId("grid-empty").hidden = false;
    byId("grid-empty").replaceChildren(
      h(
        "div",
        { class: "welcome" },
        icon("signpost"),
        h("h2", {}, title),
        h("p", {}, problem.text),
        go,
      ),
    );
  }

  /** The flow has no step yet. */
  welcome() {
    byId("grid-empty").hidden = false;
    byId("grid-empty").replaceChildren(
      h(
        "div",
        { class: "welcome welcome-wide" },
        h("h2", {}, "Bring in the first table"),
        h(
          "p",
          { class: "muted" },
          "Drop a file anywhere here, or choose where the table comes from. Nothing in it is changed.",
        ),
        waysAsCards(this.studio),
      ),
    );
    byId("run").disabled = true;
  }

  /**
   * The bar of the page: the flow's name, undo and redo, and whether there is something to run.
   * @param {import("../contract.d.ts").FlowShown} state
   */
  top(state) {
    document.title = `${state.name} · Updraft`;
    byId("flow-name").textContent = state.name;
    for (const [way, said] of /** @type {["undo" | "redo", string][]} */ ([
      ["undo", "Undo"],
      ["redo", "Redo"],
    ])) {
      byId(way).disabled = !state[way];
      byId(way).title = state[way] ? `${said}: ${state[way]}` : `Nothing to ${way}`;
    }
    byId("run").disabled = !state.course.stops.length;
  }

  bar() {
    const { studio } = this;
    const { list, trouble, looking } = studio.findingsDesk;
    showFocusBar({
      table: studio.table,
      step: studio.state.steps[studio.selected],
      draft: studio.drafts.has(studio.selected),
      view: studio.grid.view,
      focus: studio.focus,
      total: studio.grid.known ? studio.grid.length : null,
      findings: list === undefined ? null : { list, trouble, looking },
      act: studio.act,
    });
  }

  footer() {
    const { table, grid, focus, problem, drafts, selected } = this.studio;
    const put = (/** @type {string} */ id, /** @type {() => string} */ text) => {
      byId(id).textContent = table ? text() : "";
    };
    const some = () => (grid.view.changed || !focus.nothing) && grid.known;
    // A source outside that is only tried brings its first rows: no count of all may seem to stand
    // there.
    const part = table?.preview && table.rows >= table.preview;
    const rows = () => (part ? `the first ${count(table.rows)} rows` : rowsSaid(table));
    const columns = () => plural(table.columns.length, "column", "columns");
    put("foot-size", () => `${some() ? `${count(grid.length)} of ` : ""}${rows()} × ${columns()}`);
    put("foot-did", () =>
      problem
        ? ""
        : table.output
          ? this.studio.act.outputTitle(table.output)
          : focus.nothing
            ? table.did
            : "Nothing is changed by looking",
    );
    const time = () => `${Math.max(1, Math.round(table.seconds * 1000))} ms`;
    const how = () =>
      part
        ? "A preview; applying reads all"
        : drafts.has(selected)
          ? "Tried, not applied"
          : "Fresh";
    put("foot-state", () => (problem ? "What comes in" : `${how()} · ${time()}`));
  }

  /**
   * Show that a table is computed, where it takes a moment; and what a source outside has brought
   * so far.
   * @param {boolean} yes
   */
  busy(yes) {
    clearTimeout(this.busyTimer);
    clearInterval(this.comingTimer);
    byId("coming").hidden = true;
    if (!yes) {
      byId("busy").hidden = true;
      byId("busy-text").textContent = "";
      return;
    }
    this.busyTimer = setTimeout(() => {
      byId("busy").hidden = false;
      byId("busy-text").textContent = "Computing the table";
    }, 180);
    if (!this.studio.kind()?.remote) return;
    this.comingTimer = setInterval(async () => {
      const answer = await api(`/api/flows/${this.studio.flow}/coming`).catch(() => null);
      if (byId("busy").hidden || !answer) return;
      byId("coming").hidden = false;
      byId("coming-text").textContent = answer.text || "Asking the source";
    }, 500);
  }
}
