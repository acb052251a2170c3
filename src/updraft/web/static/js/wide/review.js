/**
 * The work of kinds that ask what a row is: their questions, one with what it may mean, and the
 * settings.
 */
import { api, attempt } from "../api.js";
import { answerFile, pairTable } from "../decisions.js";
import { factList } from "../desk/desk.js";
import { count, h, pausing, plural } from "../dom.js";
import { searchedReference, stepForm } from "../stepForm.js";
import { Going } from "./going.js";
import { drawResult } from "./result.js";
import { sampleRows } from "./rows.js";

/**
 * @typedef {import("../contract.d.ts").QuestionShown & {answer: string | null}} Asked a question,
 *   or one answered before
 * @typedef {import("../contract.d.ts").CandidateShown} Candidate
 */

const MOST = 5000; // questions that are here at once
const NEW = "(new)",
  LEFT = "(left)"; // answers besides the identifier and name of a candidate
const DIGITS = 9;

export class Work {
  /** @param {import("./frame.js").WideDesk} frame */
  constructor(frame) {
    const { studio, kind } = frame;
    this.frame = frame;
    this.studio = studio;
    this.step = frame.step;
    this.port = frame.main;
    this.path = `/api/flows/${studio.flow}/steps/${this.step.id}/decisions`;
    this.all = 0; // questions there are
    this.revision = -1; // of the flow that they are of
    this.find = kind.remote ? searchedReference(frame) : null;
    this.form = stepForm(studio, kind, frame.incoming, {
      get settings() {
        return frame.settings;
      },
      change: (some) => frame.set(some),
    });
    /** @type {Going<Asked>} */
    this.going = new Going({
      label: "Questions",
      which: "Which questions",
      none: "Nothing here.",
      decided: (asked) => asked.answer !== null,
      line: lineOf,
      show: (asked) => this.draw(asked),
      changed: () => this.drawTools(),
      some: () => (this.all > MOST ? ` of the first ${count(MOST)}` : ""),
      keys: {
        Enter: () => this.acts?.yes?.(),
        l: () => this.acts?.left?.(),
        n: () => this.acts?.fresh?.(),
        ...Object.fromEntries(
          Array.from({ length: DIGITS }, (_, n) => [`${n + 1}`, () => this.takeNth(n)]),
        ),
      },
    });
    /** @type {{yes: () => void, left: () => void, fresh?: () => void} | null} what the keys do to the one shown */
    this.acts = null;
    /** @type {Candidate[]} what the digits take */
    this.offered = [];
    this.tools = h("div");
    this.facts = h("div", { role: "status" });
    this.rows = h("div", { class: "gives-table" });
    this.sample = h("div", { class: "wide-sample" });
    this.middle = h("section", { class: "wide-middle", "aria-label": "One question" });
    this.element = h(
      "div",
      { class: "wide-three wide-review" },
      h(
        "section",
        { class: "wide-left", "aria-label": "Questions" },
        h("h3", { class: "eyebrow" }, "What is asked"),
        this.going.parts,
        this.tools,
      ),
      this.middle,
      h(
        "section",
        { class: "wide-right", "aria-label": "Settings" },
        h("h3", { class: "eyebrow" }, "Settings"),
        this.form.element,
      ),
    );
    this.draw(null);
  }

  get subject() {
    return this.frame.kind.summary;
  }

  sentence() {
    return this.studio.state.steps[this.step.id]?.sentence ?? "";
  }

  /** @param {import("../contract.d.ts").TableShown | null} table */
  sums(table) {
    const open = this.going.open.length + Math.max(0, this.all - MOST);
    const asks = `${plural(open, "question", "questions")} open`;
    return table?.did ? `${table.did}; ${asks}` : asks;
  }

  /**
   * After each look: what is asked follows from the flow as it is kept, not from settings that are
   * tried.
   * @param {import("../contract.d.ts").TableShown | null} table
   * @param {import("../contract.d.ts").ProblemShown | null} problem
   */
  effect(table, problem) {
    const { studio, step } = this;
    const own = problem && (!problem.step || problem.step === step.id);
    this.tells = this.form.say(own ? problem : null)
      ? "See what is said at the setting."
      : undefined;
    this.facts.replaceChildren(
      table && !problem ? (factList(table.facts, table.warnings, studio.act) ?? "") : "",
    );
    drawResult(this.rows, studio, table, problem);
    if (studio.state.revision !== this.revision) this.load();
  }

  async load() {
    const { studio } = this;
    this.revision = studio.state.revision;
    const query = new URLSearchParams({ most: String(MOST) });
    /** @type {import("../contract.d.ts").DecisionsShown | null} */
    const found = await attempt(() => api(`${this.path}?${query}`));
    if (!found || !this.element.isConnected || this.revision !== studio.state.revision) return;
    this.all = found.open_count;
    /** @type {Asked[]} */
    const answered = found.given.map(([key, answer]) => ({ ...bare, key, answer }));
    /** @type {Asked[]} */
    const asked = found.open.map((one) => ({ ...one, answer: null }));
    this.going.take([...asked, ...answered], (one, other) => one.key === other.key);
    this.frame.effect(studio.table, studio.problem);
  }

  /** What can be said to all that have a proposal, and answers as a file. */
  drawTools() {
    const { studio, step } = this;
    const open = this.going.open.filter(({ proposal }) => proposal);
    const answered = this.going.items.length - this.going.open.length;
    this.tools.replaceChildren(
      open.length > 1 ? this.many(open.map((one) => [one.key, one.proposal])) : "",
      answerFile(studio, step, answered, () => this.load()),
    );
  }

  /** @param {(string | null)[][]} rows keys and answers */
  many(rows) {
    return h(
      "button",
      { type: "button", class: "btn btn-quiet w-100", onclick: () => this.decideAll(rows) },
      `Take what is proposed for these ${count(rows.length)}`,
    );
  }

  // Middle: one question

  /** @param {Asked | null} asked */
  draw(asked) {
    this.acts = null;
    if (!asked) {
      const said = this.going.items.length
        ? "Every question here is answered."
        : "Nothing is asked.";
      const gives = h("h3", { class: "eyebrow" }, "What it gives");
      this.middle.replaceChildren(h("p", { class: "muted" }, said), gives, this.facts, this.rows);
      return;
    }
    const at = this.going.items.indexOf(asked) + 1;
    const head = h(
      "div",
      { class: "wide-line" },
      h("h3", { class: "family-title", dir: "auto" }, asked.key),
      h("span", { class: "muted" }, `${count(at)} of ${count(this.going.items.length)}`),
    );
    if (asked.answer !== null) {
      this.middle.replaceChildren(head, ...this.drawAnswered(asked));
      return;
    }
    this.middle.replaceChildren(
      head,
      ...(asked.candidates ? this.drawCandidates(asked) : this.drawProposal(asked)),
      h("h3", { class: "eyebrow" }, "Rows it is about, and what stands beside"),
      this.sample,
    );
    this.look(asked);
  }

  /** A row beside the one that it may be. @param {Asked} asked */
  drawProposal(asked) {
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "text",
      class: "form-control",
      id: "another-answer",
      value: asked.proposal ?? "",
      spellcheck: "false",
      onkeydown: (event) => event.key === "Enter" && this.give(asked, input.value),
    });
    this.acts = {
      yes: () => this.give(asked, input.value),
      left: () => this.give(asked, asked.key),
    };
    return [
      h("p", { class: "muted" }, asked.why ?? ""),
      pairTable(asked.fields),
      h("label", { for: "another-answer", class: "field-title" }, "It is"),
      h(
        "div",
        { class: "family-acts" },
        input,
        button("Take it", "Enter", this.acts.yes, true),
        button("Leave it", "L", this.acts.left),
      ),
    ];
  }

  /** What a reference knows that is like it. @param {Asked} asked */
  drawCandidates(asked) {
    const known = asked.candidates ?? [];
    const list = h("ul", { class: "meanings" });
    /** @param {Candidate[]} found @param {string} none said where there is none */
    const fill = (found, none) => {
      this.offered = found;
      list.replaceChildren(
        ...(found.length
          ? found.map((one, n) => this.candidate(asked, one, n))
          : [h("li", { class: "muted" }, none)]),
      );
    };
    const nothing = "The reference knows nothing like it. Search for it, or say that it is new.";
    fill(known, nothing);
    const search = h("input", {
      type: "search",
      class: "form-control",
      placeholder: "Search the reference",
      "aria-label": `Search the reference for ${asked.key}`,
      oninput: pausing(300, async () => {
        const text = search.value.trim();
        if (!text) return fill(known, nothing);
        const found = await attempt(() => this.find?.(text));
        if (found && search.value.trim() === text && this.going.chosen === asked)
          fill(found.candidates, "Nothing is found by this.");
      }),
    });
    this.acts = {
      yes: () => this.takeNth(0),
      left: () => this.give(asked, LEFT),
      fresh: () => this.give(asked, NEW),
    };
    return [
      h("p", { class: "muted" }, "What does it mean?"),
      list,
      search,
      h(
        "div",
        { class: "family-acts" },
        button("It is new", "N", this.acts.fresh),
        button("Leave it without", "L", this.acts.left),
      ),
    ];
  }

  /** @param {Asked} asked @param {Candidate} one @param {number} n */
  candidate(asked, one, n) {
    const about = [one.about, one.id, `score ${Math.round((one.score ?? 0) * 10) / 10}`];
    const key = n === 0 ? "Enter" : n < DIGITS ? `${n + 1}` : "";
    return h(
      "li",
      {},
      h(
        "div",
        {},
        h("span", { class: "candidate-name", dir: "auto" }, one.name),
        h("span", { class: "candidate-about" }, about.filter(Boolean).join(" · ")),
      ),
      button(
        "Take",
        key,
        () => this.give(asked, answerOf(one)),
        n === 0,
        `${asked.key} means ${one.name}`,
      ),
    );
  }

  /** @param {Asked} asked */
  drawAnswered(asked) {
    const said = {
      [NEW]: "It is new.",
      [LEFT]: "It is left without.",
      [asked.key]: "It is left as it is.",
    }[asked.answer ?? ""];
    const back = () => this.back(asked);
    return [
      h("p", {}, said ?? h("span", {}, "It is ", h("strong", {}, asked.answer || "empty"), ".")),
      h("div", { class: "family-acts" }, button("Take the answer back", "", back)),
    ];
  }

  /** The rows in this table that the question is about. @param {Asked} asked */
  async look(asked) {
    this.sample.replaceChildren();
    const conditions = asked.fields.map(({ column, here }) =>
      here === null ? { column, test: "empty" } : { column, test: "equals", value: here },
    );
    if (!this.port?.known || !conditions.length) return;
    const found = await sampleRows(this.studio, this.port, conditions);
    if (!found || this.going.chosen !== asked) return;
    this.sample.replaceChildren(
      found.table,
      h("p", { class: "muted small" }, `${plural(asked.rows, "row asks", "rows ask")} this.`),
    );
  }

  // Answers

  /** @param {number} n */
  takeNth(n) {
    const asked = this.going.chosen;
    const one = this.offered?.[n];
    if (asked?.candidates && asked.answer === null && one) this.give(asked, answerOf(one));
  }

  /** @param {Asked} asked @param {string} answer */
  async give(asked, answer) {
    this.offered = [];
    this.going.answered(() => {
      asked.answer = answer;
    });
    await this.edit({ op: "decide", rows: [[asked.key, answer]] });
  }

  /** @param {(string | null)[][]} rows keys and answers */
  async decideAll(rows) {
    await this.edit({ op: "decide", rows });
    await this.load();
  }

  /** @param {Asked} asked */
  async back(asked) {
    await this.edit({ op: "undecide", keys: [asked.key] });
    await this.load();
  }

  /**
   * Kept at once; what is asked here follows already, so that nobody waits for the table.
   * @param {object} edit
   */
  async edit(edit) {
    const { studio, step } = this;
    this.revision = studio.state.revision + 1;
    const done = await studio.edit([{ ...edit, id: step.id }]);
    this.revision = done ? studio.state.revision : -1;
    if (this.element.isConnected) this.frame.effect(studio.table, studio.problem);
  }
}

/** @type {Omit<Asked, "key" | "answer">} an answer given before: what was asked is not known any more */
const bare = { rows: 0, proposal: null, why: null, fields: [], candidates: null };

/** @param {Candidate} one */
const answerOf = (one) => `${one.id} ${one.name}`;

/** @param {Asked} asked */
const lineOf = (asked) => [
  h(
    "span",
    { class: "name", dir: "auto" },
    h("strong", {}, asked.key),
    h(
      "span",
      { class: "muted small" },
      asked.answer === null ? asked.proposal || "nothing like it" : asked.answer || "empty",
    ),
  ),
  asked.rows ? h("span", { class: "muted small" }, plural(asked.rows, "row", "rows")) : null,
];

/**
 * @param {string} text
 * @param {string} key
 * @param {(() => void) | undefined} does
 * @param {string} about said to who hears it, since a button stands beside what it is about
 */
const button = (text, key, does, main = false, about = "") =>
  h(
    "button",
    { type: "button", class: `btn ${main ? "btn-primary" : "btn-quiet"}`, onclick: does },
    key ? `${text} ` : text,
    key ? h("kbd", {}, key) : null,
    about ? h("span", { class: "visually-hidden" }, ` ${about}`) : null,
  );
