/**
 * The desk: where the selected thing is worked on. One view at a time: a step, a column, the flow,
 * revisions, a run.
 */
import { byId, h, icon } from "../dom.js";

export class Desk {
  /** @param {() => void} placed told when a view is shown */
  constructor(placed = () => {}) {
    this.element = byId("desk");
    /** @type {string | null} */
    this.view = null;
    this.placed = placed;
  }

  /**
   * Show a view: `eyebrow`, `title` (text or element), `summary`, `tools`, `body`, `foot`.
   * @param {string} name
   * @param {{eyebrow: string, title: any, summary?: string | null, tools?: any, body: any, foot?: any}} given
   */
  show(name, { eyebrow, title, summary = null, tools = null, body, foot = null }) {
    this.view = name;
    const scrolled = this.element.querySelector(".desk-body")?.scrollTop ?? 0;
    const same = this.shown === `${name} ${eyebrow}`;
    this.shown = `${name} ${eyebrow}`;
    const content = h("div", { class: "desk-body" }, body);
    this.element.replaceChildren(
      h(
        "div",
        { class: "desk-head" },
        h("p", { class: "eyebrow" }, eyebrow),
        h("div", { class: "line" }, typeof title === "string" ? h("h2", {}, title) : title, tools),
        summary ? h("p", { class: "desk-summary" }, summary) : null,
      ),
      content,
      foot ? h("div", { class: "desk-foot" }, foot) : "",
    );
    if (same) content.scrollTop = scrolled;
    this.placed();
  }

  /**
   * Say what is coming, where nothing is shown yet.
   * @param {string} title
   */
  wait(title) {
    const body = h("p", { class: "muted", role: "status" }, "Working out its table…");
    this.show("step", { eyebrow: "Step", title, body });
  }

  /** @param {boolean} yes */
  fold(yes) {
    document.body.classList.toggle("folded", yes);
    byId("fold").setAttribute("aria-expanded", String(!yes));
    byId("fold").textContent = yes ? "Show panel" : "Hide panel";
  }
}

/**
 * Where the server tells something of a column of the shown table, by the rows in focus.
 * @param {import("../studio.js").Studio} studio
 * @param {string} column
 * @param {string} what
 * @param {Record<string, string>} more
 */
export function addressOf({ table, flow, focus }, column, what, more) {
  const chosen = focus.text ? { focus: focus.text } : null;
  const query = new URLSearchParams({ column, output: table.output, ...chosen, ...more });
  return `/api/flows/${flow}/tables/${table.key}/${what}?${query}`;
}

/**
 * The buttons that take what is tried, and that put it back.
 * @param {() => void} keep
 * @param {() => void} drop
 * @returns {{apply: HTMLButtonElement, back: HTMLButtonElement}}
 */
export function takingOrNot(keep, drop) {
  const button = (/** @type {string} */ look, /** @type {string} */ text, more = {}) =>
    h("button", { type: "button", class: `btn ${look}`, ...more }, text);
  return {
    apply: button("btn-primary", "Apply", { disabled: true, onclick: keep }),
    back: button("btn-quiet", "Put back", { hidden: true, onclick: drop }),
  };
}

/**
 * The button that closes a view of the desk, as Esc does.
 * @param {string} label
 * @param {() => void} onclick
 */
export function closing(label, onclick) {
  const named = { "aria-label": label, title: `${label} (Esc)` };
  return h("button", { type: "button", class: "icon-button", ...named, onclick }, icon("x-lg"));
}

/**
 * A list of facts and warnings about a step; a fact may name the output that shows its rows.
 * @param {import("../contract.d.ts").FactShown[]} facts
 * @param {string[]} warnings
 * @param {import("../studio.js").Studio["act"]} act
 */
export function factList(facts, warnings, act) {
  const look = (/** @type {import("../contract.d.ts").FactShown} */ fact) =>
    h(
      "button",
      { type: "button", onclick: () => (fact.side ? act.showSide(fact.side) : act.showRows(fact)) },
      "Look at them",
    );
  const items = [
    ...facts
      .filter(
        (/** @type {import("../contract.d.ts").FactShown} */ fact) => fact.code !== "cells_changed",
      )
      .map((/** @type {import("../contract.d.ts").FactShown} */ fact) =>
        h(
          "li",
          { class: fact.level },
          fact.text,
          fact.side || fact.rule ? [". ", look(fact)] : null,
        ),
      ),
    ...warnings.map((/** @type {string} */ text) => h("li", { class: "warning" }, text)),
  ];
  return items.length ? h("ul", { class: "desk-facts" }, items) : null;
}
