/** Settings that a list or a desk holds as a part of its own. */
export class Local {
  /** @param {(settings: any) => void} changed called with the settings after every change */
  constructor(settings, changed) {
    this.settings = structuredClone(settings);
    this.changed = changed;
  }

  change(some) {
    Object.assign(this.settings, structuredClone(some));
    this.changed(structuredClone(this.settings));
  }
}
