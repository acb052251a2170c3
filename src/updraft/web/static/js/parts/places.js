/**
 * Where a person is (step, view, wide desk), as places that the browser's Back and Forward go
 * through. Part of the studio.
 */

const VIEWS = ["column", "findings", "profile", "flow", "run"];

/** @typedef {{step: string | null, view: string, column: string | null, wide: boolean}} Place */

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const places = {
  /**
   * The place that is shown now.
   * @returns {Place}
   */
  here() {
    const view = VIEWS.find((one) => one === this.desk.view) ?? "step";
    return {
      step: this.selected ?? null,
      view,
      column: view === "column" ? this.columnDesk.name : null,
      wide: this.wide.open,
    };
  },

  /** Note the place in the browser's history, where it is another one than the last. */
  placed() {
    if (this.going || !this.selected) return;
    const here = this.here();
    const last = history.state;
    if (JSON.stringify(here) === JSON.stringify(last)) return;
    const address = `?step=${encodeURIComponent(this.selected)}`;
    if (last?.step === undefined) history.replaceState(here, "", address);
    else history.pushState(here, "", address);
  },

  /**
   * Go to a place of the history: its step, then its view. Who goes back fast names another place
   * before the last one is there: the newest is gone to, after the one that is under way.
   * @param {Place | null} place
   */
  async goBackTo(place) {
    this.wanted = place;
    if (this.going) return;
    this.going = true;
    try {
      while (this.wanted) {
        const next = this.wanted;
        this.wanted = null;
        if (!next.step || !this.state.steps[next.step]) continue;
        if (this.wide.open) this.wide.close();
        if (next.step !== this.selected) await this.select(next.step);
        await this.showView(next);
      }
    } finally {
      this.going = false;
    }
  },

  /** @param {Place} place */
  showView({ view, column, wide }) {
    if (view === this.desk.view && view !== "column" && !wide) return;
    const known = this.table?.columns.some((one) => one.name === column);
    if (view === "column" && known) return this.act.chooseColumn(column);
    if (view === "findings") return this.findingsDesk.show();
    if (view === "profile") return this.profileDesk.show();
    if (view === "flow") return this.flowDesk.show();
    if (view === "run") return this.runDesk.show();
    this.act.chooseColumn(null);
    if (wide) return this.openWide();
  },
};
