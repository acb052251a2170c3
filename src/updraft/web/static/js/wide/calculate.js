/**
 * The work of Calculate: the columns it makes, one of them in the middle with what it gives, ways
 * beside it.
 */
import { Newest, post } from "../api.js";
import { count, h, icon, pausing, plural } from "../dom.js";
import { written } from "../editor.js";
import { Form } from "../forms.js";
import { Local } from "../local.js";
import { resolved } from "../schema.js";
import { removeButton } from "../widgets/basic.js";
import { byExample } from "../widgets/byExample.js";
import { functionList } from "../widgets/formula.js";

/**
 * A column as the settings make it.
 * @typedef {Record<string, any> & {name: string, kind: string, by: "formula" | "rules", formula:
 *   string}} Made
 */
/** @typedef {import("../contract.d.ts").ColumnThere} Column */

const WHY = { empty: "no result", differs: "another shape", first: "" };
const BY = { formula: "by a formula", rules: "by rules" };

/**
 * @param {number} looked rows, from the first
 * @param {number} empty those without a result
 * @param {number} all rows there are
 */
export function triedSentence(looked, empty, all) {
  const of = looked < all ? `the first ${count(looked)} rows` : plural(looked, "row", "rows");
  const stay = empty ? `; ${count(empty)} ${empty === 1 ? "stays" : "stay"} empty` : "";
  return `${count(looked - empty)} of ${of} ${looked - empty === 1 ? "has" : "have"} a result${stay}.`;
}

export class Work {
  /** @type {HTMLElement} */
  given;

  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    this.frame = frame;
    this.port = frame.main;
    const schema = frame.kind.schema;
    this.schema = { ...resolved(schema.properties.columns.items, schema), $defs: schema.$defs };
    const columns = structuredClone(frame.settings.columns ?? []);
    this.tells = "Not worked out yet: see what is said of the column."; // the place is marked there
    /** @type {Made[]} */
    this.columns = columns.map((/** @type {object} */ column) => ({ ...this.usual(), ...column }));
    if (!this.columns.length) this.columns.push(this.usual());
    this.at = 0;
    this.newest = new Newest();
    /** @type {Map<string, string>} types of columns that were tried */
    this.found = new Map();
    for (const { name, kind } of frame.studio.table?.columns ?? []) this.found.set(name, kind);
    this.list = h("ol", { class: "made-columns" });
    this.middle = h("section", { class: "wide-middle", "aria-label": "The column" });
    this.right = h("section", { class: "wide-right", "aria-label": "Ways to make it" });
    this.element = h("div", { class: "wide-three" }, this.left(), this.middle, this.right);
    this.soon = pausing(80, () => this.ask());
    this.drawList();
    this.open(0);
  }

  get subject() {
    return plural(this.columns.length, "column", "columns");
  }

  sentence() {
    const rows = this.frame.studio.table?.rows;
    return rows === undefined
      ? ""
      : `From ${plural(rows, "row", "rows")}. Each may use those above it.`;
  }

  /**
   * How many rows each rule of the column takes, once the step was tried.
   * @param {import("../contract.d.ts").TableShown | null} table
   */
  effect(table) {
    const name = this.now.name;
    const own = (table?.facts ?? []).filter(
      ({ code }) => code.startsWith("rule:") && code.endsWith(`:${name}`),
    );
    this.taken?.replaceChildren(...own.map(({ text }) => h("li", {}, text)));
  }

  /**
   * What the step does, for the foot.
   * @param {import("../contract.d.ts").TableShown | null} table
   */
  sums(table) {
    if (!table) return "";
    const known = new Set((this.port?.columns ?? []).map(({ name }) => name));
    const more = table.columns.length - known.size;
    const replaced = new Set(
      this.columns.map(({ name }) => name).filter((name) => known.has(name)),
    );
    return [
      more > 0 ? `+${plural(more, "column", "columns")}` : "",
      replaced.size ? `${count(replaced.size)} replaced` : "",
    ]
      .filter(Boolean)
      .join(", ");
  }

  /** @returns {Made} */
  usual() {
    /** @type {[string, {default: unknown}][]} */
    const all = Object.entries(this.schema.properties);
    const usual = all.map(([name, property]) => [name, structuredClone(property.default)]);
    return Object.fromEntries(usual);
  }

  get now() {
    return this.columns[this.at];
  }

  /** The columns that a formula here may use: those that come in, and those made above it. */
  known() {
    /** @type {Map<string, Column>} */
    const known = new Map();
    for (const column of this.port?.columns ?? []) known.set(column.name, column);
    for (const { name, kind } of this.columns.slice(0, this.at))
      if (name && !known.has(name)) known.set(name, { name, kind: kind || "made here" });
    return [...known.values()];
  }

  /** The columns made above this one, with their types as far as they are known. */
  above() {
    const made = this.columns.slice(0, this.at).filter(({ name }) => name);
    return Object.fromEntries(
      made.map(({ name, kind }) => [name, kind || this.found.get(name) || "number"]),
    );
  }

  tell() {
    this.frame.set({ columns: structuredClone(this.columns) });
    this.soon();
  }

  // Left: the columns that are made

  left() {
    /** @param {string} label @param {Made["by"]} by @param {boolean} [more] by example */
    const add = (label, by, more) =>
      h(
        "button",
        { type: "button", class: "btn btn-quiet btn-sm", onclick: () => this.add(by, more) },
        `+ ${label}`,
      );
    return h(
      "section",
      { class: "wide-left", "aria-label": "Columns that are made" },
      h("h3", { class: "eyebrow" }, "Columns this step makes"),
      this.list,
      h(
        "div",
        { class: "made-more" },
        add("formula", "formula"),
        add("rules", "rules"),
        add("by example", "formula", true),
      ),
      h("p", { class: "muted small" }, "Alt ↑ and Alt ↓ move a column."),
    );
  }

  /** @param {Made["by"]} by */
  add(by, example = false) {
    this.columns.push({ ...this.usual(), by });
    this.open(this.columns.length - 1);
    this.tell();
    if (example) this.right.querySelector("select, input")?.focus();
    else this.middle.querySelector("input")?.focus();
  }

  drawList() {
    const known = new Set((this.port?.columns ?? []).map(({ name }) => name));
    this.list.replaceChildren(
      ...this.columns.map((column, n) =>
        h(
          "li",
          { class: n === this.at ? "is-chosen" : "" },
          h(
            "button",
            {
              type: "button",
              "aria-current": n === this.at ? "true" : null,
              onclick: () => this.open(n),
              onkeydown: (event) => this.move(event, n),
            },
            h("strong", {}, column.name || "no name yet"),
            h(
              "span",
              { class: "muted" },
              [
                column.kind.replace("_", "/"),
                column.several ? "each of several" : known.has(column.name) ? "replaces" : "new",
                BY[column.by],
              ]
                .filter(Boolean)
                .join(" · "),
            ),
          ),
          removeButton(column.name || `column ${n + 1}`, () => this.remove(n)),
        ),
      ),
    );
  }

  /** @param {KeyboardEvent} event @param {number} n */
  move(event, n) {
    const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
    if (!step) return;
    event.preventDefault();
    const to = n + step;
    if (to < 0 || to >= this.columns.length) return;
    if (event.altKey) {
      const [moved] = this.columns.splice(n, 1);
      this.columns.splice(to, 0, moved);
      this.open(to);
      this.tell();
    }
    this.list.querySelectorAll("li > button:first-child")[to].focus();
  }

  /** @param {number} n */
  remove(n) {
    this.columns.splice(n, 1);
    if (!this.columns.length) this.columns.push(this.usual());
    this.open(Math.min(this.at, this.columns.length - 1));
    this.tell();
  }

  // Middle: one column, and what it gives

  /** @param {number} n */
  open(n) {
    this.at = n;
    this.drawList();
    this.editor = null;
    const { studio } = this.frame;
    const context = {
      columns: () => this.known(),
      values: (/** @type {string} */ column, /** @type {string} */ search) =>
        studio.values(this.port, column, search),
      examples: (/** @type {string[]} */ columns, /** @type {Record<string, string>} */ give) =>
        studio.examples(this.port, columns, give),
      rules: (/** @type {string} */ text) => studio.rules(this.port, text, this.above()),
      formats: () => [],
      edits: (/** @type {any} */ editor) => {
        this.editor = editor;
      },
    };
    const model = new Local(this.now, (settings) => {
      const by = this.now.by;
      Object.assign(this.now, settings);
      this.drawList();
      if (by !== this.now.by) this.drawRight(context);
      this.tell();
    });
    this.form = new Form(this.schema, model, context);
    this.form.element.classList.add("one-column");
    this.given = h("div", { class: "gives", role: "status" });
    this.middle.replaceChildren(this.form.element, this.given);
    this.drawRight(context);
    this.ask();
  }

  async ask() {
    if (!this.port?.known) return;
    const { studio, step } = this.frame;
    const at = this.at;
    const body = { step: step.id, columns: this.columns, at, output: this.port.output };
    const url = `/api/flows/${studio.flow}/tables/${this.port.key}/tries`;
    /** @type {import("./answers.d.ts").Tried | null | undefined} */
    const found = await this.newest.answer(() => post(url, body));
    if (!found) return;
    if (found.kind) this.found.set(this.now.name, found.kind);
    this.drawGiven(found);
  }

  /** @param {import("./answers.d.ts").Tried} tried */
  drawGiven({ problem, read, rows, empty, looked, all, kind }) {
    this.editor?.mark(problem?.place, problem?.length);
    if (problem) {
      const tone = problem.code === "unfinished" ? "said-next" : "said-problem";
      this.given.replaceChildren(h("p", { class: tone }, problem.text));
      return;
    }
    const name = this.now.name || "result";
    this.given.replaceChildren(
      h(
        "div",
        { class: "wide-line" },
        h("h3", { class: "eyebrow" }, "What it gives"),
        h("span", { class: "muted small" }, "First rows, and one of each shape among them"),
      ),
      h(
        "table",
        { class: "wide-rows gives-rows" },
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            h("th", { scope: "col" }, "Row"),
            read.map((column) => h("th", { scope: "col" }, column)),
            h("th", { scope: "col" }, `${name} (${kind.replace("_", "/")})`),
            h("td", {}),
          ),
        ),
        h(
          "tbody",
          {},
          rows.map((row) =>
            h(
              "tr",
              {},
              h("td", { class: "n" }, count(row.row + 1)),
              row.from.map((text) => h("td", { dir: "auto" }, text ?? h("i", {}, "empty"))),
              h("td", { class: "is-made", dir: "auto" }, row.gives ?? h("i", {}, "empty")),
              h(
                "td",
                { class: `why why-${row.why}` },
                WHY[row.why]
                  ? `${WHY[row.why]}${row.like > 1 ? `, ${count(row.like)} rows` : ""}`
                  : "",
              ),
            ),
          ),
        ),
      ),
      h("p", { class: "muted small" }, triedSentence(looked, empty, all)),
    );
  }

  // Right: by example, and the functions

  /** @param {object} context what the widgets on it may ask for */
  drawRight(context) {
    if (this.now.by !== "formula") {
      const text = "Rules are tried from the top; the first that holds gives the value.";
      this.taken = h("ul", { class: "rules-taken", role: "status" });
      this.right.replaceChildren(
        h("h3", { class: "eyebrow" }, "Rules"),
        h("p", { class: "muted" }, text),
        this.taken,
      );
      this.effect(this.frame.studio.table);
      return;
    }
    // Made from what comes in: from the column that the formula reads, where it reads one.
    const coming = this.port?.columns ?? [];
    const read = coming.find(({ name }) => this.now.formula.includes(written(name)));
    const field = {
      context: { ...context, columns: () => coming },
      property: {},
      prefers: read?.name,
    };
    const example = byExample(field, (formula) => this.editor?.set(formula));
    example.open = true;
    const names = h(
      "div",
      { class: "column-words" },
      this.known()
        .slice(0, 60)
        .map(({ name }) =>
          h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              onclick: () => this.editor?.insert(written(name)),
            },
            name,
          ),
        ),
    );
    this.right.replaceChildren(
      example,
      h("h3", { class: "eyebrow" }, "Columns"),
      names,
      h("h3", { class: "eyebrow" }, icon("search"), " Functions"),
      ...functionList((/** @type {string} */ text) => this.editor?.insert(text)),
    );
  }
}
