/**
 * Names that a reference is not sure of, as a list to review: what each may mean, and what else it
 * may be.
 */
import { Newest } from "./api.js";
import { h, pausing, plural } from "./dom.js";

const NEW = "(new)",
  LEFT = "(left)";

export class Candidates {
  /** @param {import("./decisions.js").Decisions} decisions */
  constructor(decisions) {
    this.decisions = decisions;
  }

  draw(found) {
    const best = found.open.filter(({ proposal }) => proposal);
    const all = (text, rows) =>
      h(
        "button",
        { type: "button", class: "tiny-button", onclick: () => this.decisions.decide(rows) },
        text,
      );
    return h(
      "div",
      { class: "questions" },
      h("p", { class: "said-next" }, plural(found.open_count, "name to decide", "names to decide")),
      h(
        "ul",
        { class: "decision-list review" },
        this.decisions.kept(found.open, (row) => this.question(row)),
      ),
      found.open.length > 1
        ? h(
            "p",
            { class: "small" },
            best.length > 1
              ? all(
                  `Take the first of these ${best.length}`,
                  best.map(({ key, proposal }) => [key, proposal]),
                )
              : "",
            all(
              `Leave these ${found.open.length}`,
              found.open.map(({ key }) => [key, LEFT]),
            ),
          )
        : "",
    );
  }

  /**
   * The likeliest meaning, said as a sentence to agree to; others and a search behind “Another”; or
   * none.
   */
  question({ key, rows, candidates }) {
    const [first, ...rest] = candidates ?? [];
    const others = h("div", { class: "candidates" });
    const fill = (found, none) =>
      others.replaceChildren(
        ...(found.length
          ? found.map((one) => this.candidate(key, one, "Take"))
          : [h("p", { class: "muted small m-0" }, none)]),
      );
    fill(rest, "It knows no other. Search, or say that it is none.");
    const newest = new Newest();
    const search = h("input", {
      type: "search",
      class: "form-control form-control-sm",
      placeholder: "Search the reference",
      "aria-label": `Search the reference for ${key}`,
      oninput: pausing(300, async (event) => {
        const text = event.target.value.trim();
        newest.forget();
        if (!text) return fill(rest, "It knows no other.");
        const answer = await newest.answer(() => this.decisions.find?.(text));
        if (answer) fill(answer.candidates, "Nothing is found by this.");
      }),
    });
    const fold = (title, open, ...inside) =>
      h(
        "details",
        { name: `of ${key}`, open: open || null },
        h("summary", { class: "linkish", "aria-label": `${title}: ${key}` }, title),
        inside,
      );
    return h(
      "li",
      { class: "question", "data-name": key },
      h(
        "div",
        { class: "line" },
        h("span", { class: "name" }, key),
        h("span", { class: "muted small" }, plural(rows, "row", "rows")),
      ),
      first
        ? this.candidate(key, first, "Yes")
        : h("p", { class: "muted small m-0" }, "The reference knows nothing like it."),
      fold(rest.length ? `Another… (${rest.length})` : "Another…", !first, search, others),
      fold(
        "None of these…",
        false,
        h(
          "p",
          { class: "none-of" },
          this.act("It is new", `It is new: ${key}`, [key, NEW]),
          this.act("Leave it without", `Leave it without: ${key}`, [key, LEFT]),
        ),
      ),
    );
  }

  candidate(key, one, word) {
    return h(
      "div",
      { class: "candidate" },
      h(
        "div",
        {},
        h("span", { class: "candidate-name" }, word === "Yes" ? `means ${one.name}?` : one.name),
        h(
          "span",
          { class: "candidate-about" },
          [one.about, one.id, `score ${Math.round(one.score * 10) / 10}`]
            .filter(Boolean)
            .join(" · "),
        ),
      ),
      h(
        "button",
        {
          type: "button",
          class: "btn btn-quiet btn-sm",
          "aria-label": `${word}: ${key} means ${one.name}`,
          onclick: () => this.decisions.decide([[key, `${one.id} ${one.name}`]]),
        },
        word,
      ),
    );
  }

  act(text, label, row) {
    return h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        "aria-label": label,
        onclick: () => this.decisions.decide([row]),
      },
      text,
    );
  }
}
