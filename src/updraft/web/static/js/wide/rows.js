/** A few rows that meet a condition, the column that is worked on first; shared by wide desks. */
import { api, attempt } from "../api.js";
import { h, plural } from "../dom.js";

const ROWS = 8,
  COLUMNS = 6;

/** @typedef {import("./answers.d.ts").Cells} Cells */
/** @typedef {import("./answers.d.ts").RowsFound} RowsFound */

/**
 * A value with the blanks at its ends made visible, as one text.
 * @param {unknown} value
 */
export const blanksShown = (value) =>
  String(value).replace(/^[ \u00a0]+|[ \u00a0]+$/g, (blanks) => "␣".repeat(blanks.length));

/**
 * A cell of a small table, as a person reads it.
 * @param {unknown} value
 */
export const cellOf = (value, looks = "") =>
  h(
    "td",
    { dir: "auto", class: looks || null },
    value === null ? h("i", {}, "empty") : blanksShown(value),
  );

/**
 * The first rows of a result, the columns that were brought set apart, and how many columns are not
 * shown.
 * @param {import("../contract.d.ts").TableShown} table
 * @param {Cells[]} rows
 * @param {number} most columns
 */
export function firstRows(table, rows, most) {
  const columns = table.columns.slice(0, most);
  const look = (/** @type {{origin: string | null}} */ { origin }) => (origin ? "is-brought" : "");
  const head = columns.map((one) => h("th", { scope: "col", class: look(one) || null }, one.name));
  const body = rows.map((row) =>
    h(
      "tr",
      {},
      columns.map((one, n) => cellOf(row[n], look(one))),
    ),
  );
  const more = table.columns.length - columns.length;
  return [
    h(
      "div",
      { class: "gives-scroll", tabindex: "0", role: "group", "aria-label": "First rows" },
      h("table", { class: "wide-rows" }, h("thead", {}, h("tr", {}, head)), h("tbody", {}, body)),
    ),
    more > 0
      ? h("p", { class: "muted small" }, `and ${plural(more, "column", "columns")} more`)
      : "",
  ];
}

/**
 * The rows that meet all conditions as a table, their columns first, and how many there are in all;
 * null where they cannot be had.
 * @param {import("../studio.js").Studio} studio
 * @param {import("../contract.d.ts").ArrivingShown} port
 * @param {{column: string, test: string, value?: string, values?: any[]}[]} conditions
 */
export async function sampleRows(studio, port, conditions) {
  const chips = conditions.map((one) => ({ label: "", column: one.column, conditions: [one] }));
  const query = {
    offset: "0",
    limit: String(ROWS),
    output: port.output,
    focus: JSON.stringify({ chips }),
  };
  const url = `/api/flows/${studio.flow}/tables/${port.key}/rows`;
  /** @type {RowsFound | undefined} */
  const found = await attempt(() => api(`${url}?${new URLSearchParams(query)}`));
  if (!found) return null;
  const names = port.columns.map(({ name }) => name);
  const own = conditions.map(({ column }) => names.indexOf(column)).filter((n) => n >= 0);
  const near = [...own, ...names.keys()]
    .filter((n, at, all) => all.indexOf(n) === at)
    .slice(0, COLUMNS);
  const head = near.map((n) => h("th", { scope: "col" }, names[n]));
  const body = found.rows.map((row) =>
    h(
      "tr",
      {},
      near.map((n) => cellOf(row[n])),
    ),
  );
  const table = h(
    "table",
    { class: "wide-rows" },
    h("thead", {}, h("tr", {}, head)),
    h("tbody", {}, body),
  );
  return { table, total: found.total };
}
