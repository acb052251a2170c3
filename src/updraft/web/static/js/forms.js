/**
 * Draw the form of a step from the JSON Schema of its settings. Each property names the widget it
 * wants.
 */
import { freshId, h, icon } from "./dom.js";
import { resolved } from "./schema.js";
import { basics } from "./widgets/basic.js";
import { columnWidgets } from "./widgets/columns.js";
import { fileWidgets } from "./widgets/file.js";
import { textWidgets } from "./widgets/fileText.js";
import { flowFileWidgets } from "./widgets/flowFile.js";
import { formulaWidgets } from "./widgets/formula.js";
import { outsideWidgets } from "./widgets/outside.js";
import { partWidgets } from "./widgets/parts.js";
import { pairWidgets } from "./widgets/pairs.js";
import { typeWidgets } from "./widgets/types.js";
import { alikeWidgets } from "./widgets/alike.js";
import { figureWidgets } from "./widgets/figures.js";
import { itemWidgets } from "./widgets/items.js";
import { referenceWidgets } from "./widgets/reference.js";
import { ruleWidgets } from "./widgets/rule.js";
import { sheetWidgets } from "./widgets/sheet.js";

/** @type {Record<string, Widget>} */
export const widgets = {
  ...basics,
  ...columnWidgets,
  ...ruleWidgets,
  ...pairWidgets,
  ...typeWidgets,
  ...fileWidgets,
  ...textWidgets,
  ...flowFileWidgets,
  ...outsideWidgets,
  ...sheetWidgets,
  ...partWidgets,
  ...alikeWidgets,
  ...figureWidgets,
  ...itemWidgets,
  ...formulaWidgets,
  ...referenceWidgets,
};

/**
 * @typedef {object} Property a setting's JSON Schema as far as it is read here, with the hints of
 *   its kind
 * @property {string} title
 * @property {string} [description]
 * @property {any} [default]
 * @property {string} [widget]
 * @property {any} [items] of a list
 * @property {any[]} [anyOf]
 * @property {string[]} [enum]
 * @property {string} [type]
 * @property {number} [minimum]
 * @property {number} [maximum]
 * @property {string} [port] whose columns it offers
 * @property {string[]} [kinds] of columns that fit
 * @property {string} [kind] of the only columns it offers
 * @property {string} [ending] of the files it offers
 * @property {string} [none] what no file is called
 * @property {string[]} [only] formats of files that it is about
 * @property {Record<string, any[]>} [when] other settings, and with which values it matters
 * @property {[any, string][]} [labels] its values, each with how it is called
 * @property {string} [among] another setting, whose columns it offers
 * @property {string} [begun] how it begins with the column that is looked at
 * @property {string} [needs] one or some
 * @property {string} [open] what is done where it is left open
 * @property {string} [one] what one of a list is called
 * @property {string} [of] what kind of connection
 * @property {boolean} [blanks] they count
 * @property {boolean} [more] it stands behind “More”
 * @property {boolean} [optional]
 * @property {boolean} [detect]
 * @property {any} [figures]
 * @property {any} [signs]
 *
 * @typedef {{properties?: Record<string, any>, $defs?: Record<string, any>}} Schema of all settings
 *
 * @typedef {object} Field what a widget is given
 * @property {string} name of the setting
 * @property {string} id of its control
 * @property {Property} property
 * @property {Schema} schema
 * @property {import("./stepForm.js").FormContext} context
 * @property {Form} form
 * @property {any} value
 * @property {(value: any) => void} set
 */

/**
 * Draws a setting, and sets it as a person changes it.
 * @callback Widget
 * @param {Field} field
 * @returns {any} the element
 */

export class Form {
  /**
   * @param {any} context what widgets may ask for: columns(port), values(column, search),
   *   formats(column, kind), files(), begun(): the column that was looked at when the step was
   *   made, upload(file)
   * @param {{settings: any, change: (some: any) => void}} model who owns the settings: a step's
   *   draft, or a `Local`
   */
  constructor(schema, model, context) {
    this.schema = schema;
    /** @type {any} the flow that is the step's part, once it is known */
    this.part = undefined;
    /** what is known of the part, and of the table outside: by what they were asked */
    this.partKey = "";
    this.outsideKey = "";
    /** @type {any[] | undefined} columns of a table outside, once they are known */
    this.outside = undefined;
    this.model = model;
    this.context = context;
    this.element = h("div", { class: "form" });
    this.fields = new Map();
    this.draw();
  }

  /**
   * The settings as their owner has them; widgets read them, and change them by `set` and `change`.
   */
  get settings() {
    return this.model.settings;
  }

  /** Change several settings at once. */
  change(some) {
    this.model.change(some);
    this.showWhen();
    for (const name of Object.keys(some)) this.context.chosen?.(name, this);
  }

  draw() {
    const more = h("details", { class: "more" }, h("summary", {}, "More about how it is read"));
    for (const [name, raw] of Object.entries(this.schema.properties ?? {})) {
      const property = { ...raw, ...resolved(raw, this.schema), ...pick(raw) };
      if (property.widget === "hidden") continue;
      const field = this.make(name, property);
      this.fields.set(name, { field, property });
      (property.more ? more : this.element).append(field);
    }
    if (more.children.length > 1) this.element.append(more);
    this.showWhen();
  }

  make(name, property) {
    const field = (widgets[property.widget] ?? widgets.text)({
      name,
      id: freshId(name),
      property,
      schema: this.schema,
      context: this.context,
      form: this,
      value: structuredClone(this.settings[name] ?? property.default ?? null),
      set: (value) => this.change({ [name]: value }),
    });
    field.append(h("div", { class: "field-says", hidden: true, id: `${name}-says` }));
    return field;
  }

  /** Draw one field anew, since what it offers has changed. */
  remake(name) {
    const known = this.fields.get(name);
    if (!known) return;
    const field = this.make(name, known.property);
    field.hidden = known.field.hidden;
    known.field.replaceWith(field);
    known.field = field;
  }

  /** Show only the fields that matter for what is chosen elsewhere in the form. */
  showWhen() {
    for (const { field, property } of this.fields.values()) {
      const rules = Object.entries(property.when ?? {});
      if (rules.length)
        field.hidden = rules.some(
          ([other, values]) =>
            !values.includes(this.settings[other] ?? this.schema.properties[other]?.default),
        );
    }
  }

  /**
   * Take what was detected in a file: fields that do not fit its format are hidden, the others say
   * what was found.
   */
  detected(found) {
    this.found = found;
    for (const [name, { field, property }] of this.fields) {
      if (property.only) field.hidden = !property.only.includes(found.format);
      this.tellFound(name, field, found);
    }
    this.element.dispatchEvent(new CustomEvent("detected", { detail: found }));
  }

  /** Below a field that is left open: what was found for it, and why. */
  tellFound(name, field, found) {
    const set = this.settings[name],
      open = set === null || set === undefined || set === "" || set.length === 0;
    const told = open ? (field.foundText ?? ((f) => f.reasons[name]))(found) : "";
    const says =
      field.querySelector(":scope > .field-found") ??
      field.appendChild(h("div", { class: "field-found field-detected" }));
    says.replaceChildren(...(told ? [icon("search"), ` ${told}`] : []));
    says.hidden = !told;
  }

  /** Put a problem at the field it belongs to, and at all others that are still open what they need; true when
   * the problem has its place. */
  say(problem) {
    let placed = false;
    for (const [name, { field }] of this.fields) {
      const here = problem && problem.field === name;
      const open = here ? "" : problem?.code === "unfinished" ? this.needed(name) : "";
      const says = field.querySelector(":scope > .field-says");
      field.classList.toggle("field-problem", Boolean(here || open));
      field.classList.toggle("unfinished", Boolean(here ? problem.code === "unfinished" : open));
      says.hidden = !here && !open;
      says.textContent = here ? problem.text : open;
      if (here) field.closest("details")?.setAttribute("open", "");
      placed ||= here;
    }
    return placed;
  }

  /** What a field that is shown and empty needs, in words; "" where it needs nothing. */
  needed(name) {
    const { field, property } = this.fields.get(name);
    const value = this.settings[name] ?? property.default ?? "";
    const empty =
      typeof value === "string" ? !(property.blanks ? value : value.trim()) : value.length === 0;
    if (!property.needs || !empty || field.hidden) return "";
    const said = property.needs.join(" ");
    return said[0].toUpperCase() + said.slice(1);
  }

  focusFirst() {
    const all = "input:not([type=radio]), select, textarea, input:checked, button, summary";
    for (const one of this.element.querySelectorAll(all)) {
      one.focus(); // one that is not in sight takes no focus
      if (document.activeElement === one) return;
    }
  }
}

const pick = ({ title, description, widget, ...rest }) => ({
  ...(title ? { title } : {}),
  description: description ?? "",
  widget,
  ...rest,
});
