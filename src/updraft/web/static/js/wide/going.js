/**
 * A list to go through on a wide desk: what is open, what is decided, or all; how much is done; and
 * its keys.
 */
import { count, h } from "../dom.js";
import { choice } from "../widgets/basic.js";

const SHOWS = [
  ["open", "open"],
  ["decided", "decided"],
  ["all", "all"],
];
const LISTED = 500;

/**
 * @template T
 * @typedef {object} Gone what a list is of
 * @property {string} label the list, to who hears it
 * @property {string} which what it shows, to who hears it: “Which families”
 * @property {string} none said where none is shown
 * @property {(item: T) => boolean} decided
 * @property {(item: T) => any[]} line what a line shows
 * @property {(item: T | null) => void} show draws the work on one
 * @property {() => void} [changed] called when other items are open
 * @property {() => string} some said of figures where not all are here
 * @property {Record<string, () => void>} keys by the key pressed
 */

/** @template T */
export class Going {
  /** @param {Gone<T>} of */
  constructor(of) {
    this.of = of;
    /** @type {T[]} */
    this.items = [];
    this.shows = "open";
    /** @type {T | null} */
    this.chosen = null;
    this.list = h("ul", { class: "family-list", "aria-label": of.label });
    this.bar = h("div", { class: "progress-line", "aria-hidden": "true" }, h("span", {}));
    this.progress = h("p", { class: "muted small", role: "status" });
    this.choice = choice(SHOWS, this.shows, of.which, (/** @type {string} */ shows) => {
      this.shows = shows;
      this.choose(this.shown()[0] ?? null);
    });
  }

  get parts() {
    return [this.progress, this.bar, this.choice, this.list];
  }

  get open() {
    return this.items.filter((item) => !this.of.decided(item));
  }

  shown() {
    if (this.shows === "all") return this.items;
    return this.items.filter((one) => this.of.decided(one) === (this.shows === "decided"));
  }

  /**
   * Other items; the one that was chosen stays so where it is still there.
   * @param {T[]} items
   * @param {(one: T, other: T) => boolean} same
   */
  take(items, same) {
    this.items = items;
    this.of.changed?.();
    const { chosen } = this;
    const known = chosen && items.find((item) => same(item, chosen));
    this.choose(known ?? this.shown()[0] ?? items[0] ?? null);
  }

  /** @param {T | null} item */
  choose(item) {
    this.chosen = item;
    this.draw();
    this.of.show(item);
  }

  /** Where the chosen one stands among those shown; -1 where it does not. */
  get at() {
    return this.chosen === null ? -1 : this.shown().indexOf(this.chosen);
  }

  /**
   * After an answer to the chosen one: on to the next where only open ones are shown. `give` notes
   * the answer.
   * @param {() => void} give
   */
  answered(give) {
    const next = this.shown()[this.at + 1] ?? null;
    give();
    this.of.changed?.();
    this.choose(this.shows === "open" ? (next ?? this.shown()[0] ?? null) : this.chosen);
    this.list.querySelector(".is-chosen button")?.focus();
  }

  draw() {
    const { decided, line, some, none } = this.of;
    const done = this.items.length - this.open.length;
    this.progress.textContent = some()
      ? `${count(done)} decided${some()}`
      : `${count(done)} of ${count(this.items.length)} decided`;
    /** @type {HTMLElement} */ (this.bar.firstChild).style.width =
      `${this.items.length ? (100 * done) / this.items.length : 0}%`;
    const inside = this.list.contains(document.activeElement);
    const shown = this.shown();
    const drawn = (/** @type {T} */ item) =>
      h(
        "li",
        { class: item === this.chosen ? "is-chosen" : "" },
        h(
          "button",
          {
            type: "button",
            "aria-current": item === this.chosen ? "true" : null,
            onclick: () => this.choose(item),
            onkeydown: (event) => this.key(event),
          },
          h("span", { class: `dot${decided(item) ? " is-done" : ""}`, "aria-hidden": "true" }),
          line(item),
        ),
      );
    this.list.replaceChildren(...shown.slice(0, LISTED).map(drawn));
    const more = shown.length - LISTED;
    if (more > 0) this.list.append(h("li", { class: "muted small" }, `and ${count(more)} more`));
    if (!shown.length) this.list.append(h("li", { class: "muted small" }, none));
    if (inside) this.list.querySelector(".is-chosen button")?.focus();
  }

  /** @param {number} by */
  step(by) {
    const shown = this.shown();
    const next = shown[Math.max(0, Math.min(this.at + by, shown.length - 1))] ?? null;
    if (next) this.choose(next);
    this.list.querySelector(".is-chosen")?.scrollIntoView({ block: "nearest" });
  }

  /**
   * Arrows go on; the other keys are the work's.
   * @param {KeyboardEvent} event
   */
  key(event) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    /** @type {Record<string, (() => void) | undefined>} */
    const acts = { ArrowDown: () => this.step(1), ArrowUp: () => this.step(-1), ...this.of.keys };
    const act = acts[pressed];
    if (!act) return;
    event.preventDefault();
    // a key held down answers one question
    if (event.repeat && !pressed.startsWith("Arrow")) return;
    act();
  }
}
