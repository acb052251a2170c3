/** State that tells its changes: `on(name, act)` to hear of them. */
export class Teller {
  constructor() {
    /** @type {Map<string, Set<(detail: any) => void>>} */
    this.hearers = new Map();
  }

  /**
   * @param {string} name
   * @param {(detail: any) => void} act
   */
  on(name, act) {
    const known = this.hearers.get(name) ?? new Set();
    this.hearers.set(name, known.add(act));
  }

  /**
   * @param {string} name
   * @param {any} [detail]
   */
  tell(name, detail) {
    for (const act of this.hearers.get(name) ?? []) act(detail);
  }
}
