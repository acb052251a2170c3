/**
 * The desk of a column: values, figures, patterns, and the column beside another. Looking changes
 * nothing.
 */
import { api, Newest } from "../api.js";
import { drawFigures, ORDERED } from "./columnFigures.js";
import { drawPair } from "./columnPair.js";
import { count, h, icon, plural, share } from "../dom.js";
import { condition } from "../focus.js";
import { addressOf, closing } from "./desk.js";
import { ValueList } from "./valueList.js";

export class ColumnDesk {
  /** @type {HTMLElement} */
  tabs;
  /** @type {HTMLElement} */
  body;
  /** @type {HTMLElement} */
  figures;

  /** @type {string} of the column that is shown */
  name;
  /** @type {string} and its kind */
  kind;

  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    /** @type {Map<string, import("./told.d.ts").Way>} how its values may be chosen, by their keys */
    this.ways = new Map();
    this.desk = desk;
    this.bins = 24;
    this.log = false;
    this.fine = false;
    this.newest = new Newest();
    /** the column that it is compared with */
    this.other = "";
    /** @type {any} what is chosen in the histogram */
    this.range = null;
  }

  /** @param {string} name */
  async show(name) {
    const { table } = this.studio,
      column = table.columns.find((c) => c.name === name);
    if (!column) return;
    if (this.name !== name || this.kind !== column.kind) {
      this.tab = "values";
      this.range = null;
      this.other = "";
    }
    this.name = name;
    this.kind = column.kind;
    this.column = column;
    const { grid } = this.studio;
    const way = (
      /** @type {string} */ text,
      /** @type {string} */ sign,
      /** @type {string} */ value,
    ) =>
      h(
        "button",
        { type: "button", class: "chip", onclick: () => grid.sort(name, value) },
        icon(sign),
        text,
      );
    this.figures = h("dl", { class: "figures" });
    this.body = h("div");
    const tabs = [
      ["values", "Values"],
      ["figures", ORDERED.has(column.kind) ? "Histogram" : "Figures"],
      ...(column.kind === "text" ? [["patterns", "Patterns"]] : []),
      ["pair", "Pairs"],
    ];
    this.tabs = h(
      "div",
      {
        class: "tabs",
        role: "tablist",
        "aria-label": "Ways to look",
        onkeydown: (event) => this.keys(event),
      },
      tabs.map(([key, text]) =>
        h(
          "button",
          {
            type: "button",
            role: "tab",
            id: `tab-${key}`,
            "aria-selected": String(this.tab === key),
            "aria-controls": "column-tab",
            tabindex: this.tab === key ? null : "-1",
            onclick: () => this.open(key),
          },
          text,
        ),
      ),
    );
    this.body = h("div", {
      id: "column-tab",
      role: "tabpanel",
      "aria-labelledby": `tab-${this.tab}`,
    });
    this.desk.show("column", {
      eyebrow: `Column · ${column.kind_title}`,
      title: name,
      summary: column.origin
        ? `Brought by “${column.origin}”`
        : column.evidence
          ? `${column.kind_title.replace(/^./, (c) => c.toUpperCase())}: ${column.evidence}`
          : "Looking changes nothing in the data",
      tools: closing("Back to the step", () => this.studio.act.chooseColumn(null)),
      body: [
        this.figures,
        h(
          "div",
          { class: "add-row mb-2" },
          way("Sort up", "sort-up", "up"),
          way("Sort down", "sort-down", "down"),
          column.kind === "whole" || column.kind === "number" ? this.thousands(grid) : null,
          h(
            "button",
            {
              type: "button",
              class: "chip",
              title: "Keep the columns up to here in sight while scrolling",
              onclick: () => grid.freeze(name),
            },
            icon("pin-angle"),
            "Freeze",
          ),
        ),
        this.tabs,
        this.body,
      ],
    });
    this.drawTab();
    await this.refresh();
  }

  /** @param {KeyboardEvent} event */
  keys(event) {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    const all = [...this.tabs.querySelectorAll("[role=tab]")],
      at = all.indexOf(/** @type {any} */ (document.activeElement)),
      to = all[(at + by + all.length) % all.length];
    to.click();
    to.focus();
  }

  /** @param {string} tab */
  open(tab) {
    this.tab = tab;
    for (const button of this.tabs.querySelectorAll("[role=tab]")) {
      const on = button.id === `tab-${tab}`;
      button.setAttribute("aria-selected", String(on));
      button.tabIndex = on ? 0 : -1;
    }
    this.body.setAttribute("aria-labelledby", `tab-${tab}`);
    this.drawTab();
    this.refresh();
  }

  drawTab() {
    if (this.tab === "values") {
      this.list = new ValueList(this.studio, this.name, this.kind);
      this.body.replaceChildren(this.list.element);
      this.list.load();
    } else {
      this.list = null;
      this.body.replaceChildren(h("p", { class: "muted", role: "status" }, "Working it out…"));
    }
  }

  /** @param {string} what */
  address(what, more = {}) {
    return addressOf(this.studio, this.name, what, more);
  }

  /** Get the figures anew: the table, the focus or the way to look has changed. */
  async refresh() {
    const found = await this.newest.answer(() =>
      api(
        this.address("column", {
          bins: this.bins,
          log: this.log ? "1" : "0",
          fine: this.fine ? "1" : "0",
        }),
      ),
    );
    if (!found || this.desk.view !== "column") return;
    this.found = found;
    this.ways = new Map(
      found.ways.map((/** @type {import("./told.d.ts").Way} */ way) => [way.key, way]),
    );
    const figure = (/** @type {string} */ term, /** @type {string | HTMLElement} */ number) =>
      h("div", {}, h("dt", {}, term), h("dd", {}, number));
    const way = (/** @type {string} */ term, /** @type {string} */ key) => {
      const one = this.ways.get(key);
      return one ? figure(term, this.opens(one, count(one.rows))) : null;
    };
    this.figures.replaceChildren(
      ...[
        figure("rows", count(found.rows)),
        figure("distinct", count(found.distinct ?? 0)),
        way("empty", "empty"),
        way("blanks only", "blank"),
        way(this.kind === "text" ? "odd" : "infinite", "odd"),
        way("no number", "no_number"),
      ].filter((one) => one !== null),
    );
    if (this.tab === "figures") drawFigures(this, found);
    if (this.tab === "patterns") this.drawPatterns(found);
    if (this.tab === "pair") drawPair(this);
  }

  /**
   * A count that shows its rows: the rule that it was counted by becomes the selection.
   * @param {import("./told.d.ts").Way} way
   * @param {string} text
   */
  opens(way, text) {
    const { studio, name } = this;
    const chip = { label: `${name}: ${way.label}`, column: name, rule: way.rule };
    if (!way.rows) return text;
    return h(
      "button",
      {
        type: "button",
        class: "count-way",
        "aria-label": `${way.label}: ${plural(way.rows, "row", "rows")}, show them`,
        "aria-pressed": String(studio.focus.has(chip)),
        onclick: () =>
          studio.setFocus((focus) => (focus.has(chip) ? focus.remove(chip) : focus.only(chip))),
      },
      text,
    );
  }

  /**
   * A count of the figures, which opens its rows; 0 where there is none.
   * @param {string} key
   */
  counted(key) {
    const way = this.ways.get(key);
    return way ? this.opens(way, count(way.rows)) : "0";
  }

  /**
   * Whether thousands stand apart: a way of showing, kept for this flow in this browser.
   * @param {any} grid
   */
  thousands(grid) {
    const button = h(
      "button",
      {
        type: "button",
        class: "chip",
        title: "Show thousands apart; the data stays as it is",
        "aria-label": "1,234: thousands apart",
        "aria-pressed": String(grid.apart(this.name)),
        onclick: () => {
          grid.setApart(this.name, !grid.apart(this.name));
          this.refresh();
          button.setAttribute("aria-pressed", String(grid.apart(this.name)));
        },
      },
      "1,234",
    );
    return button;
  }

  /** The focus changed: everything follows. */
  focused() {
    this.list?.load(true);
    return this.refresh();
  }

  /** @param {any} found */
  drawPatterns(found) {
    const { studio, name } = this,
      list = Array.isArray(found.patterns) ? found.patterns : [];
    const told = list.reduce((/** @type {number} */ sum, /** @type {any} */ p) => sum + p.rows, 0);
    const all = Math.max(found.rows - (this.ways.get("empty")?.rows ?? 0), told, 1);
    const tool = (/** @type {string} */ text, /** @type {boolean} */ fine) =>
      h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          "aria-pressed": String(this.fine === fine),
          onclick: () => {
            this.fine = fine;
            this.refresh();
          },
        },
        text,
      );
    this.body.replaceChildren(
      h(
        "div",
        { class: "add-row" },
        tool("coarse", false),
        tool("fine", true),
        h("span", { class: "muted small" }, "the rare ones first"),
      ),
      list.length
        ? h(
            "ul",
            { class: "patterns" },
            list.map((/** @type {any} */ p) => {
              const chip = {
                label: `${name}: ${p.words.length > 40 ? `${p.words.slice(0, 39)}…` : p.words}`,
                column: name,
                conditions: [condition(name, p.test, { value: p.pattern })],
              };
              return h(
                "li",
                {},
                h(
                  "button",
                  {
                    type: "button",
                    class: "pattern",
                    "aria-pressed": String(studio.focus.has(chip)),
                    onclick: () => studio.setFocus((focus) => focus.toggle(chip)),
                  },
                  h("span", { class: "pattern-words" }, p.words),
                  h("span", { class: "n" }, `${count(p.rows)} · ${share(p.rows / all)}`),
                  h("code", {}, p.example),
                ),
              );
            }),
          )
        : h("p", { class: "muted" }, "There is no text to draw patterns of."),
      list.length && told < all
        ? h(
            "p",
            { class: "muted small" },
            `${plural(all - told, "row is", "rows are")} of other patterns.`,
          )
        : "",
    );
  }
}
