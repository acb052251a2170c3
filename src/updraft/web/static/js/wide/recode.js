/** The work of Recode values: the column's values with their rows, beside the list of changes. */
import { api, Newest } from "../api.js";
import { count, h, icon, pausing, plural } from "../dom.js";
import { choice, removeButton } from "../widgets/basic.js";
import { pairsOf } from "../widgets/sheet.js";
import { blanksShown, sampleRows } from "./rows.js";

/** @typedef {import("./answers.d.ts").Change} Change */
/** @typedef {string | number | boolean | null} Value */

const MOST = 1000;
const SHOWS = [
  ["open", "without a change"],
  ["all", "all"],
];

export class Work {
  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    this.frame = frame;
    /** @type {[any, number][]} values and their rows, the most frequent first */
    this.values = [];
    /** @type {[any, number][]} the same before anything was searched for */
    this.frequent = [];
    this.distinct = 0; // empty cells are no value here
    /** @type {Map<string, number>} */
    this.rows = new Map();
    this.search = "";
    this.newest = new Newest();
    this.shows = "open";
    /** @type {any} */
    this.chosen = null;
    this.port = frame.main;
    this.list = h("ul", { class: "wide-values", "aria-label": "Values" });
    this.table = h("div", { class: "wide-changes" });
    const hint = h("p", { class: "muted" }, "Go to a value on the left to see its rows.");
    this.sample = h("div", { class: "wide-sample" }, hint);
    this.told = h("p", { class: "muted small" });
    /** @type {Change[]} */
    this.draft = structuredClone(frame.settings.changes ?? []);
    this.element = h("div", { class: "wide-three" }, this.left(), this.middle(), this.right());
    this.load();
  }

  get subject() {
    return this.frame.settings.column || "no column yet";
  }

  sentence() {
    if (!this.frequent.length) return "";
    const open = this.frequent.filter(([value]) => !this.changeOf(value)).length;
    const some = this.frequent.length;
    const of = this.distinct > some ? ` of the ${count(some)} most frequent` : "";
    const has = open === 1 ? "has" : "have";
    return `${plural(this.distinct, "value", "values")}. ${count(open)}${of} ${has} no change.`;
  }

  /** Get the values as they come in, with their rows. */
  async load() {
    const { studio, settings } = this.frame;
    if (!this.port?.known || !settings.column) return;
    const query = { column: settings.column, search: this.search, output: this.port.output };
    const url = `/api/flows/${studio.flow}/tables/${this.port.key}/values`;
    /** @type {{values: [Value, number][], distinct: number} | null | undefined} */
    const found = await this.newest.answer(() =>
      api(`${url}?${new URLSearchParams({ ...query, most: String(MOST) })}`),
    );
    if (!found) return;
    this.values = found.values.filter(([value]) => value !== null);
    if (!this.search) {
      this.frequent = this.values;
      this.distinct = found.distinct - (found.values.length - this.values.length);
    }
    for (const [value, rows] of this.values) this.rows.set(this.key(value), rows);
    this.drawValues();
    this.drawChanges();
    this.frame.about.textContent = this.sentence();
  }

  /**
   * A value as the settings compare it.
   * @param {Value} value
   */
  key(value) {
    const { ignore_case, ignore_blanks } = this.frame.settings;
    const trimmed = ignore_blanks ? String(value).trim() : String(value);
    return ignore_case ? trimmed.toLowerCase() : trimmed;
  }

  /** @param {Value} value */
  changeOf(value) {
    return this.draft.find(
      (change) => change.old !== "" && this.key(change.old) === this.key(value),
    );
  }

  // Left: the values

  left() {
    const find = h("input", {
      type: "search",
      class: "form-control form-control-sm",
      placeholder: "Find a value",
      "aria-label": "Find a value",
      "data-first": true,
      oninput: pausing(200, () => {
        this.search = find.value;
        this.load();
      }),
      onkeydown: (event) => {
        if (event.key !== "ArrowDown") return;
        event.preventDefault();
        this.list.querySelector("button")?.focus();
      },
    });
    return h(
      "section",
      { class: "wide-left" },
      h("h3", { class: "eyebrow" }, "Values, by rows"),
      find,
      choice(SHOWS, this.shows, "Which values", (/** @type {string} */ shows) => {
        this.shows = shows;
        this.drawValues();
      }),
      this.list,
      this.told,
    );
  }

  drawValues() {
    const shown = this.values.filter(([value]) => this.shows === "all" || !this.changeOf(value));
    const most = this.values[0]?.[1] ?? 1;
    const at = [...this.list.querySelectorAll("button")].indexOf(
      /** @type {any} */ (document.activeElement),
    );
    this.list.replaceChildren(
      ...shown.map(([value, rows]) => {
        const change = this.changeOf(value);
        const bar = h("span", { class: "wide-bar", "aria-hidden": "true" });
        bar.style.width = `${Math.max(2, (100 * rows) / most)}%`;
        return h(
          "li",
          {},
          h(
            "button",
            {
              type: "button",
              class: value === this.chosen ? "is-chosen" : "",
              onclick: () => this.add(value),
              onfocus: () => this.look(value),
              onkeydown: (event) => this.walk(event),
            },
            h("span", { class: "name" }, blanksShown(value)),
            change ? h("span", { class: "becomes" }, `→ ${change.new || "empty"}`) : null,
            h(
              "span",
              { class: "n" },
              count(rows),
              h("span", { class: "visually-hidden" }, " rows"),
            ),
            bar,
          ),
        );
      }),
    );
    if (at >= 0) this.list.querySelectorAll("button")[Math.min(at, shown.length - 1)]?.focus();
    const more = this.distinct - this.values.length;
    this.told.textContent = !shown.length
      ? "Every value shown has a change."
      : more > 0 && !this.search
        ? `and ${count(more)} more; search for one.`
        : "Enter writes a change for the value.";
  }

  /** @param {KeyboardEvent & {currentTarget: HTMLButtonElement}} event */
  walk(event) {
    const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
    if (!step) return;
    event.preventDefault();
    const buttons = [...this.list.querySelectorAll("button")];
    buttons[buttons.indexOf(event.currentTarget) + step]?.focus();
  }

  // Middle: the changes, and rows of the value that is looked at

  middle() {
    return h(
      "section",
      { class: "wide-middle" },
      h(
        "div",
        { class: "wide-line" },
        h("h3", { class: "eyebrow" }, "Changes"),
        h("span", { class: "muted small" }, "Paste two columns from a spreadsheet into a line."),
      ),
      this.table,
      h("h3", { class: "eyebrow" }, "Rows"),
      this.sample,
    );
  }

  /**
   * A change for a value: the one there is, or a fresh one, with the cursor in its new value.
   * @param {Value} value
   */
  add(value) {
    const known = this.changeOf(value);
    let line = known ? this.draft.indexOf(known) : -1;
    if (line < 0) {
      line = this.draft.push({ old: String(value), new: "" }) - 1;
      this.drawChanges();
    }
    const input = this.table.querySelectorAll("input.new")[line];
    input?.focus();
    input?.scrollIntoView({ block: "nearest" });
  }

  tell() {
    const changes = this.draft.filter(({ old }) => old !== "").map((change) => ({ ...change }));
    this.frame.set({ changes });
    this.drawValues();
  }

  drawChanges() {
    this.table.replaceChildren(
      this.draft.length
        ? h(
            "ol",
            { class: "changes-list" },
            this.draft.map((change, line) => this.line(change, line)),
          )
        : h("p", { class: "muted" }, "None yet. Choose a value on the left."),
      h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          onclick: () => {
            this.draft.push({ old: "", new: "" });
            this.drawChanges();
            this.table.querySelectorAll("input.old")[this.draft.length - 1].focus();
          },
        },
        icon("plus"),
        " a change",
      ),
    );
  }

  /** @param {Change} change @param {number} line */
  line(change, line) {
    const cell = (/** @type {keyof Change} */ key, /** @type {string} */ label) =>
      h("input", {
        type: "text",
        class: `form-control form-control-sm ${key}`,
        "aria-label": `${label} value of change ${line + 1}`,
        value: change[key],
        placeholder: key === "new" ? "empty" : "value",
        spellcheck: "false",
        oninput: (event) => {
          change[key] = event.target.value;
          this.tell();
          rows.replaceChildren(this.said(change));
        },
        onpaste: (event) => this.paste(event, line, key),
        onkeydown: (event) => {
          if (event.key !== "Enter" || event.ctrlKey) return;
          event.preventDefault();
          (
            this.table.querySelectorAll(`input.${key}`)[line + 1] ??
            this.list.querySelector("button")
          )?.focus();
        },
      });
    const rows = h("span", { class: "n" }, this.said(change));
    return h(
      "li",
      {},
      cell("old", "Old"),
      h("span", { class: "arrow", "aria-hidden": "true" }, "→"),
      cell("new", "New"),
      rows,
      removeButton(`change ${line + 1}`, () => {
        this.draft.splice(line, 1);
        this.tell();
        this.drawChanges();
      }),
    );
  }

  /** @param {Change} change */
  said(change) {
    if (change.old === "" || !this.rows.size) return "";
    const rows = this.rows.get(this.key(change.old));
    return rows === undefined
      ? this.values.length < MOST
        ? "no row"
        : ""
      : plural(rows, "row", "rows");
  }

  /**
   * Lines of two columns become changes from this line on; of one column, they fill the column.
   * @param {ClipboardEvent} event
   * @param {number} line
   * @param {keyof Change} key
   */
  paste(event, line, key) {
    const cells = pairsOf(event);
    if (!cells) return;
    cells.forEach(([first, second], n) => {
      this.draft[line + n] ??= { old: "", new: "" };
      if (second === undefined) this.draft[line + n][key] = first;
      else Object.assign(this.draft[line + n], { old: first, new: second });
    });
    this.tell();
    this.drawChanges();
  }

  /**
   * A few of the rows that hold a value.
   * @param {Value} value
   */
  async look(value) {
    this.chosen = value;
    const { studio, settings } = this.frame;
    const condition = { column: settings.column, test: "equals", value: String(value) };
    const found = await sampleRows(studio, this.port, [condition]);
    if (!found || this.chosen !== value) return;
    const told = `${plural(found.total, "row", "rows")} with “${value}”.`;
    this.sample.replaceChildren(found.table, h("p", { class: "muted small" }, told));
  }

  // Right: how values are compared

  right() {
    const { settings } = this.frame;
    const flag = (/** @type {string} */ name, /** @type {string} */ label) =>
      h(
        "label",
        { class: "flag" },
        h("input", {
          type: "checkbox",
          class: "form-check-input",
          checked: settings[name],
          onchange: (event) => {
            this.frame.set({ [name]: event.target.checked });
            this.load();
          },
        }),
        h("span", {}, label),
      );
    return h(
      "section",
      { class: "wide-right" },
      h("h3", { class: "eyebrow" }, "How values meet"),
      flag("ignore_case", "Ignore case"),
      flag("ignore_blanks", "Ignore blanks at the ends"),
      h("h3", { class: "eyebrow" }, "Other values"),
      choice(
        this.frame.kind.schema.properties.others.labels,
        settings.others,
        "Other values",
        (/** @type {string} */ others) => this.frame.set({ others }),
      ),
    );
  }
}
