/** The studio: holds the flow's state, and moves it between course, grid, desk and server. */
import { AddBox } from "./addbox.js";
import { api, attempt, onDrop, post, ProblemError, notice } from "./api.js";
import { Course } from "./course.js";
import { Desk } from "./desk.js";
import { ColumnDesk } from "./deskColumn.js";
import { FindingsDesk } from "./deskFindings.js";
import { FlowDesk } from "./deskFlow.js";
import { ProfileDesk } from "./deskProfile.js";
import { RunDesk } from "./deskRun.js";
import { StepDesk } from "./deskStep.js";
import { WideDesk } from "./wide.js";
import { byId, count, data, h, icon, pausing, plural } from "./dom.js";
import { Focus } from "./focus.js";
import { showFocusBar } from "./focusBar.js";
import { TableGrid } from "./grid.js";
import { bindKeys } from "./keys.js";
import { looking } from "./looking.js";
import { openMenu, showKeys } from "./overlays.js";
import { RawPane } from "./rawPane.js";
import { sources } from "./sources.js";

class Studio {
  constructor() {
    this.state = data("state");
    this.flow = this.state.id;
    this.catalogue = data("catalogue");
    this.kinds = new Map(this.catalogue.map((kind) => [kind.kind, kind]));
    this.drafts = new Map();
    this.sending = Promise.resolve();
    this.looks = 0;
    this.act = {
      select: (id) => this.select(id),
      move: (id, after) => this.edit([{ op: "move", id, after }]),
      remove: (id) => this.remove(id),
      rename: (id) =>
        this.select(id).then(() => this.desk.element.querySelector(".desk-title").select()),
      renameTo: (id, name) => this.edit([{ op: "rename", id, name }]),
      noteTo: (id, note) => this.edit([{ op: "note", id, note }]),
      connect: (id, port, source) =>
        this.edit([{ op: "connect", id, port, source }]).then(() => this.reselect()),
      toggle: (id) => this.edit([{ op: "switch", id, enabled: !this.state.steps[id].enabled }]),
      menu: (id, element) => this.menu(id, element),
      chooseColumn: (name) => this.chooseColumn(name),
      viewChanged: () => {
        this.bar();
        this.footer();
      },
      showStep: () => this.reselect(),
      showSide: (side) => this.showSide(side),
      outputTitle: (name) =>
        this.kinds
          .get(this.state.steps[this.selected]?.kind)
          ?.outputs.find((output) => output.name === name)?.title ?? name,
      reveal: (name) => this.grid.reveal(name),
      onlyChanged: (yes) => this.grid.setView({ changed: yes }),
      unsort: () => this.grid.setView({ sort: "", desc: false }),
      showFindings: () => this.findingsDesk.show(),
      showProfile: () => this.profileDesk.show(),
      ...this.lookingActs(),
    };
    this.focus = new Focus();
    this.course = new Course(this.act);
    this.grid = new TableGrid(byId("grid"), this.flow, this.act, () => this.focus.text);
    this.rawPane = new RawPane(this);
    this.desk = new Desk();
    this.stepDesk = new StepDesk(this, this.desk);
    this.columnDesk = new ColumnDesk(this, this.desk);
    this.flowDesk = new FlowDesk(this, this.desk);
    this.runDesk = new RunDesk(this, this.desk);
    this.findingsDesk = new FindingsDesk(this, this.desk);
    this.profileDesk = new ProfileDesk(this, this.desk);
    this.wide = new WideDesk(this);
    this.addBox = new AddBox(this.catalogue, (kind) => attempt(() => this.add(kind)));
    this.preview = pausing(220, () => this.look());
    this.bind();
    this.course.state = this.state;
    const stops = this.course.order();
    const wanted = new URLSearchParams(location.search).get("step");
    if (stops.length)
      this.select(
        this.state.steps[wanted]
          ? wanted
          : (stops.find((id) => this.state.steps[id].status === "problem") ?? stops.at(-1)),
      ).then(() => location.hash === "#run" && this.runDesk.show());
    else this.empty();
    this.follow();
  }

  bind() {
    byId("undo").addEventListener("click", () => this.step("undo"));
    byId("redo").addEventListener("click", () => this.step("redo"));
    byId("history").addEventListener("click", () => this.flowDesk.revisions());
    byId("help").addEventListener("click", showKeys);
    byId("run").addEventListener("click", () => this.run());
    byId("flow-name").addEventListener("click", () => this.flowDesk.show());
    byId("coming-stop").addEventListener("click", () =>
      attempt(() => post(`/api/flows/${this.flow}/stop`)),
    );
    byId("add-file").addEventListener("click", () => this.pickFile(true));
    byId("fold").addEventListener("click", () =>
      this.desk.fold(!document.body.classList.contains("folded")),
    );
    onDrop(
      (files, folder) => attempt(() => this.bringIn(files, folder)),
      (over) => {
        byId("drop-veil").hidden = !over;
      },
    );
    bindKeys(this);
    document.addEventListener("paste", (event) => {
      if (event.target.closest?.("input, textarea, select, [contenteditable]")) return;
      const text = event.clipboardData.getData("text/plain");
      if (/[\t\n]/.test(text.trim())) {
        event.preventDefault();
        attempt(() => this.paste(text));
      }
    });
    const splitter = byId("course-splitter");
    const width = (px) => {
      const to = Math.max(220, Math.min(520, px));
      document.body.style.setProperty("--course-width", `${to}px`);
      splitter.setAttribute("aria-valuenow", Math.round(to));
    };
    splitter.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const move = (e) => width(e.clientX);
      addEventListener("pointermove", move);
      addEventListener("pointerup", () => removeEventListener("pointermove", move), { once: true });
    });
    splitter.addEventListener("keydown", (event) => {
      const by = { ArrowLeft: -16, ArrowRight: 16 }[event.key];
      if (by) width(byId("course").offsetWidth + by);
    });
    addEventListener("beforeunload", (event) => {
      if (this.drafts.size) event.preventDefault();
    });
  }

  // What the server says

  /** Take a new state of the flow and show it; the table follows where its fingerprint changed. */
  async take(state, { quiet = false } = {}) {
    const before = this.state.steps[this.selected]?.fingerprint,
      status = this.state.steps[this.selected]?.status;
    this.state = state;
    document.title = `${state.name} · Updraft`;
    byId("flow-name").textContent = state.name;
    for (const way of ["undo", "redo"]) {
      byId(way).disabled = !state[way];
      byId(way).title = state[way]
        ? `${way === "undo" ? "Undo" : "Redo"}: ${state[way]}`
        : `Nothing to ${way}`;
    }
    byId("run").disabled = !state.course.stops.length;
    if (!state.steps[this.selected]) {
      this.selected = null;
      const stops = state.course.stops;
      if (!stops.length) {
        this.course.show(state, null);
        this.empty();
        return;
      }
      await this.select(stops.at(-1).id);
    } else {
      this.course.show(state, this.selected);
      const now = state.steps[this.selected];
      if (
        !this.drafts.has(this.selected) &&
        (now.fingerprint !== before || (now.status !== status && now.status === "problem"))
      )
        await this.look();
    }
    if (!quiet) this.follow();
  }

  /** Ask again while stops are being computed. */
  follow() {
    clearTimeout(this.timer);
    if (this.state.pending)
      this.timer = setTimeout(async () => {
        const state = await attempt(() => api(`/api/flows/${this.flow}`));
        if (state && state.revision === this.state.revision) await this.take(state);
      }, 350);
  }

  /** Make edits as one revision; says what is wrong otherwise. */
  async edit(edits, sentence = null) {
    try {
      // One after another: a second edit is based on the revision that the first one made.
      const sent = this.sending.then(() =>
        post(`/api/flows/${this.flow}/edits`, {
          revision: this.state.revision,
          edits,
          ...(sentence ? { sentence } : {}),
        }),
      );
      this.sending = sent.then(
        (state) => {
          this.state.revision = state.revision;
        },
        () => {},
      );
      const state = await sent;
      await this.take(state);
      return state;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      notice(error.problem.text, "problem");
      if (error.problem.code === "stale") await this.take(await api(`/api/flows/${this.flow}`));
      return null;
    }
  }

  async step(way) {
    if (this.drafts.has(this.selected) && way === "undo") {
      this.dropDraft();
      return;
    }
    const state = await attempt(() => post(`/api/flows/${this.flow}/${way}`));
    if (state) {
      this.drafts.clear();
      await this.take(state);
      this.reselect();
    }
  }

  async goTo(number) {
    const state = await attempt(() => post(`/api/flows/${this.flow}/revisions/${number}`));
    if (state) {
      this.drafts.clear();
      await this.take(state);
      this.flowDesk.revisions();
    }
  }

  // Selecting and looking

  async select(id) {
    if (id !== this.selected) {
      this.wide.close();
      await this.applyDraft();
    }
    if (!this.state.steps[id]) return;
    const other = id !== this.selected;
    this.selected = id;
    this.output = other ? "" : (this.output ?? "");
    this.grid.choose(null);
    history.replaceState(null, "", `?step=${encodeURIComponent(id)}`);
    byId("grid-empty").hidden = true;
    this.course.show(this.state, id);
    if (other) this.grid.view = { sort: "", desc: false, changed: false };
    await this.look(true);
  }

  /** Draw the desk of the selected step anew. */
  reselect() {
    return this.selected ? this.select(this.selected) : this.empty();
  }

  /** Get the table after the selected step, with the settings on the desk. */
  async look(fresh = false) {
    const id = this.selected,
      mine = ++this.looks;
    const draft = this.drafts.get(id);
    this.busy(true);
    const answer = await attempt(() =>
      post(`/api/flows/${this.flow}/look`, {
        step: id,
        output: this.output,
        settings: draft ?? null,
      }),
    );
    if (mine !== this.looks) return;
    this.busy(false);
    if (!answer) return;
    const step = this.state.steps[id];
    this.incoming = answer.incoming;
    this.takeable = answer.takeable;
    this.lookedAt = id;
    const arrives = JSON.stringify([answer.incoming, answer.takeable]);
    if (
      fresh ||
      (this.desk.view !== "step" &&
        !["column", "run", "flow", "history", "findings", "profile"].includes(this.desk.view)) ||
      (this.desk.view === "step" &&
        (this.arrives !== arrives || this.stepDesk.step?.id !== id) &&
        !draft)
    ) {
      this.stepDesk.show(
        step,
        this.kinds.get(step.kind),
        answer.incoming,
        draft ?? { ...this.kinds.get(step.kind)?.starting, ...step.settings },
        answer.takeable,
      );
    }
    this.arrives = arrives;
    this.table = answer.table;
    this.problem = answer.problem;
    if (this.desk.view === "step") {
      this.stepDesk.effect(answer.table, answer.problem);
      this.stepDesk.tell(answer.table);
    }
    if (answer.table) this.focus.fit(answer.table);
    this.act.compared = null;
    if (answer.table) {
      byId("grid-empty").hidden = true;
      this.grid.show(answer.table);
      if (this.desk.view === "column" && !fresh) this.columnDesk.show(this.columnDesk.name);
    } else this.nothing(answer.problem, step);
    this.describe(id, draft);
    this.wide.effect(answer.table, answer.problem);
    this.problemBar();
    this.bar();
    this.footer();
    this.findingsDesk.follow();
    this.compareWithBefore();
  }

  problemBar() {
    const box = byId("table-problem"),
      problem = this.problem,
      step = this.selected;
    const elsewhere = problem?.step && problem.step !== step;
    box.hidden = !problem || !this.table;
    if (box.hidden) return;
    box.replaceChildren(
      h(
        "p",
        { class: "said-problem" },
        h(
          "strong",
          {},
          elsewhere
            ? `“${this.state.steps[problem.step]?.label}” has a problem. `
            : "Shown is what comes in. ",
        ),
        problem.text,
      ),
      elsewhere
        ? h(
            "button",
            { type: "button", class: "btn btn-quiet", onclick: () => this.select(problem.step) },
            "Go there",
          )
        : "",
    );
    if (!elsewhere && problem.code === "unfinished") box.hidden = true;
  }

  /** There is no table to show: say why, and where to go. */
  nothing(problem, step) {
    const there = problem.step && problem.step !== step.id && this.state.steps[problem.step];
    byId("grid-empty").hidden = false;
    byId("grid-empty").replaceChildren(
      h(
        "div",
        { class: "welcome" },
        icon("signpost"),
        h("h2", {}, there ? `“${there.label}” comes first` : "No table here yet"),
        h("p", {}, problem.text),
        there
          ? h(
              "button",
              { type: "button", class: "btn btn-primary", onclick: () => this.select(there.id) },
              `Go to “${there.label}”`,
            )
          : null,
      ),
    );
  }

  /** The flow has no step yet. */
  empty() {
    this.selected = null;
    this.table = null;
    this.course.show(this.state, null);
    byId("grid-empty").hidden = false;
    const pick = h(
      "button",
      { type: "button", class: "btn btn-main", onclick: () => this.pickFile(true) },
      "Choose a file",
    );
    byId("grid-empty").replaceChildren(
      h(
        "div",
        { class: "welcome" },
        h(
          "div",
          { class: "drop" },
          icon("file-earmark-spreadsheet"),
          h("h2", {}, "Bring in the first table"),
          h(
            "p",
            { class: "muted" },
            "Drop a workbook or a CSV here. Title lines are left out and the header is found; you can correct both.",
          ),
          pick,
        ),
      ),
    );
    this.flowDesk.show();
    this.bar();
    this.footer();
    for (const way of ["undo", "redo"]) byId(way).disabled = !this.state[way];
    byId("run").disabled = true;
  }

  bar() {
    const { list, trouble } = this.findingsDesk;
    showFocusBar({
      table: this.table,
      step: this.state.steps[this.selected],
      draft: this.drafts.has(this.selected),
      view: this.grid.view,
      focus: this.focus,
      total: this.grid.known ? this.grid.length : null,
      findings: list === undefined ? null : { list, trouble },
      act: this.act,
    });
  }

  footer() {
    const table = this.table;
    byId("foot-size").textContent = table
      ? `${(this.grid.view.changed || !this.focus.nothing) && this.grid.known ? `${count(this.grid.length)} of ` : ""}${plural(table.rows, "row", "rows")} × ${plural(table.columns.length, "column", "columns")}`
      : "";
    byId("foot-did").textContent =
      table && !this.problem
        ? table.output
          ? `Rows ${table.output}`
          : this.focus.nothing
            ? table.did
            : "Nothing is changed by looking"
        : "";
    byId("foot-state").textContent = !table
      ? ""
      : this.problem
        ? "What comes in"
        : `${this.drafts.has(this.selected) ? "Tried, not applied" : "Fresh"} · ${Math.max(1, Math.round(table.seconds * 1000))} ms`;
  }

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
    if (this.kinds.get(this.state.steps[this.selected]?.kind)?.remote)
      this.comingTimer = setInterval(async () => {
        const answer = await api(`/api/flows/${this.flow}/coming`).catch(() => null);
        if (byId("busy").hidden || !answer) return;
        byId("coming").hidden = false;
        byId("coming-text").textContent = answer.text || "Asking the source";
      }, 500);
  }

  showSide(side) {
    this.output = side;
    this.look();
  }

  chooseColumn(name) {
    if (!name) {
      this.grid.choose(null);
      this.reselect();
      return;
    }
    this.grid.choose(name);
    this.desk.fold(false);
    this.columnDesk.show(name);
  }

  // Drafts: settings that are shown but not applied

  drafted(id, settings) {
    this.drafts.set(id, structuredClone(settings));
    this.stepDesk.tell();
    this.preview();
  }

  async applyDraft() {
    const id = this.selected,
      settings = this.drafts.get(id);
    if (!settings) return;
    this.preview.drop();
    this.drafts.delete(id);
    await this.noteLayout(id, settings);
    const state = await this.edit([{ op: "set", id, settings }]);
    if (!state) {
      this.drafts.set(id, settings);
      return;
    }
    if (this.stepDesk.step?.id === id) this.stepDesk.tell({});
    this.bar();
    this.footer();
  }

  /** Reading the same file in another way is a new set-up: its columns are noted anew. Another file is compared. */
  async noteLayout(id, settings) {
    const { path, layout, ...now } = settings,
      { path: before, layout: noted, ...then } = this.state.steps[id].settings;
    if (!layout?.length || JSON.stringify(layout) !== JSON.stringify(noted) || path !== before)
      return;
    const starting = this.kinds.get(this.state.steps[id].kind)?.starting ?? {};
    if (
      !Object.keys(now).some(
        (name) =>
          JSON.stringify(now[name]) !== JSON.stringify(name in then ? then[name] : starting[name]),
      )
    )
      return;
    // What is on the screen may belong to settings of a moment ago: the columns are those of these settings.
    const found =
      this.foundFor === JSON.stringify(settings) ? this.found : await this.detect(id, settings);
    if (!found) return;
    settings.layout = found.columns;
    if (this.stepDesk.step?.id === id) this.stepDesk.form.settings.layout = found.columns;
  }

  /** What the file of a step is, read with these settings; null where it cannot be. */
  detect(id, settings) {
    return api(`/api/flows/${this.flow}/files/detected`, {
      method: "POST",
      body: { step: id, settings: settings ?? null },
    }).catch(() => null);
  }

  /** Work on the selected step across the window, where its kind has a desk for it. */
  async openWide() {
    if (this.lookedAt !== this.selected) await this.look(); // what comes in must be this step's
    const step = this.state.steps[this.selected];
    const kind = this.kinds.get(step?.kind);
    if (!kind || kind.desk === "form") return;
    const fields = Object.entries(kind.schema.properties);
    const usual = Object.fromEntries(fields.map(([name, property]) => [name, property.default]));
    const settings = this.drafts.get(step.id) ?? { ...usual, ...kind.starting, ...step.settings };
    await attempt(() => this.wide.show(step, kind, this.incoming, settings));
  }

  dropDraft() {
    this.drafts.delete(this.selected);
    this.preview.drop();
    this.reselect();
  }

  // Steps

  /** Add a step of a kind behind the selected one; a source opens a lane of its own. */
  async add(kind) {
    await this.applyDraft();
    if (kind.kind === "read_file") {
      await this.pickFile(true);
      return;
    }
    if (kind.role === "source") {
      await this.addSource(kind, kind.starting);
      return;
    }
    if (!this.selected) {
      notice("Bring in a table first; steps work on one.", "problem");
      return;
    }
    const known = new Set(Object.keys(this.state.steps));
    const at = this.state.steps[this.selected];
    const after =
      at.role === "output"
        ? at.main
        : this.output
          ? `${this.selected}.${this.output}`
          : this.selected;
    const edits = [
      {
        op: "add",
        step: { kind: kind.kind, settings: kind.starting },
        after,
        plug: true,
        insert: kind.role !== "output" && at.role !== "output" && !this.output,
      },
    ];
    const state = await this.edit(edits);
    if (!state) return;
    const id = Object.keys(state.steps).find((other) => !known.has(other));
    await this.select(id);
    this.desk.fold(false);
    this.stepDesk.form?.focusFirst();
  }

  async fetchAgain(id) {
    const state = await attempt(() => post(`/api/flows/${this.flow}/steps/${id}/again`));
    if (state) {
      await this.take(state);
      await this.look();
    }
  }

  async remove(id) {
    const order = this.course.order(),
      at = order.indexOf(id),
      label = this.state.steps[id].label;
    this.drafts.delete(id);
    if (id === this.selected)
      this.selected = this.state.steps[id].main?.split(".")[0] ?? order[at + 1] ?? order[at - 1];
    const state = await this.edit([{ op: "remove", id }]);
    if (!state) return;
    notice(`“${label}” removed. Ctrl+Z brings it back.`);
    if (this.selected) {
      await this.reselect();
      this.course.focus(this.selected);
    }
  }

  menu(id, element) {
    const step = this.state.steps[id],
      order = this.course.order();
    const below = order.find((other) => this.state.steps[other].main?.split(".")[0] === id);
    const above = this.state.steps[step.main?.split(".")[0]]?.main;
    openMenu(element, [
      [
        "plus-lg",
        "Add a step after it",
        () => this.select(id).then(() => this.addBox.open()),
        "Ctrl K",
      ],
      ["pencil", "Rename", () => this.act.rename(id), "F2"],
      [
        "chat-left-text",
        step.note ? "Change the note" : "Add a note",
        () => this.select(id).then(() => byId("step-note").focus()),
      ],
      [
        "power",
        step.enabled ? "Switch off" : "Switch on",
        () => this.act.toggle(id),
        "Shift Space",
      ],
      ["copy", "Copy", () => this.edit([{ op: "copy", id }])],
      above ? ["arrow-up", "Move up", () => this.act.move(id, above), "Alt ↑"] : null,
      below && step.main
        ? ["arrow-down", "Move down", () => this.act.move(id, below), "Alt ↓"]
        : null,
      ["trash3", "Remove", () => this.remove(id), "Del", "danger"],
    ]);
  }

  async run() {
    await this.applyDraft();
    this.desk.fold(false);
    this.runDesk.show();
  }

  // Files as they stand

  /** Ask how the file of the selected step is read, and show it on the desk and as it stands. */
  async describe(id, settings) {
    const kind = this.kinds.get(this.state.steps[id]?.kind);
    if (this.state.steps[id]?.kind === "type_in_a_table") {
      byId("raw").hidden = false;
      this.grid.resize();
      return;
    }
    if (!kind?.reads_files) {
      this.rawPane.hide();
      return;
    }
    const found = await this.detect(id, settings);
    if (
      id !== this.selected ||
      JSON.stringify(this.drafts.get(id) ?? null) !== JSON.stringify(settings ?? null)
    )
      return;
    this.found = found;
    this.foundFor = JSON.stringify(settings ?? null);
    if (found && this.stepDesk.step?.id === id) this.stepDesk.form?.detected(found);
    this.rawPane.show(found);
  }

  /** Change settings of the selected step as if on its desk. */
  propose(change) {
    const form = this.stepDesk.form;
    Object.assign(form.settings, change);
    this.drafted(this.selected, form.settings);
    this.stepDesk.show(
      this.state.steps[this.selected],
      this.kinds.get(this.state.steps[this.selected].kind),
      this.incoming,
      this.drafts.get(this.selected),
      this.takeable,
    );
    if (this.found) this.stepDesk.form.detected(this.found);
  }

  // What forms ask for

  values(table, column, search) {
    if (!table?.known) return Promise.resolve(null);
    return attempt(() =>
      api(
        `/api/flows/${this.flow}/tables/${table.key}/values?${new URLSearchParams({ column, search, output: table.output, most: 300 })}`,
      ),
    );
  }

  async formats(table, column, kind) {
    if (!table?.known) return [];
    return (
      (
        await attempt(() =>
          api(
            `/api/flows/${this.flow}/tables/${table.key}/formats?${new URLSearchParams({ column, kind, output: table.output })}`,
          ),
        )
      )?.formats ?? []
    );
  }
}

Object.assign(Studio.prototype, sources, looking);
window.updraft = new Studio();
