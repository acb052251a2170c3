/** The desk for a stop: its settings with the effect shown while they change, its inputs, its note. */
import { post } from "./api.js";
import { h, icon } from "./dom.js";
import { Decisions } from "./decisions.js";
import { factList } from "./desk.js";
import { Form } from "./forms.js";
import { Sample } from "./sample.js";
import { group, labelled, select } from "./widgets/basic.js";
import { severalTables } from "./widgets/tables.js";
import { outsideValues } from "./widgets/outside.js";

export class StepDesk {
  /** `studio` gives state, act and the context of forms. */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
  }

  /** Draw the desk of a step; `incoming` says what arrives at its ports. */
  show(step, kind, incoming, settings, takeable = []) {
    this.step = step;
    this.kind = kind;
    this.incoming = incoming;
    this.takeable = takeable;
    this.main = kind?.ports.find((port) => port.main)?.name;
    const number = this.studio.course.order().indexOf(step.id) + 1;
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
    this.form = kind
      ? new Form(kind.schema, settings, this.context(), (changed) =>
          this.studio.drafted(step.id, changed),
        )
      : null;
    this.facts = h("div");
    this.decisions = kind?.decides
      ? new Decisions(this.studio, step, kind.remote ? (text) => this.searched(text) : null)
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
    this.apply = h(
      "button",
      {
        type: "button",
        class: "btn btn-primary",
        disabled: true,
        onclick: () => this.studio.applyDraft(),
      },
      "Apply",
    );
    this.back = h(
      "button",
      {
        type: "button",
        class: "btn btn-quiet",
        hidden: true,
        onclick: () => this.studio.dropDraft(),
      },
      "Put back",
    );
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

  context() {
    const { studio } = this;
    const source = this.kind?.remote && this.kind.role === "source";
    return {
      columns: (port) => (source ? this.form?.outside : this.incoming[port]?.columns) ?? [],
      reference: () => this.reference(),
      chosen: (name, form) => this.chosen(name, form),
      values: (column, search) =>
        source
          ? outsideValues(this.form, column, search)
          : studio.values(this.incoming[this.main], column, search),
      examples: (columns, give) => studio.examples(this.incoming[this.main], columns, give),
      rules: (text) => studio.rules(this.incoming[this.main], text),
      formats: (column, kind) => studio.formats(this.incoming[this.main], column, kind),
      files: () => studio.files(),
      upload: (file, other) => studio.uploadFile(file, other),
      flow: studio.flow,
      edit: (edits) => studio.edit(edits),
    };
  }

  /** What a reference offers follows from which it is, and from the column whose names it is asked for. */
  chosen(name, form) {
    if (form !== this.form || !this.kind.remote || this.kind.role === "source") return;
    if (["connection", "column"].includes(name))
      for (const other of ["type", "evidence", "fields"]) form.remake(other);
  }

  /** What the reference calls things: kinds, proposed from some names of the column, and properties. Asked once. */
  async reference() {
    const { connection, column, type } = this.form?.settings ?? {};
    if (!connection) return null;
    const key = JSON.stringify([connection, column, type]);
    if (this.known?.key !== key) this.known = { key, terms: this.askReference() };
    return this.known.terms;
  }

  async askReference() {
    const { connection, column, type } = this.form.settings;
    const from = column ? this.incoming[this.main] : null;
    const names = from ? await this.studio.values(from, column, "") : null;
    const texts = (names?.values ?? []).slice(0, 20).map(([text]) => text);
    return post(`/api/connections/${encodeURIComponent(connection)}/terms`, {
      texts: texts.filter(Boolean),
      type: type ?? "",
    });
  }

  /** What the reference knows that is like a text. */
  searched(text) {
    const { connection, type } = this.form.settings;
    return post(`/api/connections/${encodeURIComponent(connection)}/search`, {
      text,
      type: type ?? "",
    });
  }

  /** Pickers for what comes in: always for the extra ports, for the main one when there is a choice. */
  inputs(step) {
    const tables = this.takeable;
    return step.ports
      .filter((port) => !port.main || port.many || tables.length > 1)
      .map((port) => {
        const property = {
          title: port.title,
          description: port.many
            ? "in this order"
            : port.main
              ? "what comes in"
              : "the other table",
        };
        const taken = step.inputs[port.name] ?? [];
        const take = (source) => this.studio.act.connect(step.id, port.name, source);
        if (port.many) return group({ property }, severalTables(tables, taken, port.title, take));
        const id = `port-${port.name}`;
        return labelled({ id, property }, select(tables, taken[0] ?? "", port.title, take, { id }));
      });
  }

  /** The way to the wide desk, where the kind has one. */
  wide(kind) {
    if (!kind || kind.desk === "form") return null;
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

  note(step) {
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

  /** Show facts of the table, and the problem where it belongs. */
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
    if (this.kind?.remote) this.again.hidden = problem ? problem.code === "unfinished" : !table;
    this.facts.replaceChildren(
      !problem && table
        ? (factList(table.facts, table.warnings, (side) => this.studio.act.showSide(side)) ?? "")
        : "",
    );
  }

  /** Say whether there is something to apply. */
  tell(table = null) {
    const open = this.studio.drafts.has(this.step.id);
    this.apply.disabled = !open;
    this.back.hidden = !open;
    this.stand.textContent = open ? "Shown, not applied yet" : table ? "Applied" : "";
  }
}
