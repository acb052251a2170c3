/**
 * Settings that are shown but not applied, by step: the one owner of what a step's settings are
 * while they are edited. Whoever draws them (the panel, the wide desk, a cell of the table) holds a
 * `Draft`, reads it and changes it; a view whose draft was changed by another is told "changed",
 * and draws itself anew. What is open outlives a reload.
 */
import { Teller } from "./teller.js";

/** Settings as text, the same for equal ones in whatever order their names stand. */
const told = (/** @type {any} */ settings) =>
  JSON.stringify(settings, (_, value) =>
    value && typeof value === "object" && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  );

/** One view's hold on the settings of a step. */
class Draft {
  /**
   * @param {Drafts} drafts
   * @param {string} id
   */
  constructor(drafts, id) {
    this.drafts = drafts;
    this.id = id;
    this.seen = this.text;
  }

  /** The settings as they are now; to be changed by `change` alone. */
  get settings() {
    return this.drafts.settings(this.id);
  }

  get text() {
    return told(this.settings);
  }

  /** Whether the settings are those that the holder last saw or made itself. */
  get current() {
    return this.seen === this.text;
  }

  /** @param {Record<string, any>} some the settings that change, with their new values */
  change(some) {
    this.seen = told({ ...this.settings, ...some });
    this.drafts.change(this.id, some);
  }
}

export class Drafts extends Teller {
  /**
   * @param {(id: string) => any} saved the settings of a step as the flow has them, none left out
   * @param {Storage | null} store where drafts outlive a reload
   * @param {string} key under which
   */
  constructor(saved, store = null, key = "drafts") {
    super();
    this.saved = saved;
    this.store = store;
    this.key = key;
    /** @type {Map<string, any>} */
    this.open = new Map();
    /** @type {Map<string, any>} what is on its way into the flow; what is changed meanwhile builds on it */
    this.applying = new Map();
  }

  /** Take up what was open before a reload, where the step still stands as it was then. */
  restore() {
    /** @type {[string, any, string][]} */
    let kept = [];
    try {
      kept = JSON.parse(this.store?.getItem(this.key) ?? "[]");
    } catch {
      // What a browser kept may be damaged; then nothing is open.
    }
    for (const [id, settings, base] of kept)
      if (told(this.saved(id)) === base) this.open.set(id, settings);
    this.keep();
  }

  keep() {
    if (!this.store) return;
    const kept = [...this.open].map(([id, settings]) => [id, settings, told(this.saved(id))]);
    try {
      if (kept.length) this.store.setItem(this.key, JSON.stringify(kept));
      else this.store.removeItem(this.key);
    } catch {
      // Too large to be kept, or keeping is not allowed: the browser asks before a reload.
    }
  }

  get size() {
    return this.open.size;
  }

  /** @param {string} id */
  get(id) {
    return this.open.get(id);
  }

  /** @param {string} id */
  has(id) {
    return this.open.has(id);
  }

  /**
   * What a step's settings are: those that are tried, else those of the flow.
   * @param {string} id
   */
  settings(id) {
    return this.open.get(id) ?? this.applying.get(id) ?? this.saved(id);
  }

  /**
   * @param {string} id
   * @returns {Draft}
   */
  of(id) {
    return new Draft(this, id);
  }

  /**
   * @param {string} id
   * @param {Record<string, any>} some
   */
  change(id, some) {
    this.open.set(id, { ...this.settings(id), ...structuredClone(some) });
    this.told(id);
  }

  /** @param {string} id */
  delete(id) {
    if (this.open.delete(id)) this.told(id);
  }

  /**
   * Take one out to apply it. It is told once that is done: by `putBack` where it failed, else by
   * `settled`.
   * @param {string} id
   */
  lift(id) {
    const settings = this.open.get(id);
    if (settings) this.applying.set(id, settings);
    this.open.delete(id);
    return settings;
  }

  /**
   * Applying failed: the settings are a draft again, unless newer ones were begun meanwhile.
   * @param {string} id
   * @param {any} settings
   */
  putBack(id, settings) {
    this.applying.delete(id);
    if (!this.open.has(id)) this.open.set(id, settings);
    this.told(id);
  }

  /** @param {string} id */
  settled(id) {
    this.applying.delete(id);
    this.told(id);
  }

  clear() {
    this.open.clear();
    this.applying.clear();
    this.told(null);
  }

  /** @param {string | null} id */
  told(id) {
    this.keep();
    this.tell("changed", id);
  }
}
