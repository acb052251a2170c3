/**
 * The wide desk: the course folds to its rail, one step's work takes the rest, with the same head
 * and foot for every kind. A kind names the module in this folder that draws its work; see
 * `README.md`.
 */
import { takingOrNot } from "../desk/desk.js";
import { byId, h, icon, plural, rowsSaid } from "../dom.js";
import { keepingFocus } from "../widgets/basic.js";

/** @typedef {Record<string, import("../contract.d.ts").ArrivingShown>} Incoming of each port */

export class WideDesk {
  /** @type {HTMLElement} */
  about;
  /** @type {HTMLElement} */
  sums;
  /** @type {HTMLButtonElement} */
  apply;
  /** @type {HTMLButtonElement} */
  back;

  /** @param {import("../studio.js").Studio} studio */
  constructor(studio) {
    this.studio = studio;
    this.element = byId("wide");
    const none = /** @type {any} */ (null); // until it is shown; `open` tells
    /** @type {import("../contract.d.ts").StepShown} */
    this.step = none;
    /** @type {import("../contract.d.ts").KindShown} */
    this.kind = none;
    /** @type {Incoming} */
    this.incoming = none;
    /** @type {ReturnType<import("../state/drafts.js").Drafts["of"]>} */
    this.draft = none;
    /** @type {any} */
    this.Work = null;
  }

  get open() {
    return this.step !== null;
  }

  /** What the step's settings are, whoever changed them. */
  get settings() {
    return this.draft.settings;
  }

  /** What comes in at the main port. */
  get main() {
    return this.incoming[this.kind.ports.find((port) => port.main)?.name ?? ""];
  }

  forget() {
    this.step = this.work = /** @type {any} */ (null);
  }

  /**
   * Open it for the selected step.
   * @param {import("../contract.d.ts").StepShown} step
   * @param {import("../contract.d.ts").KindShown} kind
   * @param {Incoming} incoming
   */
  async show(step, kind, incoming) {
    const { Work } = await import(`./${kind.desk}.js`);
    if (this.studio.selected !== step.id) return; // the person went on meanwhile
    Object.assign(this, { step, kind, incoming, Work, draft: this.studio.drafts.of(step.id) });
    try {
      this.draw();
    } catch (error) {
      this.forget(); // the table stays in sight, and the fault is told
      throw error;
    }
    document.body.classList.add("is-wide");
    this.element.hidden = false;
    this.effect(this.studio.table, this.studio.problem);
    this.studio.placed();
    (this.element.querySelector("[data-first]") ?? byId("wide-title")).focus();
  }

  /**
   * Settings that were changed elsewhere (undone, put back, set in a cell) are drawn anew.
   * @param {Incoming} incoming
   */
  follow(incoming) {
    if (!this.open || this.draft.current) return;
    Object.assign(this, { incoming, draft: this.studio.drafts.of(this.step.id) });
    keepingFocus(this.element, () => this.draw());
    this.effect(this.studio.table, this.studio.problem);
  }

  /**
   * Other tables come in: the work is about them now.
   * @param {Incoming} incoming
   */
  arrived(incoming) {
    if (!this.open || this.studio.selected !== this.step.id) return;
    this.incoming = incoming;
    keepingFocus(this.element, () => this.draw());
  }

  /** Back to the table; what is not applied stays a draft. */
  close() {
    if (!this.open) return;
    const { id } = this.step;
    this.forget();
    document.body.classList.remove("is-wide");
    this.element.hidden = true;
    this.element.replaceChildren();
    this.studio.stepDesk.follow();
    this.studio.course.focus(id);
    this.studio.placed();
  }

  /**
   * Settings changed in the work: try them, and show what they do.
   * @param {Record<string, unknown>} change
   */
  set(change) {
    this.draft.change(change);
    this.studio.preview();
    this.tell();
  }

  draw() {
    const { studio, step, kind } = this;
    const number = studio.course.order().indexOf(step.id) + 1;
    this.about = h("p", { class: "wide-about" });
    this.sums = h("p", { class: "wide-sums", role: "status" });
    const { apply, back } = takingOrNot(
      () => this.keep(),
      () => studio.dropDraft(),
    );
    Object.assign(this, { apply, back });
    this.work = new this.Work(this);
    const head = h(
      "header",
      { class: "wide-head" },
      h(
        "div",
        {},
        h("p", { class: "eyebrow" }, `Step ${number} · ${kind.title} · ${this.work.subject}`),
        h("h2", { id: "wide-title", tabindex: "-1" }, step.label),
        this.about,
      ),
      h(
        "button",
        { type: "button", class: "btn btn-quiet", onclick: () => this.close() },
        "Back to the table ",
        h("kbd", {}, "Esc"),
      ),
    );
    const foot = h("footer", { class: "wide-foot" }, this.sums, this.back, this.apply);
    this.element.replaceChildren(head, h("div", { class: "wide-work" }, this.work.element), foot);
    this.tell();
  }

  /**
   * What the settings do, in numbers; called after each look.
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  effect(table, problem) {
    if (!this.open) return;
    const own = problem && (!problem.step || problem.step === this.step.id);
    const cells = table?.facts.find((fact) => fact.code === "cells_changed")?.count ?? 0;
    this.sums.replaceChildren(
      own
        ? h(
            "span",
            { class: "said-problem", role: "alert" },
            icon("exclamation-circle"),
            ` ${this.work.tells ?? problem.text}`,
          )
        : h(
            "strong",
            {},
            this.work.sums?.(table) ??
              (cells ? `${plural(cells, "cell changes", "cells change")}` : "No cell changes"),
          ),
      own || !table || this.work.sums ? "" : h("span", {}, ` of ${rowsSaid(table)}`),
    );
    this.work.effect?.(table, problem);
    this.about.textContent = this.work.sentence?.() ?? (table ? rowsSaid(table) : "");
    this.tell();
  }

  tell() {
    const draft = this.studio.drafts.has(this.step.id);
    this.apply.disabled = !draft;
    this.back.hidden = !draft;
  }

  async keep() {
    await this.studio.applyDraft();
    if (this.open) this.tell();
  }
}
