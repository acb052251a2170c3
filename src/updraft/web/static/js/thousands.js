/** In which columns thousands stand apart: as a person chose, else where a column holds amounts. */
export class Thousands {
  /** @param {string} flow whose choices are kept in this browser */
  constructor(flow) {
    this.key = `updraft.thousands.${flow}`;
    /** @type {Record<string, boolean>} */
    this.chosen = this.kept();
    /** @type {Map<string, boolean>} whether columns held amounts in the last table that had them */
    this.held = new Map();
  }

  /** @param {string} name */
  apart(name) {
    return this.chosen[name] ?? this.held.get(name) ?? false;
  }

  /**
   * What is known of a table's columns; true where they are to be written otherwise than before.
   * @param {{name: string, amount: boolean}[]} columns
   */
  learn(columns) {
    const before = columns.map(({ name }) => this.apart(name));
    for (const { name, amount } of columns) this.held.set(name, amount);
    return columns.some(({ name }, at) => this.apart(name) !== before[at]);
  }

  /** @param {string} name @param {boolean} yes */
  choose(name, yes) {
    this.chosen = { ...this.kept(), [name]: yes };
    localStorage.setItem(this.key, JSON.stringify(this.chosen));
  }

  kept() {
    try {
      return JSON.parse(localStorage.getItem(this.key) ?? "{}");
    } catch {
      return {}; // written by hand, or by another version
    }
  }
}
