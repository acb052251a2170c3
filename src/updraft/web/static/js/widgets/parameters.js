/** A control for a parameter's value, by its kind. */
import { h } from "../dom.js";
import { select } from "./basic.js";

export const KINDS = [
  ["text", "text"],
  ["whole", "whole number"],
  ["number", "number"],
  ["date", "day"],
  ["yes_no", "yes or no"],
  ["choice", "one of a list"],
  ["list", "several values"],
];
const YES_NO = [
  ["yes", "yes"],
  ["no", "no"],
];

/** @type {Record<string, string | undefined>} what a telephone shows for a kind */
const KEYBOARDS = { whole: "numeric", number: "decimal" };

/**
 * `change(value)` is called with every change; a parameter of several values gives a list.
 * @param {any} parameter
 * @param {any} value
 * @param {{id?: string | null, label: string, change: (value: any) => void}} how
 */
export function valueControl(parameter, value, { id = null, label, change }) {
  if (parameter.kind === "yes_no") {
    return select(YES_NO, /^(yes|true|1)$/i.test(value) ? "yes" : "no", label, change, { id });
  }
  if (parameter.kind === "choice") {
    const options = (parameter.options ?? []).map((/** @type {string} */ option) => [
      option,
      option,
    ]);
    return select(options, value, label, change, { id });
  }
  if (parameter.kind === "list") {
    const lines = (/** @type {string} */ text) =>
      text
        .split("\n")
        .map((/** @type {string} */ line) => line.trim())
        .filter(Boolean);
    /** @type {HTMLTextAreaElement} */
    const area = h("textarea", {
      id,
      rows: 3,
      class: "form-control form-control-sm",
      "aria-label": label,
      placeholder: "one value a line",
      onchange: () => change(lines(area.value)),
    });
    area.value = Array.isArray(value) ? value.join("\n") : value;
    return area;
  }
  return h("input", {
    id,
    type: "text",
    inputmode: KEYBOARDS[parameter.kind],
    list: parameter.kind === "date" ? "day-phrases" : null,
    class: "form-control form-control-sm",
    "aria-label": label,
    placeholder: parameter.kind === "date" ? "first of last month" : "usual value",
    value,
    onchange: (event) => change(event.target.value),
  });
}

/** Usual names of days that are counted from today. */
export const DAYS = [
  "today",
  "yesterday",
  "today - 7 days",
  "first of this month",
  "first of last month",
  "last of last month",
  "first of this year",
  "monday of this week",
  "monday of last week",
];

/** What a day can be called; once on a page that has such a control. */
export const dayPhrases = () =>
  h(
    "datalist",
    { id: "day-phrases" },
    DAYS.map((value) => h("option", { value })),
  );
