/**
 * Widgets for formulas: the name of a column to make, and the formula with its functions and
 * columns at hand.
 */
import { data, freshId, h } from "../dom.js";
import { formulaEditor } from "../editor.js";
import { columnsOf, labelled } from "./basic.js";
import { byExample } from "./byExample.js";

/**
 * All functions, with a search; taking one writes it where the cursor is.
 * @param {(text: string) => void} insert
 */
export function functionList(insert) {
  const list = h("div", { class: "functions" });
  const draw = (search = "") => {
    const low = search.toLowerCase();
    list.replaceChildren(
      ...data("functions")
        .filter((/** @type {any} */ one) =>
          `${one.signature} ${one.help} ${one.group} ${one.words.join(" ")}`
            .toLowerCase()
            .includes(low),
        )
        .map((/** @type {any} */ one) =>
          h(
            "button",
            { type: "button", class: "function", onclick: () => insert(`${one.name}(`) },
            h("code", {}, one.signature),
            h("span", {}, one.help),
            one.example[0]
              ? h("span", { class: "muted" }, `${one.example[0]} → ${one.example[1] || "empty"}`)
              : null,
          ),
        ),
    );
  };
  draw();
  /** @type {HTMLInputElement} */
  const find = h("input", {
    type: "search",
    class: "form-control form-control-sm",
    placeholder: "round, weekday, by group …",
    "aria-label": "Find a function",
    oninput: () => draw(find.value),
  });
  return [find, list];
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const formulaWidgets = {
  column_or_new(field) {
    const list = freshId("names");
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: field.id,
      list,
      value: field.value ?? "",
      spellcheck: "false",
      oninput: () => field.set(input.value),
    });
    const names = columnsOf(field).map((column) => h("option", { value: column.name }));
    return labelled(field, input, h("datalist", { id: list }, names));
  },

  formula(field) {
    const editor = formulaEditor({
      value: field.value ?? "",
      label: field.property.title ?? "",
      id: field.id,
      columns: () => columnsOf(field),
      change: (text) => field.set(text),
    });
    const take = (/** @type {string} */ formula) => {
      editor.set(formula);
      editor.focus();
    };
    field.context.edits?.(editor); // a wide desk has functions and examples beside it
    if (field.context.edits) return labelled(field, editor.element);
    const functions = h(
      "details",
      { class: "more" },
      h("summary", {}, "All functions"),
      functionList((text) => editor.insert(text)),
    );
    return labelled(field, editor.element, byExample(field, take), functions);
  },
};
