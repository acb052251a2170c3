/** A list of small forms: each item is drawn from the schema of what the list holds. */
import { h } from "../dom.js";
import { resolved } from "../schema.js";
import { group, keepingFocus, removeButton } from "./basic.js";

/** A list whose items are drawn by `draw(item, tell, remove, n)`; `fresh` makes a new one. */
export function listEditor(items, draw, fresh, addLabel, change) {
  const place = h("div", { class: "rows" });
  const tell = () => change(items.map((item) => ({ ...item })));
  const redraw = () =>
    keepingFocus(place, () =>
      place.replaceChildren(
        ...items.map((item, n) =>
          draw(
            item,
            tell,
            () => {
              items.splice(n, 1);
              redraw();
              tell();
            },
            n,
          ),
        ),
        h(
          "div",
          { class: "add-row mt-0" },
          h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              onclick: () => {
                items.push(fresh());
                redraw();
                place.children[items.length - 1].querySelector("select, input, textarea").focus();
              },
            },
            addLabel,
          ),
        ),
      ),
    );
  redraw();
  return place;
}

/** What a new item begins with: the usual values of its fields. */
const usual = (schema) =>
  Object.fromEntries(
    Object.entries(schema.properties ?? {})
      .filter(([, property]) => property.default !== undefined)
      .map(([name, property]) => [name, structuredClone(property.default)]),
  );

export const itemWidgets = {
  items(field) {
    const schema = { ...resolved(field.property.items, field.schema), $defs: field.schema.$defs };
    const one = field.property.one ?? "line";
    const items = (field.value ?? []).map((item) => ({ ...item }));
    if (!items.length && field.property.begun) items.push(usual(schema));
    const draw = (item, tell, remove, n) => {
      const form = new field.form.constructor(schema, item, field.context, (settings) => {
        Object.assign(item, settings);
        tell();
      });
      form.element.classList.add("record");
      return h(
        "div",
        { class: "card-item record-card", role: "group", "aria-label": `${one} ${n + 1}` },
        form.element,
        removeButton(`${one} ${n + 1}`, remove),
      );
    };
    return group(
      field,
      listEditor(items, draw, () => usual(schema), `+ ${one}`, field.set),
    );
  },
};
