/** The work of every kind without a desk of its own: its form in columns, and beside it what comes of it. */
import { api } from "../api.js";
import { Decisions } from "../decisions.js";
import { factList } from "../desk.js";
import { count, h, plural } from "../dom.js";
import { Sample } from "../sample.js";
import { searchedReference, stepForm } from "../stepForm.js";
import { cellOf } from "./rows.js";

const ROWS = 30; // of the result, to look at while the settings change

export class Work {
  constructor(frame) {
    this.frame = frame;
    const { studio, kind, step } = frame;
    this.form = stepForm(studio, kind, frame.incoming, {
      get settings() {
        return frame.settings;
      },
      change: (some) => frame.set(some),
    });
    const find = kind.remote ? searchedReference(frame) : null;
    this.decisions = kind.decides ? new Decisions(studio, step, find) : null;
    this.sample = kind.samples ? new Sample(studio, step, () => frame.settings) : null;
    this.facts = h("div", { role: "status" });
    this.rows = h("div", { class: "gives-table" });
    this.element = h(
      "div",
      { class: "wide-two" },
      h("section", { class: "wide-form", "aria-label": "Settings" }, this.form.element),
      h(
        "section",
        { class: "wide-gives", "aria-label": "What it gives" },
        h("h3", { class: "eyebrow" }, "What it gives"),
        this.facts,
        this.decisions?.element,
        this.sample?.element,
        this.rows,
      ),
    );
    if (kind.reads_files && studio.found) this.form.detected(studio.found);
  }

  get subject() {
    return this.frame.kind.summary;
  }

  sentence() {
    return this.frame.studio.state.steps[this.frame.step.id]?.sentence ?? "";
  }

  sums(table) {
    return table?.did || (table ? plural(table.rows, "row", "rows") : "");
  }

  effect(table, problem) {
    const own = problem && (!problem.step || problem.step === this.frame.step.id);
    this.tells = this.form.say(own ? problem : null)
      ? "See what is said at the setting."
      : undefined;
    this.sample?.forget();
    if (table && !problem) this.decisions?.load();
    this.facts.replaceChildren(
      table && !problem ? (factList(table.facts, table.warnings, this.frame.studio.act) ?? "") : "",
    );
    this.draw(table, problem);
  }

  /** The first rows of the result. */
  async draw(table, problem) {
    if (!table || this.shown === table.key) return;
    this.shown = table.key;
    const query = new URLSearchParams({ offset: "0", limit: String(ROWS), output: table.output });
    const url = `/api/flows/${this.frame.studio.flow}/tables/${table.key}/rows`;
    const found = await api(`${url}?${query}`).catch(() => null);
    if (!found || this.shown !== table.key) return;
    const touched = new Set(table.touched);
    const head = table.columns.map(({ name, kind_title }) =>
      h("th", { scope: "col" }, name, h("span", { class: "muted small" }, ` ${kind_title}`)),
    );
    const body = found.rows.map((row) =>
      h(
        "tr",
        {},
        table.columns.map(({ name }, n) => cellOf(row[n], touched.has(name) ? "is-made" : "")),
      ),
    );
    const told = `The first ${count(found.rows.length)} of ${count(table.rows)} rows${problem ? ", as they come in" : ""}.`;
    this.rows.replaceChildren(
      h(
        "div",
        { class: "gives-scroll", tabindex: "0", role: "group", "aria-label": "First rows" },
        h("table", { class: "wide-rows" }, h("thead", {}, h("tr", {}, head)), h("tbody", {}, body)),
      ),
      h("p", { class: "muted small" }, told),
    );
  }
}
