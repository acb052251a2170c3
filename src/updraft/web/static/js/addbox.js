/** The box that finds a kind of step by its name, by plain words or by words of the trade. */
import { api, attempt } from "./api.js";
import { byId, h, icon, pausing } from "./dom.js";

export class AddBox {
  constructor(catalogue, choose) {
    this.kinds = new Map(catalogue.map((kind) => [kind.kind, kind]));
    this.choose = choose;
    this.input = byId("add-box");
    this.list = byId("add-list");
    this.search = pausing(60, () => this.look());
    this.input.addEventListener("focus", () => this.look());
    this.input.addEventListener("input", () => this.search());
    this.input.addEventListener("blur", () => setTimeout(() => this.close(), 150));
    this.input.addEventListener("keydown", (event) => this.keys(event));
  }

  open() {
    this.input.focus();
    this.input.select();
  }

  close() {
    this.list.hidden = true;
    this.input.setAttribute("aria-expanded", "false");
    this.input.removeAttribute("aria-activedescendant");
  }

  look() {
    return (this.looking = this.find());
  }

  async find() {
    const query = this.input.value.trim();
    const answer = await attempt(() => api(`/api/flows/kinds?q=${encodeURIComponent(query)}`));
    if (!answer || query !== this.input.value.trim() || document.activeElement !== this.input)
      return;
    this.found = answer.kinds.map((kind) => this.kinds.get(kind));
    let family = null;
    const rows = [];
    this.found.forEach((kind, n) => {
      if (!query && kind.family !== family) {
        family = kind.family;
        rows.push(h("div", { class: "add-family", role: "presentation" }, family));
      }
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
          h("div", {}, h("strong", {}, kind.title), h("span", {}, kind.summary)),
        ),
      );
    });
    if (!rows.length)
      rows.push(
        h(
          "div",
          { class: "add-none", role: "option", "aria-disabled": "true" },
          `No kind of step fits “${query}”. Try another word, such as filter, trim or total.`,
        ),
      );
    this.list.replaceChildren(...rows);
    this.list.hidden = false;
    this.input.setAttribute("aria-expanded", "true");
    this.point(0);
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
      // What is typed decides, not the list still shown for what was typed before.
      Promise.resolve(this.search.now() ?? this.looking).then(() => this.take(this.at));
    }
  }

  take(n) {
    const kind = this.found?.[n];
    if (!kind) return;
    this.input.value = "";
    this.close();
    this.input.blur();
    this.choose(kind);
  }
}
