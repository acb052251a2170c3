/** What a step asks and what people answered: open questions, answers given, CSV in and out. */
import { api, attempt, Newest, notice } from "./api.js";
import { Candidates } from "./candidates.js";
import { count, h, icon, pausing, plural } from "./dom.js";
import { removeButton } from "./widgets/basic.js";

/** @typedef {import("./contract.d.ts").QuestionShown} Question */
/** @typedef {import("./contract.d.ts").DecisionsShown} Decided */

/**
 * A row beside the one that it may be, field by field; letters that differ are marked.
 * @param {import("./contract.d.ts").FieldAsked[]} fields
 */
export function pairTable(fields) {
  /** @param {[string, boolean][]} parts */
  const cell = (parts) =>
    parts.length
      ? h(
          "td",
          {},
          parts.map(([text, differs]) => (differs ? h("mark", {}, text) : text)),
        )
      : h("td", { class: "muted" }, "empty");
  return h(
    "table",
    { class: "pair-fields" },
    h(
      "thead",
      {},
      h(
        "tr",
        {},
        h("th", { scope: "col" }, h("span", { class: "visually-hidden" }, "Field")),
        ["this table", "the other"].map((head) => h("th", { scope: "col" }, head)),
      ),
    ),
    h(
      "tbody",
      {},
      fields.map(({ column, other, here, there }) => {
        const [one, two] = differing(here ?? "", there ?? "");
        const title = column === other ? null : `${column}, there ${other}`;
        return h("tr", {}, h("th", { scope: "row", title }, column), cell(one), cell(two));
      }),
    ),
  );
}

/**
 * Two texts in parts: what they begin and end with alike, and what differs between.
 * @param {string} one
 * @param {string} other
 * @returns {[string, boolean][][]}
 */
export function differing(one, other) {
  const [a, b] = [[...one], [...other]];
  const most = Math.min(a.length, b.length);
  let start = 0;
  while (start < most && a[start] === b[start]) start += 1;
  let end = 0;
  while (end < most - start && a[a.length - 1 - end] === b[b.length - 1 - end]) end += 1;
  const parts = (signs) => {
    /** @type {[string, boolean][]} */
    const all = [
      [signs.slice(0, start).join(""), false],
      [signs.slice(start, signs.length - end).join(""), true],
      [signs.slice(signs.length - end).join(""), false],
    ];
    return all.filter(([text]) => text);
  };
  return [parts(a), parts(b)];
}

/** A part of the step's desk. It fills itself, and again after each change. */
export class Decisions {
  /**
   * @param {((text: string) => Promise<any>) | null} find finds what a text may mean, for questions
   *   with candidates
   */
  constructor(studio, step, find = null) {
    this.find = find;
    this.studio = studio;
    this.step = step;
    this.search = "";
    this.opened = false;
    this.newest = new Newest();
    this.said = ""; // what is drawn now
    /** @type {Map<string, {said: string, element: HTMLElement}>} open questions by key */
    this.lines = new Map();
    this.element = h("section", { class: "decisions section-line", "aria-label": "Decisions" });
    this.findBox = this.finder();
    this.candidates = find ? new Candidates(this) : null;
    this.path = `/api/flows/${studio.flow}/steps/${step.id}/decisions`;
  }

  async load() {
    const query = new URLSearchParams({ search: this.search });
    const found = await this.newest.answer(() => api(`${this.path}?${query}`));
    if (found) this.draw(found);
  }

  async edit(edits) {
    if (await this.studio.edit(edits)) {
      await this.studio.look();
      await this.load();
    }
  }

  decide(rows) {
    return this.edit([{ op: "decide", id: this.step.id, rows }]);
  }

  /** Drawn only where something changed: what was opened or typed in a question stays. */
  draw(found) {
    const said = JSON.stringify(found);
    if (said === this.said) return;
    this.said = said;
    const settled = found.decided > 0,
      free = !found.answers.length,
      focused = /** @type {HTMLElement | null} */ (document.activeElement);
    this.element.replaceChildren(
      h("h3", { class: "field-title" }, "Decisions"),
      settled || free || !found.open_count ? "" : this.settle(found),
      (settled || free) && found.open_count ? this.open(found) : "",
      settled ? this.given(found) : "",
      this.tools(found),
    );
    if (focused !== document.activeElement && this.element.contains(focused)) focused?.focus();
  }

  /**
   * The lines of open questions; one that is asked as before keeps its element.
   * @param {Question[]} open
   * @param {(question: Question) => HTMLElement} made
   */
  kept(open, made) {
    const before = this.lines;
    this.lines = new Map(
      open.map((question) => {
        const said = JSON.stringify(question);
        const old = before.get(question.key);
        return [question.key, old?.said === said ? old : { said, element: made(question) }];
      }),
    );
    return [...this.lines.values()].map(({ element }) => element);
  }

  /** Nothing is settled yet: the names that are there can be taken as they are. */
  settle(found) {
    const [take] = found.answers;
    return h(
      "div",
      {},
      h(
        "p",
        { class: "muted small" },
        `${plural(found.open_count, "name", "names")} now. Settle them, and a name that comes later becomes a question.`,
      ),
      h(
        "button",
        {
          type: "button",
          class: "btn btn-quiet",
          onclick: async () => {
            const all = await attempt(() => api(`${this.path}?most=1000000`));
            if (all) this.decide(all.open.map(({ key }) => [key, take]));
          },
        },
        icon("check2-all"),
        " Settle these names",
      ),
    );
  }

  /**
   * Questions whose answer may be any text: what is proposed is there, to take, to change or to
   * refuse.
   */
  proposed(found) {
    const line = ({ key, rows, proposal, why, fields }) => {
      const input = h("input", {
        type: "text",
        class: "form-control form-control-sm",
        "aria-label": `What “${key}” becomes`,
        value: proposal ?? "",
        onkeydown: (event) => {
          if (event.key === "Enter") this.decide([[key, input.value]]);
        },
      });
      const act = (text, answer) =>
        h(
          "button",
          {
            type: "button",
            class: "tiny-button",
            "aria-label": `${text}: ${key}`,
            onclick: () => this.decide([[key, answer()]]),
          },
          text,
        );
      if (fields.length > 1)
        return h(
          "li",
          { class: "pair" },
          pairTable(fields),
          h("p", { class: "muted small m-0" }, `${why} · ${plural(rows, "row", "rows")}`),
          h(
            "p",
            { class: "pair-acts" },
            act("take", () => input.value),
            act("leave", () => key),
            h("details", {}, h("summary", { class: "linkish small" }, "another"), input),
          ),
        );
      return h(
        "li",
        { class: "proposal", title: why },
        h("span", { class: "name" }, key),
        h("span", { class: "muted small" }, plural(rows, "row", "rows")),
        h("span", { class: "arrow", "aria-hidden": "true" }, "→"),
        input,
        act("take", () => input.value),
        act("leave", () => key),
      );
    };
    const lines = this.kept(found.open, line);
    const all = () =>
      [...this.lines].map(([key, { element }]) => [
        key,
        /** @type {HTMLInputElement} */ (element.querySelector("input")).value,
      ]);
    return h(
      "div",
      { class: "questions" },
      h("p", { class: "said-next" }, plural(found.open_count, "open question", "open questions")),
      h("ul", { class: "decision-list" }, lines),
      lines.length > 1
        ? h(
            "p",
            { class: "small" },
            h(
              "button",
              { type: "button", class: "tiny-button", onclick: () => this.decide(all()) },
              found.open_count > lines.length ? `Take these ${lines.length}` : "Take all",
            ),
          )
        : "",
    );
  }

  open(found) {
    if (this.candidates) return this.candidates.draw(found);
    if (!found.answers.length) return this.proposed(found);
    const choose = (key, answer) => this.decide([[key, answer]]);
    const answers = (key, what) =>
      found.answers.map((answer) =>
        h(
          "button",
          {
            type: "button",
            class: "tiny-button",
            "aria-label": `${answer}: ${what}`,
            onclick: () => choose(key, answer),
          },
          answer,
        ),
      );
    const everything = (answer) => this.decide(found.open.map(({ key }) => [key, answer]));
    return h(
      "div",
      { class: "questions" },
      h("p", { class: "said-next" }, plural(found.open_count, "open question", "open questions")),
      h(
        "ul",
        { class: "decision-list" },
        found.open.map(({ key, rows }) =>
          h(
            "li",
            {},
            h("span", { class: "name" }, key),
            h("span", { class: "muted small" }, plural(rows, "row", "rows")),
            answers(key, key),
          ),
        ),
      ),
      found.open.length > 1
        ? h(
            "p",
            { class: "small" },
            "All of these: ",
            found.answers.map((answer) =>
              h(
                "button",
                { type: "button", class: "tiny-button", onclick: () => everything(answer) },
                answer,
              ),
            ),
          )
        : "",
    );
  }

  given(found) {
    const changed = (key, answer) => this.decide([[key, answer]]);
    const rows = found.given.map(([key, answer, , when]) =>
      h(
        "li",
        { title: when ? `Decided ${when.slice(0, 10)}` : null },
        h("span", { class: "name" }, key),
        found.answers.length
          ? h(
              "select",
              {
                class: "form-select form-select-sm slim",
                "aria-label": `Answer for ${key}`,
                onchange: (event) => changed(key, event.target.value),
              },
              found.answers.map((one) =>
                h("option", { value: one, selected: one === answer }, one),
              ),
            )
          : h("input", {
              type: "text",
              class: "form-control form-control-sm",
              "aria-label": `Answer for ${key}`,
              value: answer,
              onchange: (event) => changed(key, event.target.value),
            }),
        removeButton(`the answer for ${key}`, () =>
          this.edit([{ op: "undecide", id: this.step.id, keys: [key] }]),
        ),
      ),
    );
    const more = found.found - found.given.length;
    return h(
      "details",
      { open: this.opened || null, ontoggle: (event) => (this.opened = event.target.open) },
      h("summary", { class: "linkish" }, plural(found.decided, "answer given", "answers given")),
      found.decided > 20 || this.search ? this.findBox : "",
      found.found ? "" : h("p", { class: "muted small" }, "No answer is about this."),
      h("ul", { class: "decision-list" }, rows),
      more > 0 ? h("p", { class: "muted small" }, `and ${count(more)} more; search for one.`) : "",
    );
  }

  finder() {
    const input = h("input", {
      type: "search",
      class: "form-control form-control-sm",
      "aria-label": "Find an answer",
      placeholder: "Find an answer",
      value: this.search,
      oninput: pausing(250, () => {
        this.search = input.value;
        this.load();
      }),
    });
    return input;
  }

  tools(found) {
    return answerFile(this.studio, this.step, found.decided, () => this.load());
  }
}

/**
 * Answers in from a CSV file, out as one, or all taken back.
 * @param {import("./studio.js").Studio} studio
 * @param {{id: string}} step
 * @param {number} decided how many answers are given
 * @param {() => any} changed called when others are
 */
export function answerFile(studio, step, decided, changed) {
  const path = `/api/flows/${studio.flow}/steps/${step.id}/decisions`;
  const bring = async (given) => {
    if (!given) return;
    const body = new FormData();
    body.append("file", given, given.name);
    const state = await attempt(() => api(`${path}.csv`, { method: "POST", body }));
    if (!state) return;
    await studio.flowState.take(state);
    await studio.look();
    await changed();
    notice("The answers are in. Ctrl+Z takes them back.");
  };
  const back = async () => {
    if (!(await studio.edit([{ op: "undecide", id: step.id }]))) return;
    await studio.look();
    await changed();
  };
  const file = h("input", {
    type: "file",
    accept: ".csv,text/csv",
    hidden: true,
    "aria-label": "CSV file of answers",
    onchange: () => bring(file.files?.[0]),
  });
  const button = (text, name, onclick) =>
    h("button", { type: "button", class: "tiny-button", onclick }, icon(name), ` ${text}`);
  return h(
    "p",
    { class: "decision-tools" },
    file,
    button("Bring in CSV", "upload", () => file.click()),
    decided
      ? [
          h("a", { class: "tiny-button", href: `${path}.csv` }, icon("download"), " Save as CSV"),
          button("Take all back", "eraser", back),
        ]
      : null,
  );
}
