/**
 * The value list of a column: every distinct value with its count, in windows, so that a million of
 * them stay fluid.
 */
import { api, attempt, notice } from "../api.js";
import { count, h, icon, pausing, plural, share } from "../dom.js";
import { isAbout, valuesChip } from "../focus.js";
import { visible } from "../visible.js";
import { select } from "../widgets/basic.js";
import { addressOf } from "./desk.js";

const ROW = 28,
  PAGE = 200,
  TALLEST = 12_000_000; // no browser scrolls an element of any height

export class ValueList {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {string} name
   * @param {string} kind
   * @param {string} run that counted all rows of a sampled table: a list to read, since the rows
   *   that it counts are not those that are looked at
   */
  constructor(studio, name, kind, run = "") {
    this.studio = studio;
    this.run = run;
    this.name = name;
    this.kind = kind;
    this.order = "count";
    this.search = "";
    /** @type {Set<any>} */
    this.chosen = new Set();
    /** @type {Map<number, any>} */
    this.pages = new Map();
    /** @type {any} */
    this.found = null;
    this.rows = h("ul", { class: "value-rows", "aria-label": `Values of ${name}` });
    this.space = h("div", { class: "value-space" }, this.rows);
    this.scroll = h(
      "div",
      {
        class: "value-scroll",
        tabindex: "0",
        role: "region",
        "aria-label": `Values of ${name}, arrow keys scroll`,
        onscroll: () => this.draw(),
      },
      this.space,
    );
    this.says = h("span", { class: "muted small grow" });
    const search = h("input", {
      type: "search",
      class: "form-control form-control-sm",
      placeholder: "Find a value",
      "aria-label": `Find a value of ${name}`,
      oninput: pausing(150, () => {
        this.search = search.value;
        this.load();
      }),
    });
    this.act = h("div", { class: "value-act" });
    this.element = h(
      "div",
      { class: "value-list" },
      h(
        "div",
        { class: "checks-tools" },
        search,
        select(
          [
            ["count", "most frequent"],
            ["rare", "least frequent"],
            ["value", "by value"],
          ],
          this.order,
          "Order of the values",
          (order) => {
            this.order = order;
            this.load();
          },
          { class: "form-select form-select-sm w-auto" },
        ),
      ),
      run ? null : this.act,
      this.scroll,
      h(
        "div",
        { class: "add-row" },
        this.says,
        h(
          "button",
          {
            type: "button",
            class: "tiny-button",
            title: "All values with their counts, as cells for a spreadsheet",
            onclick: () => this.copy(),
          },
          icon("copy"),
          "Copy list",
        ),
      ),
    );
    this.tell();
  }

  /** @param {string} what */
  address(what, more = {}) {
    if (!this.run) return addressOf(this.studio, this.name, what, more);
    return `/api/runs/${this.run}/${what}?${new URLSearchParams({ column: this.name, ...more })}`;
  }

  /** Get the list anew; `stay` keeps the place in it. */
  async load(stay = false) {
    this.pages = new Map(); // what comes for the list before is not put in
    if (!stay) this.scroll.scrollTop = 0;
    await this.fetch(stay ? Math.floor(this.first() / PAGE) : 0);
  }

  /** @param {number} page */
  async fetch(page) {
    if (this.pages.has(page)) return;
    const { pages } = this;
    pages.set(page, null);
    const found = await attempt(() =>
      api(
        this.address("values", {
          search: this.search,
          order: this.order,
          offset: page * PAGE,
          most: PAGE,
        }),
      ),
    );
    if (pages !== this.pages) return;
    if (!found) {
      this.pages.delete(page); // it is asked for again when it comes into sight
      return;
    }
    this.pages.set(page, found.values);
    this.found = found;
    this.space.style.height = `${Math.min(found.found * ROW, TALLEST)}px`;
    this.scroll.classList.toggle("short", found.found <= 8);
    this.says.textContent =
      found.found === found.distinct
        ? plural(found.distinct, "value", "values")
        : `${count(found.found)} of ${plural(found.distinct, "value", "values")}`;
    this.draw();
  }

  /** The number of the first value in sight. */
  first() {
    const all = (this.found?.found ?? 0) * ROW,
      tall = Math.min(all, TALLEST),
      free = Math.max(tall - this.scroll.clientHeight, 1);
    return Math.floor(
      ((this.scroll.scrollTop / free) * Math.max(all - this.scroll.clientHeight, 0)) / ROW,
    );
  }

  draw() {
    if (!this.found || this.editing) return;
    const top = this.first(),
      many = Math.ceil((this.scroll.clientHeight || 320) / ROW) + 2,
      rows = [];
    for (let at = top; at < Math.min(top + many, this.found.found); at += 1) {
      const page = Math.floor(at / PAGE),
        entry = this.pages.get(page)?.[at % PAGE];
      if (!this.pages.has(page)) this.fetch(page);
      rows.push(
        entry ? this.row(entry) : h("li", { class: "value" }, h("span", { class: "cell-waiting" })),
      );
    }
    while (this.pages.size > 40) this.pages.delete([...this.pages.keys()][0]);
    const active = this.rows.contains(document.activeElement)
      ? document.activeElement?.getAttribute("aria-label")
      : null;
    this.rows.style.transform = `translateY(${Math.min(this.scroll.scrollTop, Math.max(parseFloat(this.space.style.height) - rows.length * ROW, 0))}px)`;
    this.rows.replaceChildren(...rows);
    if (active)
      [...this.rows.querySelectorAll("[aria-label]")]
        .find((element) => element.getAttribute("aria-label") === active)
        ?.focus();
    if (!this.found.found)
      this.rows.replaceChildren(
        h(
          "li",
          { class: "muted value-none" },
          this.search ? "No value contains that." : "There is no row here.",
        ),
      );
  }

  /** @param {[string, number]} given */
  row([text, rows]) {
    const bar = h("span");
    bar.style.width = `${(100 * rows) / Math.max(this.found.highest, 1)}%`;
    const words =
      text === null
        ? "empty"
        : `${text.trim()}${/^\s/.test(text) ? " (blank in front)" : ""}${/\s$/.test(text) ? " (blank at the end)" : ""}`;
    const box = h("input", {
      type: "checkbox",
      class: "form-check-input",
      checked: this.chosen.has(text),
      "aria-label": `Choose ${words}`,
      onchange: () => {
        if (box.checked) this.chosen.add(text);
        else this.chosen.delete(text);
        this.tell();
      },
    });
    const part = rows / Math.max(this.found.rows, 1);
    return h(
      "li",
      { class: "value", ondblclick: (event) => this.edit(event.currentTarget, text) },
      h(
        this.run ? "span" : "label",
        { class: this.run ? "value-read" : null, title: words },
        this.run ? null : box,
        h(
          "span",
          { class: `v${text === null ? " cell-empty" : ""}` },
          text === null ? "empty" : visible(text.length > 400 ? `${text.slice(0, 400)}…` : text),
        ),
      ),
      h("span", { class: "bar-cell", "aria-hidden": "true" }, bar),
      h("span", { class: "n", title: `${(100 * part).toFixed(2)} % of the rows` }, count(rows)),
      h("span", { class: "share" }, share(part, true)),
      this.editable() && text !== null
        ? h(
            "button",
            {
              type: "button",
              class: "icon-button",
              title: "Change it everywhere",
              "aria-label": `Change ${words} everywhere`,
              onclick: (event) => this.edit(event.currentTarget.closest("li"), text),
            },
            icon("pencil"),
          )
        : h("span"),
    );
  }

  editable() {
    if (this.run || this.studio.table.output) return false;
    return !["list", "record", "duration"].includes(this.kind);
  }

  /**
   * Type another value in its place: it changes everywhere, by a Recode step.
   * @param {any} item
   * @param {string} text
   */
  edit(item, text) {
    if (!this.editable() || text === null) return;
    this.editing = true;
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      "aria-label": `New value for ${text}`,
      value: text,
    });
    const done = () => {
      this.editing = false;
      this.draw();
    };
    input.onkeydown = async (event) => {
      event.stopPropagation();
      if (event.key === "Escape") done();
      if (event.key === "Enter") {
        event.preventDefault();
        this.editing = false;
        if (input.value !== text) await this.studio.recode(this.name, [[text, input.value]]);
        else done();
      }
    };
    input.onblur = () => this.editing && done();
    item.replaceChildren(input);
    input.focus();
    input.select();
  }

  /** What can be done with the chosen values. */
  tell() {
    if (this.run) return;
    const chosen = [...this.chosen],
      none = !chosen.length;
    const tool = (
      /** @type {string} */ text,
      /** @type {any} */ act,
      /** @type {string} */ title,
    ) =>
      h(
        "button",
        { type: "button", class: "tiny-button", disabled: none, title, onclick: act },
        text,
      );
    const look = (/** @type {boolean} */ but) => {
      this.studio.setFocus((focus) => {
        focus.chips = focus.chips.filter((chip) => !isAbout(chip, this.name));
        focus.chips.push(valuesChip(this.name, chosen, but));
      });
    };
    this.act.replaceChildren(
      tool("Only these", () => look(false), "Look at rows with the chosen values"),
      tool("All but these", () => look(true), "Look at rows without the chosen values"),
      ...(this.editable() && chosen.length > 1 && !this.chosen.has(null)
        ? [
            tool(
              "Make one of them",
              () => this.merge(chosen),
              "Give all chosen values one spelling",
            ),
          ]
        : []),
      h(
        "span",
        { class: "muted small" },
        none ? "choose values, or change one in place" : `${count(chosen.length)} chosen`,
      ),
    );
  }

  /** @param {any} chosen */
  merge(chosen) {
    const entries = [...this.pages.values()].flat().filter(Boolean),
      most = chosen.toSorted(
        (/** @type {number} */ a, /** @type {number} */ b) =>
          (entries.find(([v]) => v === b)?.[1] ?? 0) - (entries.find(([v]) => v === a)?.[1] ?? 0),
      )[0];
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      "aria-label": "The one spelling",
      value: most,
    });
    this.act.replaceChildren(
      h(
        "form",
        {
          class: "range-form",
          onsubmit: (event) => {
            event.preventDefault();
            this.studio.recode(
              this.name,
              chosen
                .filter((/** @type {any} */ value) => value !== input.value)
                .map((/** @type {any} */ value) => [value, input.value]),
            );
          },
        },
        input,
        h("button", { class: "btn btn-quiet btn-small" }, "Recode"),
        h("button", { type: "button", class: "tiny-button", onclick: () => this.tell() }, "Back"),
      ),
    );
    input.focus();
    input.select();
  }

  async copy() {
    const answer = await attempt(async () => (await fetch(this.address("values.tsv"))).text());
    if (answer === undefined) return;
    await navigator.clipboard.writeText(answer);
    notice("Value list copied, with counts");
  }
}
