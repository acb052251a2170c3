/** Names that a reference is not sure of, as a list to review: candidates with what is known of them, a search, new, or left. */
import { attempt } from "./api.js";
import { h, icon, pausing, plural } from "./dom.js";

const NEW = "(new)",
  LEFT = "(left)",
  SHOWN = 3;

export class Candidates {
  /** @param {import("./decisions.js").Decisions} decisions */
  constructor(decisions) {
    this.decisions = decisions;
  }

  draw(found) {
    const best = found.open.filter(([, , proposal]) => proposal);
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
        found.open.map((row) => this.question(row)),
      ),
      found.open.length > 1
        ? h(
            "p",
            { class: "small" },
            best.length > 1
              ? all(
                  `Take the first of these ${best.length}`,
                  best.map(([key, , proposal]) => [key, proposal]),
                )
              : "",
            all(
              `Leave these ${found.open.length}`,
              found.open.map(([key]) => [key, LEFT]),
            ),
          )
        : "",
    );
  }

  question([key, rows, , , candidates]) {
    const list = h("div", { class: "candidates" });
    const fill = (found, most = SHOWN) => {
      const more = found.length - most;
      list.replaceChildren(
        ...(found.length
          ? found.slice(0, most).map((one) => this.candidate(key, one))
          : [h("p", { class: "muted small m-0" }, "Nothing like it. Search, or call it new.")]),
        more > 0
          ? h(
              "button",
              {
                type: "button",
                class: "tiny-button",
                "aria-label": `${more} more for ${key}`,
                onclick: () => fill(found, found.length),
              },
              `${more} more`,
            )
          : "",
      );
    };
    fill(candidates ?? []);
    return h(
      "li",
      { class: "question", "data-name": key },
      h(
        "div",
        { class: "line" },
        h("span", { class: "name" }, key),
        h("span", { class: "muted small" }, plural(rows, "row", "rows")),
      ),
      list,
      h(
        "div",
        { class: "line" },
        h("input", {
          type: "search",
          class: "form-control form-control-sm",
          placeholder: "Search the reference",
          "aria-label": `Search the reference for ${key}`,
          oninput: pausing(300, async (event) => {
            const text = event.target.value.trim();
            if (!text) return fill(candidates ?? []);
            const answer = await attempt(() => this.decisions.find(text));
            if (answer) fill(answer.candidates);
          }),
        }),
        this.act("new", `Call it new: ${key}`, [key, NEW]),
        this.act("leave", `Leave: ${key}`, [key, LEFT]),
      ),
    );
  }

  candidate(key, one) {
    return h(
      "button",
      {
        type: "button",
        class: "candidate",
        onclick: () => this.decisions.decide([[key, `${one.id} ${one.name}`]]),
      },
      h("span", { class: "candidate-name" }, one.name),
      h("span", { class: "candidate-score" }, String(Math.round(one.score * 10) / 10)),
      h("span", { class: "candidate-about" }, [one.about, one.id].filter(Boolean).join(" · ")),
      h("span", { class: "visually-hidden" }, `: take it for ${key}`),
      icon("check2"),
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
