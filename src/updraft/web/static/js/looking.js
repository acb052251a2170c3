/** Looking at rows and making steps of what is looked at. Methods of the studio. */
import { api, attempt, notice, post } from "./api.js";
import { byId, h } from "./dom.js";
import { openMenu } from "./overlays.js";
import { changedAfter, changedBefore } from "./recoding.js";

/** @satisfies {import("./studio.js").OfStudio} methods that the studio takes over */
export const looking = {
  lookingActs() {
    return {
      unfocus: (chip) => this.setFocus((focus) => focus.remove(chip)),
      clearFocus: () => {
        if (!this.focus.nothing) this.setFocus((focus) => focus.clear());
      },
      search: (text) =>
        this.setFocus((focus) => {
          focus.search = text;
        }),
      focusStep: (way, more) => this.focusStep(way, more),
      focusMenu: (element) => this.focusMenu(element),
      showGone: () => this.showGone(),
      showNew: () =>
        this.setFocus((focus) => {
          focus.clear();
          focus.chips.push({ label: "new rows", column: "", finding: `new:${this.table.came}` });
        }),
    };
  },

  /**
   * Change the focus; grid, counts and desk follow.
   * @param {(focus: import("./focus.js").Focus) => unknown} change
   */
  setFocus(change) {
    const before = this.focus.text;
    change(this.focus);
    if (this.focus.text === before || !this.table) return;
    this.grid.refocus();
    this.act.viewChanged();
    if (this.desk.view === "column") this.columnDesk.focused();
    if (this.desk.view === "profile") this.profileDesk.show();
  },

  /** Make a step of the focus: keep, drop, set, clear or mark. */
  async focusStep(way, more = {}) {
    const { table } = this;
    const step = await attempt(() =>
      post(`/api/flows/${this.flow}/tables/${table.key}/focus-step`, {
        focus: { chips: this.focus.chips, search: this.focus.search },
        output: table.output,
        way,
        ...more,
      }),
    );
    if (!step) return;
    const { chips, search } = this.focus;
    this.focus.clear();
    if (await this.addSteps([step])) return;
    // It was refused: the rows are still those that were looked at.
    Object.assign(this.focus, { chips, search });
    this.grid.refocus();
    this.act.viewChanged();
  },

  focusMenu(element) {
    openMenu(element, [
      ["pencil-square", "Set a value…", () => this.askForFocus("set")],
      ["eraser", "Make cells empty…", () => this.askForFocus("clear")],
      ["bookmark-check", "Mark with a yes/no column…", () => this.askForFocus("mark")],
    ]);
  },

  /** What comes in at the main port of the selected step. */
  comes() {
    const main = this.kind()?.ports.find((port) => port.main);
    return main && this.incoming[main.name];
  },

  /** Ask in which column, and for the value or name, then make the step. */
  askForFocus(way) {
    const dialog = byId("dialog"),
      names = this.table.columns.map((column) => column.name);
    const titles = {
      set: "Set a value in these rows",
      clear: "Make cells of these rows empty",
      mark: "Mark these rows",
    };
    const column = h(
      "select",
      { class: "form-select form-select-sm", id: "focus-column" },
      names.map((name) =>
        h(
          "option",
          { value: name, selected: name === (this.columnDesk.name ?? this.focus.chips[0]?.column) },
          name,
        ),
      ),
    );
    const text = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: "focus-text",
      value: way === "mark" ? "Marked" : "",
      required: way === "mark",
    });
    const field = (id, label, control) =>
      h("div", { class: "field" }, h("label", { for: id }, label), control);
    dialog.onclose = () => {
      dialog.onclose = null;
      if (dialog.returnValue === "take")
        this.focusStep(
          way,
          way === "mark" ? { name: text.value } : { column: column.value, value: text.value },
        );
    };
    dialog.replaceChildren(
      h(
        "form",
        { method: "dialog" },
        h("h2", { id: "dialog-title" }, titles[way]),
        way === "mark" ? null : field("focus-column", "Column", column),
        way === "clear"
          ? null
          : field("focus-text", way === "mark" ? "Name of the new column" : "Value", text),
        h(
          "div",
          { class: "dialog-foot" },
          h("button", { class: "btn btn-quiet", value: "", formnovalidate: true }, "Not now"),
          h("button", { class: "btn btn-main", value: "take" }, "Add the step"),
        ),
      ),
    );
    dialog.returnValue = "";
    dialog.showModal();
  },

  /**
   * Add steps one behind the other after the selected one, as one revision, and select the last;
   * `insert` puts them on the lane.
   */
  async addSteps(steps, sentence = /** @type {string | null} */ (null), insert = true) {
    await this.applyDraft();
    const column = this.desk.view === "column" ? this.columnDesk.name : null;
    const { view } = this.desk;
    const edits = steps.map(({ kind, name = "", settings }, n) => ({
      op: "add",
      step: { kind, name, settings },
      after: n ? "@last" : this.place(),
      insert: insert && !this.output,
    }));
    const state = await this.edit(edits, sentence);
    if (!state) return false;
    await this.select(state.added.at(-1));
    if (column && this.table?.columns.some((one) => one.name === column))
      this.act.chooseColumn(column);
    else if (view === "findings") this.findingsDesk.show();
    return true;
  },

  /**
   * Change values of a column everywhere: in the Recode step at hand where there is one, in a new
   * one otherwise.
   */
  async recode(column, pairs) {
    await this.applyDraft();
    const own = this.state.steps[this.selected];
    const made = this.kindFor("values");
    const next = Object.values(this.state.steps).find(
      (step) =>
        step.main === this.selected &&
        step.kind === made.kind &&
        step.settings.column === column &&
        step.enabled,
    );
    const at = own.kind === made.kind && own.settings.column === column && own.enabled ? own : next;
    if (!at) {
      const done = await this.addSteps([
        {
          kind: made.kind,
          settings: { column, changes: pairs.map(([old, fresh]) => ({ old, new: fresh })) },
        },
      ]);
      if (done) notice(`Changed by a new step “${made.title}”. Ctrl+Z takes it back.`);
      return;
    }
    const had = at.settings.changes ?? [];
    // A value that this very step makes need not come in as well; where it does, it is recoded too.
    const both = new Set();
    for (const [old] of at === own ? pairs : [])
      if ((await this.values(this.comes(), column, old))?.values.some(([value]) => value === old))
        both.add(old);
    const kept =
      at === own ? changedAfter(had, pairs, (value) => both.has(value)) : changedBefore(had, pairs);
    const state = await this.edit(
      [{ op: "set", id: at.id, settings: { ...at.settings, changes: kept } }],
      `Recoded ${pairs.length === 1 ? `“${pairs[0][0]}”` : `${pairs.length} values`} of ${column}`,
    );
    if (!state) return;
    if (at !== own) await this.select(at.id);
    this.act.chooseColumn(column);
    notice(`Joined to the step “${made.title}”. Ctrl+Z takes it back.`);
  },

  /** Count the rows that are gone and those that are new, where the step let rows come or go. */
  async compareWithBefore() {
    const { table } = this;
    if (
      !table ||
      this.problem ||
      table.touched.length ||
      !table.came ||
      table.output ||
      table.rows_in === null ||
      table.step !== this.selected ||
      this.kind()?.other_rows
    )
      return;
    const query = new URLSearchParams({ before: table.came, output: table.output });
    const found = await api(`/api/flows/${this.flow}/tables/${table.key}/compare?${query}`).catch(
      () => null,
    );
    if (
      !found ||
      table !== this.table ||
      (found.gone === table.rows_in && found.new === table.rows)
    )
      return;
    this.act.compared = { ...found, shown: null };
    this.shown.bar();
  },

  /** Show the rows of the table before that this one lacks, or come back. */
  showGone() {
    if (this.act.compared.shown) {
      this.focus.clear();
      this.look();
      return;
    }
    const [key, output] = String(this.table.came).split("."),
      here = this.table,
      compared = { ...this.act.compared, shown: true };
    const gone = {
      ...here,
      key,
      output,
      rows: here.rows_in ?? 0,
      before: null,
      touched: [],
      columns: (this.comes()?.columns ?? []).map((column) => ({
        changed: 0,
        origin: null,
        evidence: "",
        kind_title: column.kind,
        ...column,
      })),
    };
    this.focus.clear();
    this.focus.chips.push({
      label: "rows that are gone",
      column: "",
      finding: `gone:${here.key}.${here.output}`,
    });
    this.table = gone;
    this.act.compared = compared;
    this.grid.show(gone);
    this.act.viewChanged();
  },
};
