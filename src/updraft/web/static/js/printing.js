/**
 * Printing: the table at hand as a plain table, since the grid draws only the rows that are on the
 * screen.
 */
import { shownCell } from "./gridCells.js";
import { byId, count, h, plural } from "./dom.js";

const MOST = 500; // rows on paper
const SHORT = 24; // characters that stand in one line

/** @param {any} studio */
export function printing(studio) {
  const place = byId("printed");
  addEventListener("beforeprint", () => place.replaceChildren(...sheet(studio)));
  addEventListener("afterprint", () => place.replaceChildren());
}

function sheet({ table, grid, state, selected }) {
  if (!table) return [];
  const { first, rows } = grid.atHand(MOST);
  const { label } = state.steps[selected];
  const which =
    rows.length === grid.length
      ? plural(grid.length, "row", "rows")
      : `rows ${count(first + 1)} to ${count(first + rows.length)} of ${count(grid.length)}; a step that writes a file gives them all`;
  const cell = (row, column, index) => {
    const shown = shownCell({ ...column, index }, row, grid.apart(column.name));
    const said = h("td", { dir: "auto", class: column.kind }, shown.html ?? shown);
    said.classList.toggle("short", said.textContent.length <= SHORT);
    return said;
  };
  return [
    h("h1", {}, state.name),
    h("p", {}, `After “${label}”: ${which}.`),
    h(
      "table",
      {},
      h(
        "thead",
        {},
        h(
          "tr",
          {},
          table.columns.map((column) => h("th", { scope: "col", dir: "auto" }, column.name)),
        ),
      ),
      h(
        "tbody",
        {},
        rows.map((row) =>
          h(
            "tr",
            {},
            table.columns.map((column, at) => cell(row, column, at)),
          ),
        ),
      ),
    ),
  ];
}
