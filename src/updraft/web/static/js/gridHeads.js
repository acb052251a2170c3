/**
 * The heads of the grid's columns: the name, a way to sort for reading, a small picture, and what
 * the values tell.
 */
import { h, icon } from "./dom.js";

/**
 * The type of a column in words, and what its values tell: “text · 24 values”, “3 empty · whole”.
 * What finds no room is left out as a whole.
 */
function factOf(column, facts) {
  const type = column.kind.replace("_", "/").replace("datetime", "date, time");
  const parts = !facts?.fact
    ? [type]
    : facts.alert
      ? [facts.fact, ` · ${type}`]
      : [type, ...facts.fact.replace(/^/, " · ").split(/(?= values$)/)];
  return parts.map((part) => h("span", {}, part));
}

/** Two heads that say the same look the same. */
export function saidOf(grid, column, facts) {
  const sorted = grid.view.sort === column.name && (grid.view.desc ? "down" : "up");
  return JSON.stringify([
    column.kind,
    column.kind_title,
    column.origin,
    facts?.fact,
    facts?.alert,
    facts?.bars,
    sorted,
  ]);
}

/** @param {import("./grid.js").TableGrid} grid */
export function headOf(grid, column, facts) {
  const sorted = grid.view.sort === column.name;
  const next = !sorted ? "up" : grid.view.desc ? "off" : "down";
  const bars = (facts?.bars ?? []).map((height) => {
    const bar = h("span");
    bar.style.height = `${Math.max(height * 100, 4)}%`;
    return bar;
  });
  // The whole head opens its column; a count of empties opens its rows. Keys reach both by the name
  // and the panel.
  const looks = ({ target }) => {
    if (target.closest("button")) return;
    if (facts?.alert && target.closest(".head-fact")) grid.act.showEmpty(column.name);
    grid.act.chooseColumn(column.name);
  };
  return h(
    "div",
    { class: "head", onclick: looks },
    h(
      "div",
      { class: "head-top" },
      h(
        "button",
        {
          type: "button",
          class: "head-name",
          onclick: () => grid.act.chooseColumn(column.name),
          "aria-label": `${column.name}, ${column.kind_title}: show in the panel`,
        },
        column.name,
      ),
      h(
        "button",
        {
          type: "button",
          class: `head-sort${sorted ? " on" : ""}`,
          title: "Sort for reading; the data stays as it is",
          "aria-label": `Sort by ${column.name} for reading`,
          onclick: () => grid.sort(column.name, next),
        },
        icon(sorted ? (grid.view.desc ? "sort-down" : "sort-up") : "arrow-down-up"),
      ),
    ),
    h("div", { class: "head-bars", "aria-hidden": "true" }, bars),
    h(
      "div",
      {
        class: `head-fact${facts?.alert ? " alert-fact" : ""}`,
        title: facts?.fact ? `${column.kind_title}: ${facts.fact}` : column.kind_title,
      },
      factOf(column, facts),
    ),
  );
}
