/** The widget that gives columns their types: each with the forms that its values are written in. */
import { data, h } from "../dom.js";
import { columnsOf, group, keepingFocus, removeButton, select } from "./basic.js";
import { columnOptions } from "./columns.js";
import { listEditor } from "./items.js";

/**
 * Whether numbers stand with currency, percent or units, and what each unit counts for.
 * @param {Record<string, any>} item
 * @param {() => void} tell
 */
function dress(item, tell) {
  const written = (/** @type {{unit: string, times: number}[] | undefined} */ units) =>
    (units ?? []).map(({ unit, times }) => `${unit} = ${times}`).join(", ");
  const read = (/** @type {string} */ text) =>
    text
      .split(",")
      .map((part) => part.split("=").map((side) => side.trim()))
      .filter(([unit]) => unit)
      .map(([unit, times]) => ({ unit, times: Number(times ?? 1) || 1 }));
  const units = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    "aria-label": "Units and what each counts for",
    placeholder: "g = 1, kg = 1000",
    value: written(item.units),
    onchange: () => {
      item.units = read(units.value);
      tell();
    },
  });
  const box = h("input", {
    type: "checkbox",
    class: "form-check-input",
    checked: Boolean(item.dressed),
    onchange: () => {
      item.dressed = box.checked;
      units.hidden = !box.checked;
      tell();
    },
  });
  units.hidden = !item.dressed;
  const place = h(
    "div",
    { class: "dress" },
    h("label", { class: "small" }, box, " with currency, percent, brackets or units"),
    units,
  );
  if (item.type !== "number" && item.type !== "whole") place.hidden = true;
  return place;
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const typeWidgets = {
  types(field) {
    const { formats, titles } = data("formats");
    const columns = columnsOf(field);
    const options = ["text", "whole", "number", "yes_no", "date", "datetime"].map((kind) => [
      kind,
      titles[kind],
    ]);
    const items = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      formats: [],
      ...item,
    }));
    const draw = (
      /** @type {Record<string, any>} */ item,
      /** @type {() => void} */ tell,
      /** @type {() => void} */ remove,
    ) => {
      const place = h("div", { class: "formats" });
      const show = () =>
        keepingFocus(place, () => {
          const offered = (formats[item.type] ?? []).filter(
            (/** @type {string} */ form) => !item.formats.includes(form),
          );
          place.hidden = !formats[item.type];
          place.replaceChildren(
            ...item.formats.map((/** @type {string} */ form, /** @type {number} */ n) =>
              h(
                "span",
                { class: "format" },
                form,
                h(
                  "button",
                  {
                    type: "button",
                    "aria-label": `Remove format ${form}`,
                    onclick: () => {
                      item.formats = item.formats.filter(
                        (/** @type {unknown} */ _, /** @type {number} */ m) => m !== n,
                      );
                      show();
                      tell();
                    },
                  },
                  "✕",
                ),
              ),
            ),
            select(
              [
                ["", item.formats.length ? "another format…" : "format…"],
                ...offered.map((/** @type {string} */ form) => [form, form]),
              ],
              "",
              "Add a format",
              add,
              { class: "form-select form-select-sm w-auto" },
            ),
            item.type === "number" || item.type === "whole"
              ? ""
              : h("input", {
                  type: "text",
                  class: "form-control form-control-sm font-monospace",
                  placeholder: "or type: D.M.YYYY",
                  "aria-label": "Type a format",
                  onchange: (event) => add(event.target.value.trim()),
                }),
          );
        });
      const add = (/** @type {string} */ form) => {
        if (form && !item.formats.includes(form)) {
          item.formats = [...item.formats, form];
          show();
          tell();
        }
      };
      const guess = async () => {
        const asked = `${item.column} ${item.type}`;
        item.formats = [];
        show();
        tell();
        const found =
          item.column && ["date", "datetime", "number"].includes(item.type)
            ? ((await field.context.formats(item.column, item.type)) ?? [])
            : [];
        if (asked !== `${item.column} ${item.type}`) return; // another column was chosen meanwhile
        item.formats = item.type === "number" && found.join() === "1,234.5" ? [] : found;
        show();
        tell();
      };
      show();
      return h(
        "div",
        { class: "card-item kind-picker" },
        h(
          "div",
          { class: "row-item" },
          select(columnOptions(columns), item.column, "Column", (value) => {
            item.column = value;
            guess();
          }),
          h("span", { class: "arrow", "aria-hidden": "true" }, "→"),
          select(options, item.type, "Type", (value) => {
            item.type = value;
            guess();
          }),
          removeButton(item.column || "this line", remove),
        ),
        place,
        dress(item, tell),
      );
    };
    return group(
      field,
      listEditor(
        items,
        draw,
        () => ({ column: "", type: "date", formats: [] }),
        "+ column",
        (list) => field.set(list.filter((item) => item.column)),
      ),
    );
  },
};
