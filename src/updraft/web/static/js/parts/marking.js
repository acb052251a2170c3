/**
 * One cell: what fits the whole of it, or a part that is marked, best first. Methods of the studio.
 */
import { api, attempt, post } from "../api.js";
import { byId, h, pausing, plural } from "../dom.js";

const MOST = 2000; // cells that are taken together

/** @typedef {{formula: string, sentence: string}} Reading a formula that gives what was marked */
/** @typedef {{row: number, values: (string | null)[]}} Read what each reading gives in a row */

/**
 * One thing to do with what is marked, and where it is done.
 * @param {string} title
 * @param {string} says
 * @param {() => unknown} act
 */
const offer = (title, says, act) =>
  h(
    "button",
    { type: "button", class: "reading", onclick: act },
    h("strong", {}, title),
    h("span", {}, says),
  );

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const marking = {
  /**
   * Open a cell: a part of its text can be marked, and what that may mean is offered.
   * @param {number} row
   * @param {import("../contract.d.ts").ColumnThere & {index: number}} column
   */
  async openCell(row, column) {
    const item = this.grid.item(row);
    const cell = item.cells?.[column.index];
    const place = item.numbers ?? row; // its place in the table, whatever is shown of it
    const opens = this.table?.step === this.selected && !this.output && this.kind()?.opens;
    if (opens && column.kind !== "text") return this.openBehind(place);
    if (typeof cell !== "string" || column.kind !== "text" || !this.table || this.output) return;
    const dialog = byId("dialog");
    const offers = h("div", { class: "readings", role: "group", "aria-label": "What fits" });
    const says = h("p", { class: "muted small", role: "status" });
    const text = h("input", {
      type: "text",
      class: "form-control cell-text",
      "aria-label": `Text of ${column.name} in row ${place + 1}`,
      value: cell,
      "aria-readonly": "true",
      spellcheck: "false",
      // read only, but with a cursor for the keyboard
      onbeforeinput: (/** @type {Event} */ event) => event.preventDefault(),
    });
    const take = (/** @type {string} */ kind, /** @type {object} */ settings) => {
      dialog.close();
      return attempt(() => this.offered(kind, settings));
    };
    const names = { by: "names", names: [column.name] };
    const whole = () => {
      says.textContent =
        "Mark a part of the text, by mouse or with Shift and the arrows, for what fits the part.";
      const rule = { match: "all", of: [{ column: column.name, test: "equals", value: cell }] };
      offers.replaceChildren(
        opens
          ? offer("Show the rows of this group", "in the table that comes in", () => {
              dialog.close();
              return this.openBehind(place);
            })
          : "",
        offer("Replace it in every row", "a step “Recode values”", () =>
          take("recode_values", { column: column.name, changes: [{ old: cell, new: cell }] }),
        ),
        offer("Keep only rows with it", "a step “Keep rows”", () =>
          take("keep_rows", { by: "rule", rule }),
        ),
        offer("Drop rows with it", "a step “Drop rows”", () =>
          take("drop_rows", { by: "rule", rule }),
        ),
      );
    };
    const part = async (/** @type {string} */ marked) => {
      const body = { columns: [column.name], give: { [place]: marked }, output: "" };
      const url = `/api/flows/${this.flow}/tables/${this.table.key}/examples`;
      /** @type {{readings: Reading[], rows: Read[]} | undefined} */
      const found = await attempt(() => post(url, body));
      if (!found || marked !== chosen()) return;
      const shown = found.rows.filter((one) => one.row !== place);
      says.textContent = `“${marked}” is marked.`;
      offers.replaceChildren(
        ...found.readings
          .slice(0, 4)
          .map((reading, n) =>
            offer(
              `Take out: ${reading.sentence[0].toLowerCase()}${reading.sentence.slice(1)}`,
              shown.map((one) => one.values[n] ?? "empty").join(" · "),
              () =>
                take("calculate", {
                  columns: [{ name: `${column.name} part`, formula: reading.formula }],
                }),
            ),
          ),
        offer(`Replace “${marked}” wherever it stands`, "a step “Find and replace”", () =>
          take("find_and_replace", { columns: names, find: marked, new: marked }),
        ),
        /[\p{L}\p{N}]/u.test(marked)
          ? ""
          : offer(`Split at “${marked}”`, "a step “Split column”", () =>
              take("split_column", { column: column.name, at: marked }),
            ),
      );
    };
    const chosen = () => text.value.slice(text.selectionStart ?? 0, text.selectionEnd ?? 0);
    const look = pausing(150, () => {
      const marked = chosen();
      if (!marked || marked === cell) whole();
      else part(marked);
    });
    text.addEventListener("select", look);
    text.addEventListener("keyup", look);
    text.addEventListener("pointerup", look);
    dialog.replaceChildren(
      h("h2", { id: "dialog-title" }, `${column.name}, row ${place + 1}`),
      text,
      says,
      offers,
      h(
        "form",
        { method: "dialog", class: "dialog-foot" },
        h("button", { class: "btn btn-quiet" }, "Close"),
      ),
    );
    whole();
    dialog.showModal();
    text.focus();
    text.setSelectionRange(0, 0);
  },

  /**
   * The rows that a row of this step's table stands for, in the table that comes in.
   * @param {number} row
   */
  async openBehind(row) {
    const step = this.selected;
    const found = await attempt(() => post(`/api/flows/${this.flow}/behind`, { step, row }));
    if (!found || this.selected !== step) return;
    await this.applyDraft();
    this.output = found.output;
    await this.select(found.step);
    const label = `row ${row + 1} of ${this.state.steps[step].label}`;
    this.setFocus((focus) => {
      focus.clear();
      // The total of all rows has no condition.
      if (found.rule.of.length) focus.only({ label, column: "", rule: found.rule });
    });
  },

  /**
   * Several cells of a column: what fits all their values.
   * @param {number} from
   * @param {number} to
   * @param {import("../contract.d.ts").ColumnThere & {index: number}} column
   */
  async openCells(from, to, column) {
    if (!this.table || this.output || to - from >= MOST) return;
    const { selected } = this;
    /** @type {{rows: unknown[][]} | undefined} */
    const found = await attempt(() => api(this.grid.address(from, to - from + 1)));
    if (!found || this.selected !== selected) return;
    const cells = found.rows.map((row) => row[column.index]).filter((cell) => cell !== null);
    const values = [...new Set(cells.map(String))];
    const times = (/** @type {string} */ value) =>
      cells.filter((cell) => String(cell) === value).length;
    const name = values.reduce((best, one) => (times(one) > times(best) ? one : best), values[0]);
    const rule = { match: "all", of: [{ column: column.name, test: "one_of", values }] };
    /** @param {string} [to] what they become; else each is to be replaced by itself */
    const change = (to) =>
      values.filter((old) => old !== to).map((old) => ({ old, new: to ?? old }));
    const recode = (/** @type {object[]} */ changes) =>
      this.offered("recode_values", { column: column.name, changes });
    const dialog = byId("dialog");
    /** @type {typeof offer} */
    const taken = (title, says, act) =>
      offer(title, says, () => {
        dialog.close();
        return attempt(act);
      });
    dialog.replaceChildren(
      h(
        "h2",
        { id: "dialog-title" },
        `${plural(to - from + 1, "cell", "cells")} of ${column.name}`,
      ),
      h("p", { class: "muted" }, values.slice(0, 8).join(" · ") || "all empty"),
      h(
        "div",
        { class: "readings", role: "group", "aria-label": "What fits" },
        values.length > 1
          ? taken(`Make them all “${name}”`, "in every row, a step “Recode values”", () =>
              recode(change(name)),
            )
          : null,
        values.length
          ? taken("Replace them, each by another", "a step “Recode values”", () => recode(change()))
          : null,
        values.length
          ? taken("Keep only rows with these values", "a step “Keep rows”", () =>
              this.offered("keep_rows", { by: "rule", rule }),
            )
          : null,
        values.length
          ? taken("Drop rows with these values", "a step “Drop rows”", () =>
              this.offered("drop_rows", { by: "rule", rule }),
            )
          : null,
        taken("Pick these rows by hand", "a step “Pick rows”", () => this.pickRows(from, to)),
      ),
      h(
        "form",
        { method: "dialog", class: "dialog-foot" },
        h("button", { class: "btn btn-quiet" }, "Close"),
      ),
    );
    dialog.showModal();
  },

  /**
   * Add a step behind the one that is shown, with settings that were offered.
   * @param {string} name of its kind
   * @param {object} settings
   */
  async offered(name, settings) {
    await this.applyDraft();
    const kind = this.kinds.get(name);
    const step = { kind: name, settings: { ...kind?.starting, ...settings } };
    const insert = this.state.steps[this.selected].role !== "output";
    const edit = { op: "add", step, after: this.place(), plug: true, insert };
    await this.shownNew(await this.addOne(edit));
  },
};
