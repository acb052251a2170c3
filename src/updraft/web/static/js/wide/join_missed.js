/** Keys of a join without a match, those of most rows first, with the nearest spelling. */
import { count, h } from "../dom.js";
import { cellOf } from "./rows.js";

/**
 * @param {import("./answers.d.ts").Met | null} met how the rows meet, where that is known
 * @param {object} of what is asked
 * @param {Record<string, any>} of.settings of the step
 * @param {string[]} of.told the columns that tell a row
 * @param {string} of.other what the other table is called
 * @param {(old: string, fresh: string, column: string) => void} of.recode
 * @returns {HTMLElement[]}
 */
export function missedRows(met, { settings, told, other, recode }) {
  const missed = met?.missed ?? [];
  if (!missed.length) {
    return met ? [h("p", { class: "muted" }, "Every row whose keys are not empty meets one.")] : [];
  }
  const { keys, by, near_reference } = settings;
  const nothing = by === "range" ? "in no range" : "nothing near";
  const its = (/** @type {number} */ at) => keys[at]?.column ?? near_reference; // what is near is near in the other's
  const rows = missed.map(([values, many, near, , at]) =>
    h(
      "tr",
      {},
      values.map((value) => cellOf(value)),
      h("td", { class: "n" }, count(many)),
      h(
        "td",
        {},
        near && told.length > 1 ? h("span", { class: "muted small" }, `${its(at)} `) : "",
        near ?? h("span", { class: "muted" }, nothing),
      ),
      h(
        "td",
        {},
        near && keys[at]
          ? h(
              "button",
              {
                type: "button",
                class: "tiny-button",
                "aria-label": `Recode ${values[at]} as ${near}`,
                onclick: () => recode(values[at], near, keys[at].column),
              },
              "Recode",
            )
          : "",
      ),
    ),
  );
  const more = (met?.missed_in_all ?? 0) - missed.length;
  return [
    h("h3", { class: "eyebrow" }, "What did not meet"),
    h(
      "table",
      { class: "wide-rows" },
      h(
        "thead",
        {},
        h(
          "tr",
          {},
          told.map((column) => h("th", { scope: "col" }, column)),
          h("th", { scope: "col" }, "rows"),
          h("th", { scope: "col" }, `nearest in ${other}`),
          h("th", { scope: "col" }, h("span", { class: "visually-hidden" }, "What to do")),
        ),
      ),
      h("tbody", {}, rows),
    ),
    ...(more > 0 ? [h("p", { class: "muted small" }, `and ${count(more)} more`)] : []),
  ];
}
