/**
 * The work of Join: which rows meet, drawn as bands that are ticked; keys, columns, and what did
 * not meet.
 */
import { figure } from "../charts.js";
import { api, attempt, post } from "../api.js";
import { factList } from "../desk/desk.js";
import { count, freshId, h, pausing, plural } from "../dom.js";
import { changedAfter } from "../recoding.js";
import { stepForm } from "../stepForm.js";
import { bandsPicture } from "./join_bands.js";
import { missedRows } from "./join_missed.js";
import { firstRows } from "./rows.js";

/** @typedef {import("./answers.d.ts").Met} Met */

const ROWS = 8,
  COLUMNS = 8;
// Whether rows that meet, this table's without a partner and the other's come out → the setting,
// and its name.
/** @type {Record<string, [setting: string, name: string]>} */
const KINDS = {
  100: ["inner", "inner join"],
  110: ["left", "left outer join"],
  101: ["right", "right outer join"],
  111: ["full", "full outer join"],
  "010": ["only", "left anti join"],
  "001": ["only_other", "right anti join"],
  "011": ["apart", "full anti join"],
};
const TICKS = Object.fromEntries(Object.entries(KINDS).map(([ticks, [rows]]) => [rows, ticks]));
/** @type {[name: string, words: string][]} */
const TIDIED = [
  ["ignore_case", "without case"],
  ["ignore_blanks", "without outer blanks"],
  ["ignore_accents", "without accents"],
  ["as_numbers", "digits as numbers"],
];
const MORE = ["by", "near", "near_reference", "side", "within", "start", "end", "repeated", "most"];

export class Work {
  /** @type {string | undefined} the table whose first rows are shown, by its key */
  shown;

  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    this.frame = frame;
    this.main = frame.incoming.table;
    this.other = frame.incoming.reference;
    /** @type {Met | null} how the rows would meet */
    this.met = null;
    this.picture = h("div", { class: "join-picture" });
    this.facts = h("div", { role: "status" }); // what the step tells, where it is not drawn
    this.found = h("ul", {
      class: "join-found",
      "aria-label": "Values of the keys that are found",
    });
    this.missed = h("div", { class: "join-missed" });
    this.tidied = h("div", { class: "join-tidied", role: "group", "aria-label": "Compare keys" });
    this.rows = h("div", { class: "gives-table" });
    const forms = [["keys"], ["keep", "bring"], MORE].map((names) => this.form(names));
    this.forms = forms;
    const [keys, columns, more] = forms;
    this.element = h(
      "div",
      { class: "join-work" },
      h(
        "section",
        { "aria-label": "What meets" },
        this.picture,
        h("h3", { class: "eyebrow" }, "Rows meet where"),
        keys.element,
        this.found,
        this.missed,
      ),
      h(
        "section",
        { class: "wide-right", "aria-label": "Keys and columns" },
        h("h3", { class: "eyebrow" }, "Compare keys"),
        this.tidied,
        h("h3", { class: "eyebrow" }, "Columns that come out"),
        columns.element,
        h(
          "details",
          { class: "more", open: frame.settings.by !== "equal" || null },
          h("summary", {}, "Nearest, ranges, limits"),
          more.element,
        ),
        h("h3", { class: "eyebrow" }, "First rows"),
        this.rows,
      ),
    );
    this.soon = pausing(120, () => this.ask());
    this.ask();
  }

  /**
   * Some of the settings as they stand in the form of the step.
   * @param {string[]} names
   */
  form(names) {
    const { studio, kind, incoming } = this.frame;
    const { properties } = kind.schema;
    const some = Object.fromEntries(names.map((name) => [name, properties[name]]));
    const model = {
      frame: this.frame,
      get settings() {
        return this.frame.settings;
      },
      change: (/** @type {Record<string, any>} */ change) => this.set(change),
    };
    return stepForm(
      studio,
      { ...kind, schema: { ...kind.schema, properties: some } },
      incoming,
      model,
    );
  }

  /** @param {Record<string, any>} change */
  set(change) {
    this.frame.set(change);
    this.drawTidied();
    this.soon();
  }

  /**
   * What a table is called: by its step's name, else by what it reads.
   * @param {import("../contract.d.ts").ArrivingShown | undefined} port
   */
  label(port) {
    const step = this.frame.studio.state.steps[port?.ref?.split(".")[0] ?? ""];
    if (!step) return "";
    return step.name || (step.role === "source" && step.sentence) || step.label;
  }

  get subject() {
    return `${this.label(this.main)} and ${this.label(this.other) || "another table"}`;
  }

  sentence() {
    const { rows } = this.frame.settings;
    if (rows === "cross") return "Every row beside every row of the other (cross join).";
    const [meet, mine, its] = [...TICKS[rows]].map(Number);
    const kept = [
      meet ? "rows that meet" : "",
      mine ? `${this.label(this.main)} without a partner` : "",
      its ? `${this.label(this.other)} without a partner` : "",
    ].filter(Boolean);
    return `Comes out: ${kept.join(", ")} (${KINDS[TICKS[rows]][1]}).`;
  }

  /** Whether it is said by what the rows meet. */
  chosen() {
    const { by, keys, near, near_reference, start, end } = this.frame.settings;
    if (by === "nearest") return Boolean(near && near_reference);
    return by === "range" ? Boolean(near && start && end) : keys?.length > 0;
  }

  /** The columns that tell rows which met nothing: the keys, and what must be near. */
  told() {
    const { keys, by, near } = this.frame.settings;
    const columns = (keys ?? []).map((/** @type {{column: string}} */ key) => key.column);
    return [...columns, ...(by === "equal" ? [] : [near])];
  }

  /** Ask how the rows meet by the settings as they are. */
  async ask() {
    const { studio, settings } = this.frame;
    const ready = this.main?.known && this.other?.known && this.chosen();
    if (!ready || settings.rows === "cross") {
      this.met = null;
      return this.draw();
    }
    const body = {
      output: this.main.output,
      other: this.other.key,
      other_output: this.other.output,
      settings,
    };
    const asked = JSON.stringify(body);
    this.asked = asked;
    const url = `/api/flows/${studio.flow}/tables/${this.main.key}/meeting`;
    const found = await post(url, body).catch(() => null); // what is wrong is told by the step's own trial
    if (this.asked !== asked) return;
    this.met = found;
    this.draw();
  }

  draw() {
    this.drawPicture();
    this.drawFound();
    this.drawTidied();
    this.drawMissed();
    const { frame } = this;
    if (frame.work === this) frame.effect(frame.studio.table, frame.studio.problem);
  }

  drawPicture() {
    if (!this.met) {
      const { settings } = this.frame;
      const why =
        settings.rows === "cross"
          ? "How many come out of each with each is counted when it is tried."
          : this.chosen()
            ? "The rows do not meet by these columns yet."
            : "Choose by which columns the rows meet.";
      this.picture.replaceChildren(h("p", { class: "muted join-empty" }, why), this.facts);
      return;
    }
    const focused = /** @type {any} */ (document.activeElement)?.dataset?.tick;
    this.picture.replaceChildren(
      bandsPicture(this.met, {
        names: [this.label(this.main), this.label(this.other)],
        ticks: [...(TICKS[this.frame.settings.rows] ?? "100")].map(Number),
        tick: (at) => this.tick(at),
      }),
    );
    if (focused) this.picture.querySelector(`[data-tick="${focused}"]`)?.focus();
  }

  /**
   * Let a band come out, or not; one of them always does.
   * @param {number} at
   */
  tick(at) {
    const ticks = [...(TICKS[this.frame.settings.rows] ?? "100")].map(Number);
    ticks[at] = 1 - ticks[at];
    const rows = KINDS[ticks.join("")]?.[0];
    if (rows) this.set({ rows });
    this.drawPicture();
  }

  drawFound() {
    const { keys } = this.frame.settings;
    this.found.replaceChildren(
      ...(this.met?.found ?? []).map(([values, there], n) => {
        const bar = h("span", { class: "join-share", "aria-hidden": "true" }, h("span", {}));
        /** @type {HTMLElement} */ (bar.firstChild).style.width =
          `${values ? (100 * there) / values : 0}%`;
        const { column, reference } = keys[n] ?? {};
        return h(
          "li",
          {},
          h("span", { class: "name" }, `${column} = ${reference}`),
          bar,
          h(
            "span",
            { class: "n" },
            `${count(there)} of ${plural(values, "value", "values")} found`,
          ),
        );
      }),
    );
  }

  drawTidied() {
    const { settings } = this.frame;
    this.tidied.replaceChildren(
      ...TIDIED.map(([name, words]) => {
        const id = freshId("tidied");
        const gain = this.met?.gains?.[name];
        const on = Boolean(settings[name]);
        const said = gain === undefined ? "" : count(Math.abs(gain));
        return h(
          "div",
          { class: "join-way" },
          h("input", {
            type: "checkbox",
            class: "form-check-input",
            id,
            checked: on,
            onchange: (event) => {
              this.set({ [name]: event.target.checked });
              this.tidied
                .querySelectorAll("input")
                [TIDIED.findIndex(([one]) => one === name)].focus();
            },
          }),
          h("label", { for: id }, words),
          h(
            "span",
            { class: `n${gain ? " is-gain" : ""}` },
            said && `+${said} ${said === "1" ? "row" : "rows"}`,
          ),
        );
      }),
    );
  }

  drawMissed() {
    const of = {
      settings: this.frame.settings,
      told: this.told(),
      other: this.label(this.other),
      recode: (/** @type {[string, string, string]} */ ...change) => this.recode(...change),
    };
    this.missed.replaceChildren(...missedRows(this.met, of));
  }

  /**
   * One value of the key becomes another, in a step before this one; where one stands there, in
   * that.
   * @param {string} old
   * @param {string} fresh
   * @param {string} column
   */
  async recode(old, fresh, column) {
    const { studio } = this.frame;
    const [before] = this.main.ref.split(".");
    const known = studio.state.steps[before];
    const own = known?.kind === "recode_values" && known.settings?.column === column;
    // What stands in the table that comes in is what a Recode step before has made.
    const changes = changedAfter((own && known.settings.changes) || [], [[old, fresh]]);
    const edit = own
      ? { op: "set", id: before, settings: { ...known.settings, changes } }
      : {
          op: "add",
          step: { kind: "recode_values", settings: { column, changes } },
          after: this.main.ref,
          insert: true,
        };
    await attempt(async () => {
      await studio.applyDraft();
      await studio.edit([edit], `${old} is ${fresh}`);
      await studio.reselect();
    });
  }

  /**
   * What the step does, for the foot: exact before anything is joined.
   * @param {import("../contract.d.ts").TableShown | null} table
   */
  sums(table) {
    const { met } = this;
    if (!met) return table ? `${plural(table.rows, "row comes", "rows come")} out` : "";
    const [meet, mine, its] = [...TICKS[this.frame.settings.rows]].map(Number);
    const out =
      (meet ? met.pairs : 0) +
      (mine ? met.left - met.met : 0) +
      (its ? met.right - met.met_other : 0);
    const said = [`${plural(met.left, "row", "rows")} in → ${plural(out, "row", "rows")} out`];
    if (meet && met.several) said.push(`${plural(met.several, "row is", "rows are")} repeated`);
    if (meet && met.sums.length) {
      const [name, before, after] = met.sums[0];
      said.push(`the sum of ${name} goes from ${figure(before)} to ${figure(after)}`);
    }
    return said.join(" · ");
  }

  /**
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  effect(table, problem) {
    const own = problem && (!problem.step || problem.step === this.frame.step.id);
    for (const form of this.forms) form.say(own ? problem : null);
    this.frame.about.textContent = this.sentence();
    const tells = table && !problem && !this.met;
    this.facts.replaceChildren(
      tells ? (factList(table.facts, table.warnings, this.frame.studio.act) ?? "") : "",
    );
    this.drawRows(table, problem);
  }

  /**
   * The first rows of the result.
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  async drawRows(table, problem) {
    if (!table || problem || this.shown === table.key) return;
    this.shown = table.key;
    const query = new URLSearchParams({ offset: "0", limit: String(ROWS), output: "" });
    const url = `/api/flows/${this.frame.studio.flow}/tables/${table.key}/rows?${query}`;
    const found = await api(url).catch(() => null);
    if (!found || this.shown !== table.key) return;
    this.rows.replaceChildren(...firstRows(table, found.rows, COLUMNS));
  }
}
