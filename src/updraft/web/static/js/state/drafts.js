/** Settings that are shown but not applied, by step. Tells "changed". */
import { Teller } from "./teller.js";

export class Drafts extends Teller {
  constructor() {
    super();
    /** @type {Map<string, any>} */
    this.open = new Map();
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
   * @param {string} id
   * @param {any} settings
   */
  set(id, settings) {
    this.open.set(id, structuredClone(settings));
    this.tell("changed", id);
  }

  /** @param {string} id */
  delete(id) {
    if (this.open.delete(id)) this.tell("changed", id);
  }

  /**
   * Take one out to apply it. It is told once that is done: by `set` where it failed, else by `settled`.
   * @param {string} id
   */
  lift(id) {
    const settings = this.open.get(id);
    this.open.delete(id);
    return settings;
  }

  /** @param {string} id */
  settled(id) {
    this.tell("changed", id);
  }

  clear() {
    this.open.clear();
    this.tell("changed", null);
  }
}
