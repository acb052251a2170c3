/** Widgets for single values: text, number, yes/no, one of a few. */
import { freshId, h } from "../dom.js";

/**
 * @typedef {import("../forms.js").Field} Field
 * @typedef {readonly any[]} Option a key, its text, and whether it cannot be chosen
 */

/**
 * The columns that a field chooses from: of the port that its setting names, else of the table that
 * comes in.
 * @param {import("../forms.js").Field} field
 */
export const columnsOf = (field) => field.context.columns(field.property.port ?? "table");

/**
 * A labelled field; the control that has the label's id is described by the help text.
 * @param {{property: import("../forms.js").Property, id: string}} field
 * @param {any[]} controls
 */
export function labelled({ property, id }, ...controls) {
  const help = property.description
    ? h("span", { class: "help", id: `${id}-help` }, property.description)
    : null;
  const field = h(
    "div",
    { class: "field" },
    h("div", { class: "field-line" }, h("label", { for: id }, property.title), help),
    ...controls,
  );
  if (help) field.querySelector(`[id="${id}"]`)?.setAttribute("aria-describedby", `${id}-help`);
  return field;
}

/**
 * A titled group of controls.
 * @param {{property: import("../forms.js").Property}} field
 * @param {any[]} controls
 */
export function group({ property }, ...controls) {
  return h(
    "fieldset",
    { class: "field" },
    h(
      "legend",
      {},
      property.title,
      property.description ? h("span", { class: "help" }, property.description) : null,
    ),
    ...controls,
  );
}

/**
 * A number, or `{params.name}` for a parameter that is one. What is neither is said while it is
 * typed, and does not become the setting.
 * @param {Field} field
 * @param {RegExp} written how it is written
 * @param {string} what it is, in words
 */
function figure(field, written, what) {
  const optional = field.property.default === null;
  const all = field.context.parameters?.() ?? [];
  const parameters = all.filter((/** @type {Record<string, any>} */ one) =>
    ["whole", "number"].includes(one.kind),
  );
  const list = h(
    "datalist",
    { id: freshId("parameters") },
    parameters.map((one) => h("option", { value: `{params.${one.name}}` }, String(one.value))),
  );
  const says = h("div", { class: "said-problem", id: freshId("says"), role: "status" });
  const take = () => {
    const text = input.value.trim();
    const used = /^\{params\.([a-z][a-z0-9_]*)\}$/.exec(text);
    const fits = used ? parameters.some((one) => one.name === used[1]) : written.test(text);
    const problem =
      fits || (text === "" && optional)
        ? ""
        : used
          ? `The flow has no parameter “${used[1]}” that is a number.`
          : `“${text}” is no ${what}. Type digits, or {params.name} for a parameter.`;
    says.textContent = text === "" ? "" : problem;
    input.setAttribute("aria-invalid", String(text !== "" && problem !== ""));
    if (!problem) field.set(text === "" ? null : used ? text : Number(text));
  };
  const input = h("input", {
    type: "text",
    inputmode: what === "number" ? "decimal" : "numeric",
    class: "form-control form-control-sm",
    id: field.id,
    value: field.value ?? "",
    list: parameters.length ? list.id : null,
    autocomplete: "off",
    "aria-describedby": says.id,
    placeholder: optional ? (field.property.open ?? "found by itself") : null,
    oninput: take,
  });
  return labelled(field, input, list, says);
}

/**
 * A row of radio buttons that looks like one control.
 * @param {readonly Option[]} options
 * @param {any} value
 * @param {string} label
 * @param {(key: any) => void} change
 */
export function choice(options, value, label, change) {
  const name = freshId("choice");
  const row = h(
    "div",
    { class: "pick", role: "radiogroup", "aria-label": label },
    options.map(([key, text]) =>
      h(
        "label",
        {},
        h("input", {
          type: "radio",
          name,
          value: key ?? "",
          checked: key === value,
          onchange: () => change(key),
        }),
        h("span", {}, text),
      ),
    ),
  );
  stacking.observe(row);
  return row;
}

/**
 * Choices that do not fit beside each other stand below each other, all of them: no ragged second
 * line.
 */
const stacking = new ResizeObserver((entries) => {
  for (const { target } of entries) {
    target.classList.remove("is-stacked");
    target.classList.toggle("is-stacked", target.scrollWidth > target.clientWidth + 1);
  }
});

/** @param {string} what @param {() => void} act */
export const removeButton = (what, act) =>
  h(
    "button",
    { type: "button", class: "x", "aria-label": `Remove ${what}`, title: "Remove", onclick: act },
    "✕",
  );

/**
 * @param {readonly Option[]} options
 * @param {string | null | undefined} value one that is not among them stays, and is said
 * @param {string} label
 * @param {(value: string) => void} change
 * @param {object} extra attributes
 */
export function select(options, value, label, change, extra = {}) {
  /** @type {HTMLSelectElement} */
  const element = h("select", {
    class: "form-select form-select-sm",
    "aria-label": label,
    onchange: () => change(element.value),
    ...extra,
  });
  const known = options.some(([key]) => key === value);
  if (!known)
    element.append(
      h(
        "option",
        { value: value ?? "", selected: true },
        !value ? "choose…" : options.length ? `${value} (not here)` : value,
      ),
    );
  element.append(
    ...options.map(([key, text, unfit]) =>
      h("option", { value: key, selected: key === value, disabled: unfit || null }, text),
    ),
  );
  return element;
}

/**
 * Draw a place anew and put the focus back on the control that had it (told by its label and its
 * turn).
 * @param {HTMLElement} place
 * @param {() => void} draw
 */
export function keepingFocus(place, draw) {
  const active = document.activeElement,
    label = active && place.contains(active) ? active.getAttribute("aria-label") : null;
  const alike = () =>
    [.../** @type {NodeListOf<HTMLElement>} */ (place.querySelectorAll("[aria-label]"))].filter(
      (element) => element.getAttribute("aria-label") === label,
    );
  const turn = label ? alike().indexOf(/** @type {HTMLElement} */ (active)) : -1;
  draw();
  if (turn >= 0) alike()[turn]?.focus();
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const basics = {
  text(field) {
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: field.id,
      value: field.value ?? "",
      spellcheck: "false",
      oninput: () =>
        field.set(input.value === "" && field.property.default === null ? null : input.value),
    });
    return labelled(field, input);
  },
  number: (field) => figure(field, /^[+-]?\d{1,15}$/, "whole number"),
  decimal: (field) => figure(field, /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i, "number"),
  lines(field) {
    /** @type {HTMLTextAreaElement} */
    const area = h("textarea", {
      class: "form-control form-control-sm",
      id: field.id,
      rows: 3,
      spellcheck: "false",
      oninput: () =>
        field.set(
          area.value
            .split("\n")
            .map((line) => line.trim())
            .filter(Boolean),
        ),
    });
    area.value = (field.value ?? []).join("\n");
    return labelled(field, area);
  },
  flag(field) {
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "checkbox",
      class: "form-check-input",
      id: field.id,
      checked: Boolean(field.value),
      onchange: () => field.set(input.checked),
    });
    return h(
      "div",
      { class: "field-flag" },
      h(
        "div",
        { class: "flag" },
        input,
        h(
          "div",
          {},
          h("label", { for: field.id }, field.property.title),
          field.property.description
            ? h("span", { class: "help" }, ` ${field.property.description}`)
            : null,
        ),
      ),
    );
  },
  pick_one(field) {
    const options = field.property.labels ?? [];
    return labelled(
      field,
      select(options, field.value, field.property.title, field.set, { id: field.id }),
    );
  },
  choice(field) {
    const options = [...(field.property.labels ?? [])];
    if (field.property.detect) options.unshift([null, "find it"]);
    return group(field, choice(options, field.value ?? null, field.property.title, field.set));
  },
};
