/**
 * The desk of findings: what looks wrong in the table, and the repairs, shown with their effect
 * before they are taken.
 */
import { api, notice, post } from "../api.js";
import { h, plural } from "../dom.js";
import { dismissed } from "../dismissing.js";
import { closing } from "./desk.js";
import { cardOf } from "./findingCard.js";
import { repairAll } from "./repairAll.js";

const AUTO = 60000; // rows up to which the effect of every repair is worked out unasked

/** @typedef {import("../contract.d.ts").FindingShown} Finding */

export class FindingsDesk {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
    this.list = undefined; // undefined: not asked; null: being found, and none yet
    this.looking = false; // more may be found, and one that another explains may go
    this.effects = new Map();
    /** @type {any[]} */
    this.away = [];
    /** @type {Map<string, Set<string>>} finding → values that its repair leaves as they are */
    this.leftOut = new Map();
  }

  /** Ask for the findings of the selected step's table, again until they are there. */
  async follow() {
    clearTimeout(this.timer);
    const { studio } = this,
      step = studio.selected,
      key = studio.table?.key;
    if (
      !step ||
      !studio.table ||
      studio.problem ||
      studio.table.output ||
      studio.drafts.has(step)
    ) {
      this.list = undefined;
      this.told();
      return;
    }
    if (this.of !== `${step} ${key}`) {
      this.list = null;
      this.away = [];
      this.open = null;
      this.effects.clear();
      this.leftOut.clear();
      this.of = `${step} ${key}`;
      this.told();
    }
    const answer = await api(`/api/flows/${studio.flow}/steps/${step}/findings`).catch((error) => ({
      pending: false,
      findings: [],
      dismissed: [],
      trouble: error.problem?.text ?? String(error),
    }));
    if (this.of !== `${studio.selected} ${studio.table?.key}` || studio.selected !== step) return;
    const before = this.list?.map((/** @type {Finding} */ finding) => finding.key).join() ?? "";
    const same =
      this.looking &&
      answer.findings.map((/** @type {Finding} */ finding) => finding.key).join() === before;
    this.looking = answer.pending;
    if (answer.pending) this.timer = setTimeout(() => this.follow(), 300);
    if (answer.pending && (same || !answer.findings.length)) return;
    this.list = answer.findings;
    this.away = answer.dismissed;
    this.trouble = answer.trouble;
    this.told();
  }

  told() {
    this.studio.shown.bar();
    if (this.desk.view === "findings") this.draw();
  }

  show() {
    this.desk.fold(false);
    this.draw();
    this.desk.element.querySelector(".finding-open, .desk-head button")?.focus();
  }

  draw() {
    const { list } = this,
      many = list?.length ?? 0;
    const sure = (this.looking ? [] : (list ?? [])).filter(
      (/** @type {Finding} */ finding) => !finding.open && finding.repairs.length,
    ).length;
    this.desk.show("findings", {
      eyebrow: list
        ? `Findings · ${many} in this table${this.looking ? " so far" : ""}`
        : "Findings",
      title: !list
        ? "Looking for what is wrong"
        : this.trouble
          ? "Not looked at"
          : many
            ? "What looks wrong"
            : "Nothing looks wrong",
      summary: !list
        ? "All rows are looked at; go on working meanwhile"
        : this.trouble
          ? this.trouble
          : this.looking
            ? "Still looking. One that another explains may go again."
            : many
              ? "Most serious first. Nothing is changed until you take a repair."
              : "No detector has anything to say about this table.",
      tools: closing("Back to the step", () => this.studio.act.chooseColumn(null)),
      body: [
        !list
          ? h(
              "div",
              { class: "finding-wait", role: "status" },
              h("span", { class: "busy-bar" }),
              "…",
            )
          : h(
              "ul",
              { class: "findings" },
              list.map((/** @type {Finding} */ finding) => cardOf(this, finding)),
            ),
        list && this.looking
          ? h(
              "div",
              { class: "finding-wait", role: "status" },
              h("span", { class: "busy-bar" }),
              "Still looking …",
            )
          : null,
        dismissed(this),
      ],
      foot: sure
        ? [
            h("span", { class: "grow" }, `${plural(sure, "repair", "repairs")} that cannot harm`),
            h(
              "button",
              { type: "button", class: "btn btn-primary", onclick: () => repairAll(this) },
              sure > 1 ? `Repair all ${sure}` : "Repair it",
            ),
          ]
        : null,
    });
    if (list && this.studio.table?.rows <= AUTO) this.effectsOf(list);
  }

  /**
   * How many of the values of a finding's first repair are left as they are.
   * @param {string} key
   */
  leftOf(key) {
    return this.leftOut.get(key)?.size ?? 0;
  }

  /**
   * What a repair does, and that some of its values are left out of it.
   * @param {string} key
   * @param {number} n
   */
  effectOf(key, n) {
    const effect = this.effects.get(`${key} ${n}`) ?? "";
    const left = this.leftOf(key);
    if (!left || n || !effect) return effect;
    return `${effect} with all values; ${plural(left, "is", "are")} left as ${left === 1 ? "it is" : "they are"}`;
  }

  /**
   * Leave a value as it is, or not, when the repair is taken.
   * @param {Finding} finding
   * @param {string} old
   * @param {boolean} out
   */
  leave(finding, old, out) {
    const left = this.leftOut.get(finding.key) ?? new Set();
    if (out) left.add(old);
    else left.delete(old);
    this.leftOut.set(finding.key, left);
    this.tellEffect(finding.key, 0);
  }

  /** @param {string} key @param {number} n */
  tellEffect(key, n) {
    for (const place of this.desk.element.querySelectorAll("[data-effect]"))
      if (place.dataset.effect === `${key} ${n}`) place.textContent = this.effectOf(key, n);
  }

  /**
   * The steps of a repair without the values that are left out.
   * @param {Finding} finding
   * @param {import("../contract.d.ts").RepairShown} repair
   */
  stepsOf(finding, repair) {
    return repair.steps.map((/** @type {Record<string, any>} */ step) =>
      this.without(finding.key, step),
    );
  }

  /**
   * A step of a finding's repair without the values that are left out.
   * @param {string} key
   * @param {Record<string, any>} step
   */
  without(key, step) {
    const left = this.leftOut.get(key);
    const { settings } = step;
    if (!left?.size || !settings.changes) return step;
    const changes = settings.changes.filter((/** @type {any} */ change) => !left.has(change.old));
    return { ...step, settings: { ...settings, changes } };
  }

  /**
   * Open a card, put its rows in focus, and work out what its repairs would do.
   * @param {Finding} finding
   */
  choose(finding) {
    this.open = this.open === finding.key ? null : finding.key;
    if (this.open) this.focus(finding);
    else this.studio.act.clearFocus();
    this.draw();
    [...this.desk.element.querySelectorAll(".finding-open")][this.list.indexOf(finding)]?.focus();
    if (this.open) this.effectsOf([finding]);
  }

  /** @param {Finding} finding */
  focus(finding) {
    if (!finding.rows.length) {
      if (finding.columns[0]) this.studio.grid.reveal(finding.columns[0]);
      return;
    }
    const words =
      finding.sentence.length > 60 ? `${finding.sentence.slice(0, 59)}…` : finding.sentence;
    this.studio.setFocus((focus) => {
      focus.clear();
      focus.chips.push(
        finding.rule
          ? { label: words, column: "", rule: finding.rule }
          : { label: words, column: "", finding: finding.key },
      );
    });
    if (finding.columns.length) this.studio.grid.reveal(finding.columns.at(-1), false);
  }

  /** @param {any[]} list */
  async effectsOf(list) {
    for (const finding of list)
      for (const n of finding.repairs.keys()) {
        const key = `${finding.key} ${n}`,
          of = this.of;
        if (this.effects.has(key)) continue;
        this.effects.set(key, "…");
        const answer = await post(
          `/api/flows/${this.studio.flow}/steps/${this.studio.selected}/findings/effect`,
          { key: finding.key, repair: n },
        ).catch(() => ({ effect: "the effect could not be worked out" }));
        if (of !== this.of) return;
        this.effects.set(key, answer.effect);
        this.tellEffect(finding.key, n);
      }
  }

  /**
   * Add the steps of a repair behind the selected step.
   * @param {Finding} finding
   * @param {number} n
   */
  async take(finding, n) {
    const repair = finding.repairs[n];
    const steps = this.stepsOf(finding, repair);
    if (
      steps.some((/** @type {Record<string, any>} */ step) => step.settings.changes?.length === 0)
    ) {
      notice("All its values are left out. Take one back in, or dismiss the finding.", "problem");
      return;
    }
    if (
      await this.studio.addSteps(
        steps.map((/** @type {Record<string, any>} */ step) =>
          repair.steps.length === 1 ? { ...step, name: repair.sentence.slice(0, 200) } : step,
        ),
        `Repaired: ${finding.sentence}`,
      )
    ) {
      notice(`${repair.sentence}. Ctrl+Z takes it back.`);
      this.again();
    }
  }

  again() {
    this.studio.act.clearFocus();
    this.desk.fold(false);
    this.draw();
  }
}
