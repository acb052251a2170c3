/**
 * The work of Merge look-alikes: families of spellings, one of them with its rows, and how alike
 * they must be.
 */
import { api, attempt, Newest, post } from "../api.js";
import { count, h, pausing, plural } from "../dom.js";
import { Going } from "./going.js";
import { drawStrictness, likenessOf } from "./likeness.js";
import { blanksShown, sampleRows } from "./rows.js";

/** @typedef {import("./answers.d.ts").Family} Family */
/** @typedef {[key: string, answer: string]} Answer */

export class Work {
  /** @type {HTMLInputElement} */
  name;
  /** @type {HTMLElement} */
  sample;

  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    this.frame = frame;
    this.port = frame.main;
    this.distinct = 0;
    this.all = 0;
    /** @type {Map<string, string>} */
    this.answers = new Map();
    this.newest = new Newest();
    this.path = `/api/flows/${frame.studio.flow}/steps/${frame.step.id}/decisions`;
    // Everything has a key: arrows go on, Enter merges, N keeps apart, E empties.
    /** @type {Going<Family>} */
    this.going = new Going({
      label: "Families of spellings",
      which: "Which families",
      none: "No family here.",
      decided: (family) => this.decided(family),
      line: lineOf,
      show: () => this.drawFamily(),
      some: () => this.ofSome(),
      keys: { Enter: () => this.merge(), n: () => this.apart(), e: () => this.emptied() },
    });
    this.middle = h("section", { class: "wide-middle", "aria-label": "One family" });
    this.scale = h("div", { class: "strictness" });
    this.soon = pausing(150, () => this.load());
    this.lookSoon = pausing(300, () => this.look());
    this.right = likenessOf(frame, { scale: this.scale, soon: this.soon, sure: () => this.sure() });
    this.element = h("div", { class: "wide-three" }, this.left(), this.middle, this.right);
    this.load();
  }

  get subject() {
    return this.frame.settings.column || "no column yet";
  }

  get families() {
    return this.going.items;
  }

  get chosen() {
    return this.going.chosen;
  }

  sentence() {
    if (!this.distinct) return "";
    return `${plural(this.distinct, "spelling", "spellings")}. ${plural(this.all, "family", "families")} may each be one thing.`;
  }

  sums() {
    const merged = [...this.answers].filter(([key, answer]) => key !== answer).length;
    const open = this.going.open.length;
    const some = this.ofSome();
    return `${plural(merged, "spelling", "spellings")} decided to become another; ${plural(open, "family", "families")}${some} open`;
  }

  /** Said of a figure where not all families are here. */
  ofSome() {
    const here = this.families.length;
    return here < this.all ? ` of the ${count(here)} with most rows` : "";
  }

  async load() {
    const { studio, settings } = this.frame;
    if (!this.port?.known || !settings.column) {
      this.middle.replaceChildren(
        h("p", { class: "muted" }, "Choose the column in the panel first."),
      );
      return;
    }
    const names = ["column", "letters", "words", "slips", "sound", "close", "strictness"];
    const body = Object.fromEntries(names.map((name) => [name, settings[name]]));
    const url = `/api/flows/${studio.flow}/tables/${this.port.key}/look-alikes`;
    /** @type {{found: import("./answers.d.ts").Families, given?: {given: string[][]}} | undefined} */
    const answer = await this.newest.answer(async () => ({
      found: await post(url, { ...body, output: this.port.output }),
      given: await attempt(() => api(`${this.path}?most=1000000`)),
    }));
    if (!answer) return;
    const { found, given } = answer;
    this.answers = new Map((given?.given ?? []).map(([key, answer]) => [key, answer]));
    const families = found.families.map((family) => ({ ...family, out: new Set() }));
    Object.assign(this, { distinct: found.distinct, all: found.all });
    drawStrictness(this.scale, found.strictness, this.frame, this.soon);
    this.going.take(families, (one, other) => one.name === other.name);
    this.frame.about.textContent = this.sentence();
    this.frame.effect(studio.table, studio.problem);
  }

  /** @param {Family} family */
  decided(family) {
    const names = new Set(this.answers.values());
    const settled = (/** @type {import("./answers.d.ts").Spelling} */ [value]) =>
      this.answers.has(value) || names.has(value);
    return family.spellings.slice(1).every(settled);
  }

  // Left: the families

  left() {
    return h(
      "section",
      { class: "wide-left", "aria-label": "Families" },
      h("h3", { class: "eyebrow" }, "Families of spellings"),
      this.going.parts,
    );
  }

  // Middle: one family

  drawFamily() {
    const family = this.chosen;
    if (!family) {
      const text = this.families.length
        ? "Every family here is decided."
        : "No two spellings are alike in the ways chosen on the right.";
      this.middle.replaceChildren(h("p", { class: "muted" }, text));
      return;
    }
    const most = Math.max(...family.spellings.map(([, rows]) => rows));
    this.name = h("input", {
      type: "text",
      class: "form-control",
      id: "family-name",
      value: family.becomes ?? family.name,
      spellcheck: "false",
      oninput: (event) => {
        family.becomes = event.target.value;
        this.lookSoon();
      },
      onkeydown: (event) => event.key === "Enter" && this.merge(),
    });
    this.sample = h("div", { class: "wide-sample" });
    /** @param {string} text @param {string} key @param {() => void} does @param {boolean} main */
    const act = (text, key, does, main) =>
      h(
        "button",
        { type: "button", class: `btn ${main ? "btn-primary" : "btn-quiet"}`, onclick: does },
        `${text} `,
        h("kbd", {}, key),
      );
    const at = this.families.indexOf(family) + 1;
    this.middle.replaceChildren(
      h(
        "div",
        { class: "wide-line" },
        h("h3", { class: "family-title" }, blanksShown(family.name)),
        h("span", { class: "muted" }, `family ${count(at)} of ${count(this.families.length)}`),
      ),
      h("p", { class: "muted" }, `${family.why}.`),
      h(
        "ul",
        { class: "spellings" },
        family.spellings.map(([value, rows, why], n) => {
          const bar = h("span", { class: "rows-bar", "aria-hidden": "true" });
          bar.style.width = `${Math.max(2, (100 * rows) / most)}%`;
          return h(
            "li",
            {},
            h(
              "label",
              {},
              h("input", {
                type: "checkbox",
                class: "form-check-input",
                checked: !family.out.has(value),
                onchange: (event) => {
                  family.out[event.target.checked ? "delete" : "add"](value);
                  this.look();
                },
              }),
              h("span", { class: "name", dir: "auto" }, blanksShown(value)),
            ),
            h("span", { class: "rows-scale" }, bar),
            h("span", { class: "n" }, plural(rows, "row", "rows")),
            n
              ? h("span", { class: "muted small why" }, this.said(value) ?? why)
              : h("span", { class: "becomes-name" }, "most frequent"),
            h(
              "button",
              {
                type: "button",
                class: "tiny-button",
                onclick: () => {
                  family.becomes = value;
                  this.name.value = value;
                  this.look();
                },
              },
              "use this name",
            ),
          );
        }),
      ),
      h("label", { for: "family-name", class: "field-title" }, "Its one name"),
      h(
        "div",
        { class: "family-acts" },
        this.name,
        act("Make them one", "Enter", () => this.merge(), true),
        act("Not the same", "N", () => this.apart(), false),
        act("Make empty", "E", () => this.emptied(), false),
      ),
      h("h3", { class: "eyebrow" }, "Rows it changes, and what stands beside them"),
      this.sample,
    );
    this.look();
  }

  /**
   * What was decided of a spelling, in words.
   * @param {string} value
   */
  said(value) {
    const answer = this.answers.get(value);
    if (answer === undefined) return null;
    return answer === value
      ? "stays as it is"
      : answer
        ? `becomes ${blanksShown(answer)}`
        : "becomes empty";
  }

  chosenValues() {
    const { spellings = [], out } = this.chosen ?? {};
    return spellings.map(([value]) => value).filter((value) => !out?.has(value));
  }

  /** The spellings that become another when they are made one. */
  changed() {
    return this.chosenValues().filter((value) => value !== this.name.value);
  }

  /** @param {Answer[]} rows */
  async decide(rows) {
    const { studio, step } = this.frame;
    this.going.answered(() => {
      for (const [key, answer] of rows) this.answers.set(key, answer);
    });
    await studio.edit([{ op: "decide", id: step.id, rows }]);
    this.frame.effect(studio.table, studio.problem);
  }

  merge() {
    if (!this.chosen) return;
    const name = this.name.value;
    const left = [...this.chosen.out].map((value) => answer(value, value));
    this.decide([...this.changed().map((value) => answer(value, name)), ...left]);
  }

  apart() {
    if (this.chosen)
      this.decide(this.chosen.spellings.slice(1).map(([value]) => answer(value, value)));
  }

  emptied() {
    if (this.chosen) this.decide(this.chosenValues().map((value) => answer(value, "")));
  }

  /** Decide all families of which nobody can well doubt, at once. */
  sure() {
    const rows = this.families
      .filter((family) => family.sure && !this.decided(family))
      .flatMap((family) => family.spellings.slice(1).map(([value]) => answer(value, family.name)));
    if (rows.length) this.decide(rows);
  }

  async look() {
    const { studio, settings } = this.frame;
    const family = this.chosen;
    const values = this.changed();
    if (!values.length)
      return this.sample.replaceChildren(h("p", { class: "muted small" }, "None."));
    const condition = { column: settings.column, test: "one_of", values };
    const found = await sampleRows(studio, this.port, [condition]);
    if (!found || this.chosen !== family || String(this.changed()) !== String(values)) return;
    const told = `${plural(found.total, "row", "rows")} in all.`;
    this.sample.replaceChildren(found.table, h("p", { class: "muted small" }, told));
  }
}

/** @param {string} value @param {string} to @returns {Answer} */
const answer = (value, to) => [value, to];

/** @param {Family} family */
const lineOf = (family) => [
  h(
    "span",
    { class: "name" },
    h("strong", {}, blanksShown(family.name)),
    h(
      "span",
      { class: "muted small" },
      `${plural(family.spellings.length, "spelling", "spellings")} · ${plural(rowsOf(family), "row", "rows")}`,
    ),
  ),
  h("span", { class: "muted small" }, family.sure ? "sure" : family.weakest),
];
/** @param {Family} family */
const rowsOf = (family) => family.spellings.reduce((sum, [, rows]) => sum + rows, 0);
