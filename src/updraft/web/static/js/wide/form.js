/**
 * The work of every kind without a desk of its own: its form in columns, and beside it what comes
 * of it.
 */
import { Decisions } from "../decisions.js";
import { factList } from "../desk/desk.js";
import { h, plural } from "../dom.js";
import { Sample } from "../sample.js";
import { searchedReference, stepForm } from "../stepForm.js";
import { drawResult } from "./result.js";

export class Work {
  /** @param {import("./frame.js").WideDesk} frame */
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

  /** @param {import("../contract.d.ts").TableShown | null} table */
  sums(table) {
    return table?.did || (table ? plural(table.rows, "row", "rows") : "");
  }

  /**
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
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
    drawResult(this.rows, this.frame.studio, table, problem);
  }
}
