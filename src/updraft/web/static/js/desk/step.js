/**
 * The desk for a stop: its settings with the effect shown while they change, its inputs, its note.
 */
import { h, icon } from "../dom.js";
import { Decisions } from "../decisions.js";
import { factList, takingOrNot } from "./desk.js";
import { searchedReference, stepForm } from "../stepForm.js";
import { Sample } from "../sample.js";
import { group, keepingFocus, labelled, select } from "../widgets/basic.js";
import { severalTables } from "../widgets/tables.js";

export class StepDesk {
  /** @type {HTMLElement} */
  says;
  /** @type {HTMLButtonElement | null} */
  again;
  /** @type {HTMLElement} */
  facts;
  /** @type {HTMLButtonElement} */
  apply;
  /** @type {HTMLButtonElement} */
  back;
  /** @type {HTMLElement} */
  stand;

  /** @type {ReturnType<import("../state/drafts.js").Drafts["of"]>} the settings of the step that is shown */
  draft;
  /** @type {import("../contract.d.ts").StepShown} */
  step;

  /**
   * `studio` gives state, act and the context of forms.
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    /** @type {string[][]} tables that the step could take */
    this.takeable = [];
    this.desk = desk;
  }

  /**
   * Draw the desk of a step; `incoming` says what arrives at its ports.
   * @param {import("../contract.d.ts").StepShown} step
   * @param {import("../contract.d.ts").KindShown | undefined} kind
   * @param {Record<string, import("../contract.d.ts").ArrivingShown>} incoming
   * @param {string[][]} takeable
   */
  show(step, kind, incoming, takeable = []) {
    this.step = step;
    this.kind = kind;
    const { studio } = this;
    this.draft = studio.drafts.of(step.id);
    this.incoming = incoming;
    this.takeable = takeable;
    this.main = kind?.ports.find(
      (/** @type {import("../contract.d.ts").PortShown} */ port) => port.main,
    )?.name;
    const number = this.studio.course.order().indexOf(step.id) + 1;
    /** @type {HTMLInputElement} */
    const title = h("input", {
      class: "desk-title",
      "aria-label": "Name of the step",
      value: step.label,
      title: "Rename",
      onchange: () =>
        this.studio.act.renameTo(step.id, title.value === kind?.title ? "" : title.value),
      onkeydown: (event) => {
        if (event.key === "Enter") title.blur();
        if (event.key === "Escape") {
          title.value = step.label;
          title.blur();
          event.stopPropagation();
        }
      },
    });
    this.form = kind ? stepForm(studio, kind, incoming, this) : null;
    this.facts = h("div");
    this.decisions = kind?.decides
      ? new Decisions(this.studio, step, kind.remote ? searchedReference(this) : null)
      : null;
    this.sample = kind?.samples
      ? new Sample(this.studio, step, () => this.studio.drafts.get(step.id) ?? null)
      : null;
    this.again = kind?.remote
      ? h(
          "button",
          {
            type: "button",
            class: "chip",
            hidden: true,
            title: "Ask the source once more; looking uses what came last",
            onclick: () => this.studio.fetchAgain(step.id),
          },
          icon("arrow-repeat"),
          "Fetch again",
        )
      : null;
    this.says = h("div", { role: "alert" });
    const { apply, back } = takingOrNot(
      () => this.studio.applyDraft(),
      () => this.studio.dropDraft(),
    );
    Object.assign(this, { apply, back });
    this.stand = h("span", { class: "grow" });
    this.desk.show("step", {
      eyebrow: `Step ${number} · ${kind?.title ?? step.kind}`,
      title,
      summary: kind?.summary,
      tools: h(
        "button",
        {
          type: "button",
          class: "icon-button",
          "aria-label": "More for this step",
          title: "More",
          "aria-haspopup": "menu",
          onclick: (event) => this.studio.act.menu(step.id, event.currentTarget),
        },
        icon("three-dots"),
      ),
      body: [
        this.says,
        this.facts,
        this.again,
        this.wide(kind),
        kind
          ? this.inputs(step)
          : h(
              "p",
              { class: "said-problem" },
              "This Updraft does not know this kind of step. Its settings are kept; remove it or replace it.",
            ),
        this.form?.element,
        this.decisions?.element,
        this.sample?.element,
        this.note(step),
      ],
      foot: kind ? [this.stand, this.back, this.apply] : null,
    });
    this.tell();
  }

  /** What the form is about: the step's settings, whoever changed them. */
  get settings() {
    return this.draft.settings;
  }

  /** @param {any} some */
  change(some) {
    this.draft.change(some);
    this.studio.preview();
  }

  /**
   * Settings that were changed elsewhere (across the window, undone, picked in the table) are drawn
   * anew.
   */
  follow() {
    const { selected, wide } = this.studio;
    const shown = this.step?.id === selected && this.desk.view === "step" && !wide.open;
    if (shown && !this.draft.current) keepingFocus(this.desk.element, () => this.studio.showStep());
  }

  /**
   * Pickers for what comes in: always for the extra ports, for the main one when there is a choice.
   * @param {import("../contract.d.ts").StepShown} step
   */
  inputs(step) {
    const tables = this.takeable;
    return step.ports
      .filter(
        (/** @type {import("../contract.d.ts").PortShown} */ port) =>
          !port.main || port.many || tables.length > 1,
      )
      .map((/** @type {import("../contract.d.ts").PortShown} */ port) => {
        const property = {
          title: port.title,
          description: port.many
            ? "in this order"
            : port.main
              ? "what comes in"
              : "the other table",
        };
        const taken = step.inputs[port.name] ?? [];
        const take = (/** @type {string} */ source) =>
          this.studio.act.connect(step.id, port.name, source);
        if (port.many) return group({ property }, severalTables(tables, taken, port.title, take));
        const id = `port-${port.name}`;
        return labelled({ id, property }, select(tables, taken[0] ?? "", port.title, take, { id }));
      });
  }

  /**
   * The way to the wide desk, where the kind has one.
   * @param {import("../contract.d.ts").KindShown | undefined} kind
   */
  wide(kind) {
    if (!kind || kind.made_for === "cells") return null; // its cells stand in the table's place
    return h(
      "button",
      {
        type: "button",
        class: "btn btn-quiet w-100 mt-2",
        title: "Alt W",
        onclick: () => this.studio.openWide(),
      },
      icon("arrows-angle-expand"),
      " Work on it across the window",
    );
  }

  /** @param {import("../contract.d.ts").StepShown} step */
  note(step) {
    /** @type {HTMLTextAreaElement} */
    const area = h("textarea", {
      class: "form-control form-control-sm",
      id: "step-note",
      rows: 2,
      placeholder: "Why it is done, for whoever comes next",
      onchange: () => this.studio.act.noteTo(step.id, area.value),
    });
    area.value = step.note;
    return h(
      "div",
      { class: "section-line" },
      h("div", { class: "field" }, h("label", { for: "step-note" }, "Note"), area),
    );
  }

  /**
   * Show facts of the table, and the problem where it belongs.
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  effect(table, problem) {
    const own = problem && (!problem.step || problem.step === this.step.id);
    const placed = this.form?.say(own ? problem : null);
    if (table && !problem) this.decisions?.load();
    this.sample?.forget();
    this.says.replaceChildren(
      own && !placed
        ? h(
            "p",
            { class: problem.code === "unfinished" ? "said-next" : "said-problem" },
            problem.text,
          )
        : "",
    );
    if (this.again) this.again.hidden = problem ? problem.code === "unfinished" : !table;
    this.facts.replaceChildren(
      !problem && table ? (factList(table.facts, table.warnings, this.studio.act) ?? "") : "",
    );
  }

  /**
   * Say whether there is something to apply.
   * @param {import("../contract.d.ts").TableShown | null} table
   */
  tell(table = null) {
    const open = this.studio.drafts.has(this.step.id);
    this.apply.disabled = !open;
    this.back.hidden = !open;
    const stands = table && !this.studio.problem ? "Applied" : "";
    this.stand.textContent = open ? "Tried; going on applies it" : stands;
  }
}
