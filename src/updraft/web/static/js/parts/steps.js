/** Adding, removing and moving steps, and the menu of one. Methods of the studio. */
import { attempt, notice } from "../api.js";
import { byId } from "../dom.js";
import { openMenu } from "../overlays.js";

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const steps = {
  /**
   * Make an edit that adds a step, and give the id that the server chose; null when it was refused.
   * @param {object} edit
   * @param {string | null} sentence
   * @returns {Promise<string | null>}
   */
  async addOne(edit, sentence = null) {
    return (await this.edit([edit], sentence))?.added[0] ?? null;
  },

  /** Where a new step goes: behind the selected one, or behind the table that an output takes. */
  place() {
    const at = this.state.steps[this.selected];
    const after = this.output ? `${this.selected}.${this.output}` : this.selected;
    return at.role === "output" ? at.main : after;
  },

  /** The name of the step that works on the selected one's result; "" where there is none. */
  follower() {
    if (!this.selected || this.output) return "";
    const next = this.course
      .order()
      .find(
        (/** @type {string} */ id) => this.state.steps[id].main?.split(".")[0] === this.selected,
      );
    return next ? this.state.steps[next].label : "";
  },

  /**
   * Add a step of a kind behind the selected one; a source opens a lane of its own.
   * @param {import("../contract.d.ts").KindShown} kind
   */
  async add(kind, branch = false) {
    await this.applyDraft();
    if (kind.made_for === "file") {
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
    // One after another: who adds fast means the next step behind this one, which has no id yet.
    const made = this.adding.then(() => this.addBehind(kind, branch));
    this.adding = made.catch(() => {});
    const id = await made;
    if (id === this.selected) await this.ready(); // else another one was added behind it meanwhile
  },

  /**
   * Add a step of a kind behind the selected one, which is then the new one.
   * @param {import("../contract.d.ts").KindShown} kind
   * @param {boolean} branch
   */
  async addBehind(kind, branch) {
    const ends = kind.role === "output" || this.state.steps[this.selected].role === "output";
    const step = { kind: kind.kind, settings: { ...kind.starting, ...this.begunWith(kind) } };
    const column = this.columnLookedAt()?.name ?? "";
    const insert = !ends && !this.output && !branch;
    const id = await this.addOne({ op: "add", step, after: this.place(), plug: true, insert });
    this.begun = { id, column };
    if (id) await this.turnTo(id);
    return id;
  },

  columnLookedAt() {
    const name = this.desk.view === "column" ? this.columnDesk.name : null;
    return this.table?.columns.find((one) => one.name === name);
  },

  /**
   * The column whose desk is open, as the first setting of a new step that asks for columns of the
   * table.
   * @param {import("../contract.d.ts").KindShown} kind
   */
  begunWith(kind) {
    const column = this.columnLookedAt();
    if (!column) return {};
    const { name } = column;
    const main = kind.ports.find((port) => port.main)?.name;
    /** @type {Record<string, unknown>} */
    const begun = {
      column: name,
      names: [name],
      columns: { by: "names", names: [name] },
      order: [{ column: name, down: false }],
      types: [{ column: name, type: "text", formats: [] }],
    };
    for (const [setting, property] of Object.entries(kind.schema.properties)) {
      if (!(property.widget in begun) || (property.port ?? main) !== main) continue;
      const fits = !property.kind || property.kind === column.kind;
      return fits ? { [setting]: begun[property.widget] } : {};
    }
    return {};
  },

  /**
   * Go to a step that was just made, ready to be set; nowhere when it was refused.
   * @param {string | null} id
   */
  async shownNew(id) {
    if (id && (await this.turnTo(id))) await this.ready();
  },

  /** The selected step was just made: show its table, and let it be set. */
  async ready() {
    await this.enter();
    this.desk.fold(false);
    // Who types somewhere else already is not taken away from it.
    if (!document.activeElement?.matches("input, textarea, .cm-content"))
      this.stepDesk.form?.focusFirst();
  },

  /**
   * The order that is only looked at becomes a step; a step that takes the first rows then takes
   * these.
   */
  async keepOrder() {
    const { sort, desc } = this.grid.view;
    const kind = this.kindFor("order");
    await this.applyDraft();
    const settings = { ...kind.starting, order: [{ column: sort, down: desc }] };
    const id = await this.addOne({
      op: "add",
      step: { kind: kind.kind, settings },
      after: this.place(),
      plug: true,
      insert: !this.output && this.state.steps[this.selected].role !== "output",
    });
    if (id) await this.select(id);
  },

  /** @param {string} id */
  async remove(id) {
    const order = this.course.order();
    const at = order.indexOf(id);
    const { label, main } = this.state.steps[id];
    const { selected } = this;
    const tried = this.drafts.get(id);
    this.drafts.delete(id);
    if (id === selected) this.selected = main?.split(".")[0] ?? order[at + 1] ?? order[at - 1];
    if (!(await this.edit([{ op: "remove", id }]))) {
      this.selected = selected; // it is still there, with what was tried in it
      if (tried) this.drafts.putBack(id, tried);
      return;
    }
    notice(`“${label}” removed. Ctrl+Z brings it back.`);
    if (!this.selected) return;
    await this.reselect();
    this.course.focus(this.selected);
  },

  /** @param {string} id @param {HTMLElement} element */
  menu(id, element) {
    const step = this.state.steps[id];
    const from = (/** @type {string} */ other) => this.state.steps[other].main?.split(".")[0];
    const below = this.course.order().find((other) => from(other) === id);
    const above = this.state.steps[from(id) ?? ""]?.main;
    const add = () => this.select(id).then(() => this.addBox.open());
    const branch = () => this.select(id).then(() => this.addBox.open(true));
    const note = () => this.select(id).then(() => byId("step-note").focus());
    openMenu(element, [
      ["plus-lg", "Add a step after it", add, "Ctrl K"],
      below ? ["sign-intersection-y", "Branch from here", branch] : null,
      ["pencil", "Rename", () => this.act.rename(id), "F2"],
      ["chat-left-text", step.note ? "Change the note" : "Add a note", note],
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
  },

  /** @param {string} id */
  async fetchAgain(id) {
    if (await this.flowState.go(`steps/${id}/again`)) await this.look();
  },

  /**
   * Undo or redo; while settings are only tried, undo puts them back, and redo tries them again.
   * @param {string} way
   */
  async step(way) {
    if (this.drafts.has(this.selected) && way === "undo") {
      this.dropDraft();
      return;
    }
    if (this.drafts.has(this.selected)) {
      const { label } = this.state.steps[this.selected];
      notice(`“${label}” is only tried. Apply it or put it back, then redo.`, "problem");
      return;
    }
    if (way === "redo" && (await this.takeAgain())) return;
    this.drafts.clear();
    if (await this.flowState.go(way)) this.reselect();
  },

  /** @param {number} number */
  async goTo(number) {
    await this.applyDraft(); // it becomes a revision of its own, to be gone back to
    if (this.drafts.has(this.selected)) return; // it was refused, and told
    this.drafts.clear();
    if (await this.flowState.go(`revisions/${number}`)) this.flowDesk.revisions();
  },

  async run() {
    await this.applyDraft();
    this.desk.fold(false);
    this.runDesk.show();
  },

  /** Compute every step on all rows, and tell how many there are; nothing is delivered. */
  async countAll() {
    await this.applyDraft();
    this.desk.fold(false);
    await this.runDesk.start({ dry: true });
  },

  /** Work on the selected step across the window, where its kind has a desk for it. */
  async openWide() {
    if (this.lookedAt !== this.selected) await this.look(); // what comes in must be this step's
    const kind = this.kind();
    if (!kind || kind.made_for === "cells") return;
    const step = this.state.steps[this.selected];
    await attempt(() => this.wide.show(step, kind, this.incoming));
  },
};
