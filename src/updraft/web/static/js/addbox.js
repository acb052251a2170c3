/** The box that finds a kind of step by its name, by plain words or by words of the trade. */
import { api, attempt, notice } from "./api.js";
import { byId, h, icon, pausing } from "./dom.js";

export class AddBox {
  /**
   * @param {any[]} catalogue the kinds of steps
   * @param {(kind: any, branch: boolean) => void} choose
   * @param {{ follower: () => string, place: () => string, path: string }} where names the step
   *   that would then work on the new one's result and the table that the new one would take, ""
   *   where there is none; and the flow's address
   */
  constructor(catalogue, choose, where) {
    this.around = where;
    this.branch = false;
    this.kinds = new Map(catalogue.map((kind) => [kind.kind, kind]));
    this.choose = choose;
    /** @type {any[]} what fits what is typed, and the place among it */
    this.found = [];
    this.at = -1;
    /** @type {string | null} what the shown list was found for */
    this.foundFor = null;
    /** What was chosen by its words before its list came, one after another. */
    this.choosing = Promise.resolve();
    this.input = byId("add-box");
    this.drop = byId("add-drop");
    this.list = byId("add-list");
    this.search = pausing(60, () => this.look());
    this.input.addEventListener("focus", () => this.look());
    this.input.addEventListener("input", () => this.search());
    this.input.addEventListener("blur", () =>
      setTimeout(() => document.activeElement !== this.input && this.close(), 150),
    );
    this.input.addEventListener("keydown", (event) => this.keys(event));
  }

  /** @param {boolean} branch whether what is added becomes a branch of its own */
  open(branch = false) {
    this.input.focus();
    this.input.select();
    this.branch = branch;
    this.look();
  }

  close() {
    this.search.drop();
    this.foundFor = null;
    this.drop.hidden = true;
    this.branch = false;
    this.input.setAttribute("aria-expanded", "false");
    this.input.removeAttribute("aria-activedescendant");
  }

  words() {
    return this.input.value.trim();
  }

  /**
   * What fits some words, the best first.
   * @param {string} query
   */
  async ask(query) {
    const asked = `q=${encodeURIComponent(query)}&after=${encodeURIComponent(this.around.place())}`;
    const answer = await attempt(() => api(`${this.around.path}/kinds?${asked}`));
    if (!answer) return null;
    const most = query ? [] : answer.most;
    return {
      ...answer,
      most,
      found: [...most, ...answer.kinds].map((kind) => this.kinds.get(kind)),
    };
  }

  async look() {
    const query = this.words();
    const answer = await this.ask(query);
    if (!answer || query !== this.words() || document.activeElement !== this.input) return;
    this.found = answer.found;
    this.foundFor = query;
    const { most } = answer;
    let family = null;
    const rows = [];
    this.found.forEach((kind, n) => {
      const under = n < most.length ? "Used most" : kind.family;
      if (!query && under !== family) {
        family = under;
        rows.push(h("div", { class: "add-family", role: "presentation" }, family));
      }
      const lacks = answer.lacks[kind.kind];
      rows.push(
        h(
          "div",
          {
            class: "add-option",
            role: "option",
            id: `add-option-${n}`,
            onmousedown: (event) => {
              event.preventDefault();
              this.take(n);
            },
          },
          icon(kind.icon),
          h(
            "div",
            {},
            h("strong", {}, kind.title),
            lacks
              ? h("span", { class: "add-lacks" }, `${lacks[0].toUpperCase()}${lacks.slice(1)}`)
              : h("span", {}, kind.summary),
          ),
        ),
      );
    });
    if (answer.elsewhere)
      rows.push(
        h("div", { class: "add-none", role: "option", "aria-disabled": "true" }, answer.elsewhere),
      );
    if (!rows.length)
      rows.push(
        h(
          "div",
          { class: "add-none", role: "option", "aria-disabled": "true" },
          `No step does “${query}”. Try another word for it, such as filter, trim or total; without a word all steps are listed.`,
        ),
      );
    this.list.replaceChildren(...rows);
    byId("add-where").replaceChildren(...this.where());
    this.drop.hidden = false;
    this.input.setAttribute("aria-expanded", "true");
    this.point(0);
  }

  /** In the middle of the steps: here, or as a branch of its own. */
  where() {
    const follower = this.around.follower();
    if (!follower) return [];
    const way = (branch, text, key) =>
      h(
        "button",
        {
          type: "button",
          tabindex: "-1",
          class: "chip",
          "aria-pressed": String(this.branch === branch),
          title: key,
          onmousedown: (event) => {
            event.preventDefault();
            this.branch = branch;
            this.look();
          },
        },
        text,
      );
    return [
      way(false, `Here, before “${follower}”`, "Enter"),
      way(true, "As a branch of its own", "Shift Enter"),
      h(
        "span",
        {},
        this.branch
          ? "The steps that follow stay as they are."
          : `“${follower}” and what follows then work on its result. Shift Enter makes a branch.`,
      ),
    ];
  }

  point(at) {
    this.at = this.found.length ? (at + this.found.length) % this.found.length : -1;
    for (const option of this.list.querySelectorAll("[role=option]"))
      option.setAttribute(
        "aria-selected",
        option.id === `add-option-${this.at}` ? "true" : "false",
      );
    const current = byId(`add-option-${this.at}`);
    if (current) {
      this.input.setAttribute("aria-activedescendant", current.id);
      current.scrollIntoView({ block: "nearest" });
    }
  }

  keys(event) {
    if (event.key === "ArrowDown") {
      event.preventDefault();
      this.point(this.at + 1);
    } else if (event.key === "ArrowUp") {
      event.preventDefault();
      this.point(this.at - 1);
    } else if (event.key === "Escape") {
      event.preventDefault();
      event.stopPropagation();
      this.input.value = "";
      this.input.blur();
      byId("stops").querySelector("[tabindex='0']")?.focus();
    } else if (event.key === "Enter") {
      event.preventDefault();
      this.enter(event.shiftKey || this.branch);
    }
  }

  /**
   * Take what is pointed at. What is typed decides, not the list still shown for what was typed
   * before: where its own has not come yet, its best is taken when it comes, and whoever goes on
   * typing meanwhile does so elsewhere.
   * @param {boolean} branch
   */
  enter(branch) {
    const words = this.words();
    if (this.foundFor === words) return this.take(this.at, branch);
    if (!words) return;
    this.leave();
    this.choosing = this.choosing.then(async () => {
      const answer = await this.ask(words); // null when it failed, which is told
      if (answer?.found.length) this.choose(answer.found[0], branch);
      else if (!this.words()) this.giveBack(words);
      else if (answer) notice(`No step does “${words}”.`, "problem");
    });
  }

  /** Words that nothing was taken for stand in the box again. */
  giveBack(words) {
    this.input.value = words;
    this.input.focus();
  }

  take(n, branch = this.branch) {
    const kind = this.found?.[n];
    if (!kind) return;
    this.leave();
    this.choose(kind, branch);
  }

  /** To where the new step is set: what only lost the focus would get it back, and open again. */
  leave() {
    this.input.value = "";
    this.close();
    byId("desk").focus({ preventScroll: true });
    if (document.activeElement === this.input) byId("main").focus({ preventScroll: true });
  }
}
