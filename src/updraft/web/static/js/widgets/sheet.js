/**
 * A small table to type into, like a sheet: the cells stand in the middle of the studio, above the
 * table they make.
 */
import { byId, h } from "../dom.js";
import { labelled } from "./basic.js";

/**
 * Cells on the clipboard, as a spreadsheet puts them there: tabs between cells, quotes around those
 * with line breaks.
 * @param {string} text
 */
export function cellsOf(text) {
  const rows = [/** @type {string[]} */ ([])];
  let cell = "",
    quoted = false;
  const end = () => {
    rows[rows.length - 1].push(cell);
    cell = "";
  };
  const plain = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  for (let n = 0; n < plain.length; n += 1) {
    const sign = plain[n];
    if (quoted) {
      if (sign === '"' && plain[n + 1] === '"') {
        cell += '"';
        n += 1;
      } else if (sign === '"') quoted = false;
      else cell += sign;
    } else if (sign === '"' && cell === "") quoted = true;
    else if (sign === "\t") end();
    else if (sign === "\n") {
      end();
      rows.push([]);
    } else cell += sign;
  }
  end();
  return rows;
}

/**
 * What is pasted, if it is more than one cell: lines of one cell or of several, empty ones too, so
 * that none moves up.
 * @param {ClipboardEvent} event
 */
export function pairsOf(event) {
  const text = event.clipboardData?.getData("text") ?? "";
  if (!/[\t\n]/.test(text)) return null;
  event.preventDefault();
  return cellsOf(text);
}

export class Sheet {
  /**
   * @param {string[]} columns
   * @param {string[][]} rows
   * @param {(sheet: {columns: string[], rows: string[][]}) => void} changed
   */
  constructor(columns, rows, changed) {
    this.columns = columns.length ? [...columns] : ["Column 1"];
    this.rows = rows.map((row) => [...row]);
    this.changed = changed;
    this.element = h("div", { class: "sheet-editor" });
    this.draw();
  }

  tell() {
    const filled = this.rows.map((row) => this.columns.map((_, n) => row[n] ?? ""));
    while (filled.at(-1)?.every((cell) => cell === "")) filled.pop();
    this.changed({ columns: [...this.columns], rows: filled });
  }

  /** @param {[number, number] | null} focus row and column */
  draw(focus = null) {
    const width = this.columns.length,
      shown = [...this.rows, ...Array.from({ length: 2 }, () => [])];
    const input = (
      /** @type {number} */ row,
      /** @type {number} */ column,
      /** @type {string} */ value,
      /** @type {string} */ label,
    ) =>
      h("input", {
        type: "text",
        value: value ?? "",
        "aria-label": label,
        dataset: { row, column },
        spellcheck: "false",
      });
    const table = h(
      "table",
      {},
      h(
        "thead",
        {},
        h(
          "tr",
          {},
          h("td", { class: "corner" }),
          this.columns.map((name, n) =>
            h("th", { scope: "col" }, input(-1, n, name, `Name of column ${n + 1}`)),
          ),
          h(
            "td",
            {},
            h(
              "button",
              {
                type: "button",
                class: "tiny-button",
                onclick: () => {
                  this.columns.push(this.freeName());
                  this.draw([-1, width]);
                  this.tell();
                },
              },
              "+ column",
            ),
          ),
        ),
      ),
      h(
        "tbody",
        {},
        shown.slice(0, 400).map((row, r) =>
          h(
            "tr",
            {},
            h("th", { scope: "row" }, r + 1),
            this.columns.map((name, c) =>
              h("td", {}, input(r, c, row[c], `${name}, row ${r + 1}`)),
            ),
          ),
        ),
      ),
    );
    table.addEventListener("input", ({ target }) =>
      this.typed(/** @type {HTMLInputElement} */ (target)),
    );
    table.addEventListener("keydown", (event) => this.keys(event));
    table.addEventListener("paste", (event) => this.pasted(event));
    this.element.replaceChildren(
      table,
      this.rows.length > 398
        ? h(
            "p",
            { class: "muted small p-2" },
            `The first 398 of ${this.rows.length} rows can be edited here; all of them are in the table below.`,
          )
        : "",
    );
    if (focus) this.at(...focus)?.focus();
  }

  /** A name that no column has: one that was taken away may have left its number free. */
  freeName() {
    let n = this.columns.length + 1;
    while (this.columns.includes(`Column ${n}`)) n += 1;
    return `Column ${n}`;
  }

  /** @param {number} row @param {number} column */
  at(row, column) {
    /** @type {HTMLInputElement | null} */
    const cell = this.element.querySelector(`[data-row="${row}"][data-column="${column}"]`);
    return cell;
  }

  /** @param {HTMLInputElement} cell */
  typed(cell) {
    const row = Number(cell.dataset.row),
      column = Number(cell.dataset.column);
    if (row < 0) {
      this.columns[column] = cell.value;
      for (const below of this.element.querySelectorAll(`td [data-column="${column}"]`))
        below.setAttribute("aria-label", `${cell.value}, row ${Number(below.dataset.row) + 1}`);
    } else {
      while (this.rows.length <= row) this.rows.push([]);
      this.rows[row][column] = cell.value;
      if (row >= this.element.querySelectorAll("tbody tr").length - 1) this.draw([row, column]);
    }
    this.tell();
  }

  /** @param {KeyboardEvent} event */
  keys(event) {
    const cell = /** @type {HTMLInputElement} */ (event.target),
      row = Number(cell.dataset.row),
      column = Number(cell.dataset.column);
    if (Number.isNaN(row)) return;
    const edge =
      cell.selectionStart === cell.selectionEnd &&
      (event.key === "ArrowLeft"
        ? cell.selectionStart === 0
        : cell.selectionStart === cell.value.length);
    /** @type {Record<string, [row: number, column: number] | null>} */
    const ways = {
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      Enter: [row + 1, column],
      ArrowLeft: edge ? [row, column - 1] : null,
      ArrowRight: edge ? [row, column + 1] : null,
    };
    const to = ways[event.key];
    const next = to && this.at(...to);
    if (next) {
      event.preventDefault();
      next.focus();
      next.select();
    }
    if (event.key === "Delete" && event.ctrlKey) {
      event.preventDefault();
      event.stopPropagation();
      if (row < 0 && this.columns.length > 1) {
        this.columns.splice(column, 1);
        for (const one of this.rows) one.splice(column, 1);
      } else if (row >= 0) this.rows.splice(row, 1);
      this.draw([Math.min(row, this.rows.length), Math.min(column, this.columns.length - 1)]);
      this.tell();
    }
  }

  /** @param {ClipboardEvent} event */
  pasted(event) {
    const cells = cellsOf(event.clipboardData?.getData("text/plain") ?? "");
    if (cells.length === 1 && cells[0].length === 1) return;
    event.preventDefault();
    const { dataset } = /** @type {HTMLInputElement} */ (event.target);
    const row = Number(dataset.row),
      column = Number(dataset.column);
    cells.forEach((line, r) =>
      line.forEach((text, c) => {
        while (this.columns.length <= column + c) this.columns.push(this.freeName());
        if (row + r < 0) {
          this.columns[column + c] = text;
          return;
        }
        while (this.rows.length <= row + r) this.rows.push([]);
        this.rows[row + r][column + c] = text;
      }),
    );
    this.draw([row, column]);
    this.tell();
  }
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const sheetWidgets = {
  sheet(field) {
    const { form } = field;
    const sheet = new Sheet(
      form.settings.columns ?? [],
      form.settings.rows ?? [],
      ({ columns, rows }) => form.change({ rows, [field.name]: columns }),
    );
    const place = byId("raw");
    place.replaceChildren(
      h(
        "div",
        { class: "raw-head" },
        h("h3", { class: "eyebrow" }, "Cells"),
        h(
          "span",
          { class: "muted small" },
          "Type, or paste from a spreadsheet. Ctrl+Delete removes a row, or a column on its name.",
        ),
      ),
      h("div", { class: "raw-body raw-sheet-body" }, sheet.element),
    );
    place.hidden = false;
    return labelled(
      field,
      h(
        "button",
        {
          type: "button",
          class: "btn btn-quiet",
          id: field.id,
          onclick: () => sheet.at(-1, 0)?.focus(),
        },
        "Edit the cells",
      ),
    );
  },
};
