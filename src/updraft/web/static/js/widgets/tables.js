/** A list of tables in an order, for a port that takes many. */
import { h, icon } from "../dom.js";
import { removeButton, select } from "./basic.js";

/**
 * `tables` are [reference, title]; `taken` the references chosen; `take` gets the new list.
 * @param {string[][]} tables each as it is referred to, and its title
 * @param {string[]} taken
 * @param {string} label
 * @param {(value: any) => void} take
 */
export function severalTables(tables, taken, label, take) {
  const titles = new Map(tables.map(([ref, title]) => [ref, title]));
  const swapped = (/** @type {number} */ from, /** @type {number} */ to) => {
    const list = [...taken];
    [list[from], list[to]] = [list[to], list[from]];
    return list;
  };
  const rows = taken.map((ref, at) =>
    h(
      "li",
      { class: "port-table" },
      h("span", { class: "grow" }, titles.get(ref) ?? `${ref} (not here)`),
      h(
        "button",
        {
          type: "button",
          class: "x",
          disabled: at === 0,
          "aria-label": `Move ${titles.get(ref) ?? ref} up`,
          title: "Move up",
          onclick: () => take(swapped(at, at - 1)),
        },
        icon("arrow-up"),
      ),
      removeButton(titles.get(ref) ?? ref, () => take(taken.filter((other) => other !== ref))),
    ),
  );
  const rest = tables.filter(([ref]) => !taken.includes(ref));
  const add = rest.length
    ? select([["", "add a table…"], ...rest], "", `${label}: add a table`, (ref) => {
        if (ref) take([...taken, ref]);
      })
    : null;
  return h("div", {}, rows.length ? h("ol", { class: "port-tables" }, rows) : null, add);
}
