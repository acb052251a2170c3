/** The first rows of what a step gives, to look at while its settings change. */
import { api } from "../api.js";
import { count, h } from "../dom.js";
import { cellOf } from "./rows.js";

const ROWS = 30;
/** @type {WeakMap<HTMLElement, string>} the table that is shown in a place, by its key */
const shown = new WeakMap();

/**
 * @param {HTMLElement} place
 * @param {import("../studio.js").Studio} studio
 * @param {import("../contract.d.ts").TableShown | null} table
 * @param {import("../contract.d.ts").ProblemShown | null} problem rows then are told to be those
 *   that come in
 */
export async function drawResult(place, studio, table, problem) {
  if (!table || shown.get(place) === table.key) return;
  shown.set(place, table.key);
  const query = new URLSearchParams({ offset: "0", limit: String(ROWS), output: table.output });
  /** @type {import("./answers.d.ts").RowsFound | null} */
  const found = await api(`/api/flows/${studio.flow}/tables/${table.key}/rows?${query}`).catch(
    () => null,
  );
  if (!found || shown.get(place) !== table.key) return;
  const touched = new Set(table.touched);
  const head = table.columns.map(({ name, kind_title }) =>
    h("th", { scope: "col" }, name, h("span", { class: "muted small" }, ` ${kind_title}`)),
  );
  const body = found.rows.map((row) =>
    h(
      "tr",
      {},
      table.columns.map(({ name }, n) => cellOf(row[n], touched.has(name) ? "is-made" : "")),
    ),
  );
  const told = `The first ${count(found.rows.length)} of ${count(table.rows)} rows${problem ? ", as they come in" : ""}.`;
  place.replaceChildren(
    h(
      "div",
      { class: "gives-scroll", tabindex: "0", role: "group", "aria-label": "First rows" },
      h("table", { class: "wide-rows" }, h("thead", {}, h("tr", {}, head)), h("tbody", {}, body)),
    ),
    h("p", { class: "muted small" }, told),
  );
  // What the step made is seen without scrolling.
  const made = /** @type {HTMLElement | null} */ (place.querySelector(".is-made"));
  const scroller = place.firstElementChild;
  if (made && scroller && made.offsetLeft + made.offsetWidth > scroller.clientWidth)
    scroller.scrollLeft = made.offsetLeft - scroller.clientWidth / 2;
}
