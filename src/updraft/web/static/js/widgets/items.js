/** A list of small forms: each item is drawn from the schema of what the list holds. */
import { h } from "../dom.js";
import { Local } from "../local.js";
import { resolved } from "../schema.js";
import { group, keepingFocus, removeButton } from "./basic.js";

/**
 * A list whose items are drawn by `draw(item, tell, remove, n)`; `fresh` makes a new one, which is
 * told at once where it is `whole`: what a form shows is what is set, and an item that lacks
 * something is set once it has it.
 * @template {Record<string, any>} Item
 * @param {Item[]} items
 * @param {(item: Item, tell: () => void, remove: () => void, n: number) => HTMLElement} draw
 * @param {() => Item} fresh
 * @param {string} addLabel
 * @param {(items: Item[]) => void} change
 * @param {(item: Item) => boolean} whole
 */
export function listEditor(items, draw, fresh, addLabel, change, whole = (_item) => true) {
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
                place.children[items.length - 1].querySelector("select, input, textarea")?.focus();
                if (whole(items[items.length - 1])) tell();
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

/**
 * What a new item begins with: the usual values of its fields.
 * @param {import("../forms.js").Schema} schema of one
 */
const usual = (schema) =>
  Object.fromEntries(
    Object.entries(schema.properties ?? {})
      .filter(([, property]) => property.default !== undefined)
      .map(([name, property]) => [name, structuredClone(property.default)]),
  );

/**
 * Whether nothing is left open in a new item: every field has a value.
 * @param {import("../forms.js").Schema} schema of one
 * @returns {(item: Record<string, any>) => boolean}
 */
const isWhole = (schema) => (item) =>
  Object.keys(schema.properties ?? {}).every((name) => ![undefined, ""].includes(item[name]));

/**
 * Rules written as lines of text: those that were understood take the place of the list.
 * @param {import("../forms.js").Field} field
 * @param {(found: any) => void} take
 */
function fromText(field, take) {
  const area = h("textarea", {
    class: "form-control form-control-sm",
    rows: 4,
    "aria-label": "Rules as lines of text",
    placeholder: "if germination >= 85 and lot is filled then sow; otherwise discard",
  });
  const says = h("div", { role: "status" });
  const read = async () => {
    const found = await field.context.rules?.(area.value);
    if (!found) return;
    says.replaceChildren(
      h("p", { class: "muted small" }, `${found.rules.length} understood.`),
      ...found.missed.map((/** @type {Record<string, any>} */ one) =>
        h("p", { class: "said-problem" }, h("strong", {}, one.text), ` ${one.reason}`),
      ),
    );
    if (found.rules.length || found.otherwise !== null) take(found);
  };
  return h(
    "details",
    { class: "more" },
    h("summary", {}, "Write or paste rules as text"),
    area,
    h("button", { type: "button", class: "btn btn-quiet btn-sm mt-1", onclick: read }, "Read them"),
    says,
  );
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const itemWidgets = {
  /** A list of rules, which may also be read from text; what was not understood stays in sight. */
  rules(field) {
    let list = itemWidgets.items(field);
    const { form, name } = field;
    const other = "value" in (field.schema.properties ?? {}) ? "value" : "otherwise";
    const read = fromText(field, ({ rules: found, otherwise }) => {
      const value = found.map((/** @type {{when: any, then: any}} */ { when, then }) => ({
        when,
        then,
        calculated: false,
      }));
      form.change({ [name]: value, ...(otherwise === null ? {} : { [other]: otherwise }) });
      const drawn = itemWidgets.items({ ...field, value });
      list.replaceWith(drawn);
      list = drawn;
      if (otherwise !== null) form.remake(other);
    });
    return h("div", {}, list, read);
  },

  /** Rows that somebody picked in the table, by the values of their key. */
  picked(field) {
    const rows = field.value ?? [];
    const list = h(
      "ul",
      { class: "picked-rows" },
      rows.map((/** @type {Record<string, any>} */ row, /** @type {number} */ n) =>
        h(
          "li",
          {},
          h(
            "span",
            { class: "name" },
            row.key.map((/** @type {string} */ text) => text || "empty").join(" · "),
          ),
          removeButton(`row ${n + 1}`, () => {
            field.set(
              rows.filter((/** @type {unknown} */ _, /** @type {number} */ at) => at !== n),
            );
            field.form.remake(field.name);
          }),
        ),
      ),
    );
    return group(field, rows.length ? list : h("p", { class: "muted small" }, "None yet."));
  },

  items(field) {
    const schema = { ...resolved(field.property.items, field.schema), $defs: field.schema.$defs };
    const one = field.property.one ?? "line";
    const items = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      ...item,
    }));
    if (!items.length && field.property.begun) items.push(usual(schema));
    const draw = (
      /** @type {Record<string, any>} */ item,
      /** @type {() => void} */ tell,
      /** @type {() => void} */ remove,
      /** @type {number} */ n,
    ) => {
      const model = new Local(item, (settings) => {
        Object.assign(item, settings);
        tell();
      });
      const form = new /** @type {typeof import("../forms.js").Form} */ (field.form.constructor)(
        schema,
        model,
        field.context,
      );
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
      listEditor(items, draw, () => usual(schema), `+ ${one}`, field.set, isWhole(schema)),
    );
  },
};
