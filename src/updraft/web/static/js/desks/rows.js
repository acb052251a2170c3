/** A few rows that meet a condition, the column that is worked on first; shared by wide desks. */
import { api, attempt } from "../api.js";
import { h } from "../dom.js";

const ROWS = 8,
  COLUMNS = 6;

/** A value with the blanks at its ends made visible, as one text. */
export const blanksShown = (value) =>
  String(value).replace(/^[ \u00a0]+|[ \u00a0]+$/g, (blanks) => "␣".repeat(blanks.length));

/** A cell of a small table, as a person reads it. */
export const cellOf = (value, looks = "") =>
  h(
    "td",
    { dir: "auto", class: looks || null },
    value === null ? h("i", {}, "empty") : blanksShown(value),
  );

/** The rows as a table, and how many there are in all; null where they cannot be had. */
export async function sampleRows(studio, port, column, condition) {
  const chip = { label: "", column, conditions: [{ column, ...condition }] };
  const query = {
    offset: "0",
    limit: String(ROWS),
    output: port.output,
    focus: JSON.stringify({ chips: [chip] }),
  };
  const url = `/api/flows/${studio.flow}/tables/${port.key}/rows`;
  const found = await attempt(() => api(`${url}?${new URLSearchParams(query)}`));
  if (!found) return null;
  const names = port.columns.map(({ name }) => name);
  const own = names.indexOf(column);
  const near = [own, ...names.keys()]
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
