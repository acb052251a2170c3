/**
 * The work of Compare tables: its settings, how the rows agree, which columns differ, and the
 * largest differences.
 */
import { api } from "../api.js";
import { figure } from "../charts.js";
import { count, h, plural } from "../dom.js";
import { stepForm } from "../stepForm.js";
import { cellOf } from "./rows.js";

const STATES = [
  ["only_here", "only here", "alone"],
  ["different", "differ", "differs"],
  ["same", "the same", "same"],
  ["only_there", "only there", "its-alone"],
];
const MOST = 8; // differences of each sign
const COLUMNS = 60;

export class Work {
  /** @type {string | undefined} the table that is shown, by its key */
  shown;

  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    this.frame = frame;
    const { studio, kind, incoming } = frame;
    this.form = stepForm(studio, kind, incoming, {
      get settings() {
        return frame.settings;
      },
      change: (some) => frame.set(some),
    });
    this.states = h("div", { class: "agree" });
    this.columns = h("div", {});
    this.largest = h("div", {});
    this.element = h(
      "div",
      { class: "wide-two compare-work" },
      h("section", { class: "wide-form", "aria-label": "Settings" }, this.form.element),
      h(
        "section",
        { class: "wide-gives", "aria-label": "How they agree" },
        h("h3", { class: "eyebrow" }, "Rows"),
        this.states,
        h("h3", { class: "eyebrow" }, "By column"),
        this.columns,
        h("h3", { class: "eyebrow" }, "Largest differences"),
        this.largest,
      ),
    );
  }

  get subject() {
    return this.frame.kind.summary;
  }

  sentence() {
    return this.frame.studio.state.steps[this.frame.step.id]?.sentence ?? "";
  }

  /** @param {import("../contract.d.ts").TableShown} table */
  sums(table) {
    if (!table) return "";
    const { same = 0, different = 0, only_here = 0, only_there = 0 } = table.sides;
    const other = different + only_here + only_there;
    return other
      ? `${plural(other, "row does", "rows do")} not agree, ${count(same)} do`
      : same === 1
        ? "The only row agrees"
        : `All ${count(same)} rows agree`;
  }

  /**
   * @param {import("../contract.d.ts").TableShown} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  effect(table, problem) {
    const own = problem && (!problem.step || problem.step === this.frame.step.id);
    this.tells = this.form.say(own ? problem : null)
      ? "See what is said at the setting."
      : undefined;
    if (!table || problem) {
      for (const place of [this.states, this.columns, this.largest]) place.replaceChildren();
      this.shown = undefined;
      return;
    }
    if (this.shown === table.key) return;
    this.shown = table.key;
    this.drawStates(table);
    this.drawColumns(table);
    this.drawLargest(table);
  }

  /**
   * How many rows are here alone, differ, are the same, are there alone; each opens its rows.
   * @param {import("../contract.d.ts").TableShown} table
   */
  drawStates(table) {
    const all = STATES.reduce((sum, [side]) => sum + (table.sides[side] ?? 0), 0) || 1;
    const bar = h("div", { class: "agree-bar", "aria-hidden": "true" });
    const keys = STATES.map(([side, words, look]) => {
      const rows = table.sides[side] ?? 0;
      const part = h("span", { class: `agree-${look}` });
      part.style.flexGrow = String(rows / all);
      if (rows) bar.append(part);
      return h(
        "button",
        {
          type: "button",
          class: "agree-key",
          disabled: !rows,
          onclick: () => {
            this.frame.close();
            this.frame.studio.act.showSide(side);
          },
        },
        h("span", { class: `mark agree-${look}`, "aria-hidden": "true" }),
        h("strong", {}, count(rows)),
        ` ${words}`,
      );
    });
    this.states.replaceChildren(bar, h("div", { class: "agree-keys" }, keys));
  }

  /**
   * Rows of one of the step's tables; null where they cannot be had, or another table is shown now.
   * @param {import("../contract.d.ts").TableShown} table
   * @param {Record<string, string>} query
   * @returns {Promise<import("./answers.d.ts").Cells[] | null>}
   */
  async rows(table, query) {
    const asked = new URLSearchParams({ offset: "0", output: "", ...query });
    const url = `/api/flows/${this.frame.studio.flow}/tables/${table.key}/rows?${asked}`;
    const found = await api(url).catch(() => null);
    return this.shown === table.key ? (found?.rows ?? null) : null;
  }

  /** @param {import("../contract.d.ts").TableShown} table */
  async drawColumns(table) {
    const rows = await this.rows(table, { limit: String(COLUMNS), output: "by_column" });
    if (!rows) return;
    const heads = ["Column", "differ", "", "empty here", "empty there", "largest", "sum"];
    const body = rows.map(([name, all, differ, here, there, largest, sum]) => {
      const share = h("span", { class: "join-share", "aria-hidden": "true" }, h("span", {}));
      /** @type {HTMLElement} */ (share.firstChild).style.width =
        `${Number(all) ? (100 * Number(differ)) / Number(all) : 0}%`;
      return h(
        "tr",
        { class: Number(differ) ? null : "muted" },
        cellOf(name),
        h("td", { class: "n" }, `${count(differ)} of ${count(all)}`),
        h("td", { class: "share" }, share),
        ...[here, there, largest, sum].map((cell) =>
          h(
            "td",
            { class: "n" },
            cell === null ? "" : figure(Number(String(cell).replaceAll(",", ""))),
          ),
        ),
      );
    });
    this.columns.replaceChildren(
      h(
        "table",
        { class: "wide-rows" },
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            heads.map((name) =>
              h("th", { scope: "col" }, name || h("span", { class: "visually-hidden" }, "share")),
            ),
          ),
        ),
        h("tbody", {}, body),
      ),
    );
  }

  /**
   * The cells that differ most, both ways, as bars from the middle; of each row they are in the
   * table itself.
   * @param {import("../contract.d.ts").TableShown} table
   */
  async drawLargest(table) {
    const at = table.columns.findIndex(({ name }) => name === "Difference");
    if (at < 0) {
      const said = "Choose “each cell that differs” to see them.";
      this.largest.replaceChildren(h("p", { class: "muted" }, said));
      return;
    }
    const ends = [];
    for (const desc of ["1", ""]) {
      const rows = await this.rows(table, {
        limit: String(MOST),
        sort: "Difference",
        ...(desc ? { desc } : {}),
      });
      if (!rows) return;
      ends.push(...rows);
    }
    const number = (/** @type {import("./answers.d.ts").Cells} */ row) =>
      Number(String(row[at]).replaceAll(",", ""));
    const known = [...new Map(ends.map((row) => [JSON.stringify(row), row])).values()]
      .filter((row) => row[at] !== null && number(row) !== 0)
      .sort((one, other) => Math.abs(number(other)) - Math.abs(number(one)))
      .slice(0, MOST);
    const most = Math.max(...known.map((row) => Math.abs(number(row))), 0);
    const columns = table.columns.map(({ name }) => name).filter((name) => name !== "Status");
    const lines = known.map((row) => {
      const bar = h("span", { class: `far ${number(row) < 0 ? "is-less" : "is-more"}` });
      bar.style.width = `${(50 * Math.abs(number(row))) / most}%`;
      return h(
        "tr",
        {},
        columns.map((name) => cellOf(row[table.columns.findIndex((one) => one.name === name)])),
        h("td", { class: "far-cell", "aria-hidden": "true" }, bar),
      );
    });
    this.largest.replaceChildren(
      known.length
        ? h(
            "div",
            {
              class: "gives-scroll",
              tabindex: "0",
              role: "group",
              "aria-label": "Largest differences",
            },
            h(
              "table",
              { class: "wide-rows" },
              h(
                "thead",
                {},
                h(
                  "tr",
                  {},
                  columns.map((name) => h("th", { scope: "col" }, name)),
                  h("td", {}),
                ),
              ),
              h("tbody", {}, lines),
            ),
          )
        : h("p", { class: "muted" }, "No numbers or days differ."),
    );
  }
}
