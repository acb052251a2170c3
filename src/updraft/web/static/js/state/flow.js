/**
 * The flow as the server has it. Tells "changed" with the new state. Edits go one after another,
 * each based on the revision that the one before made.
 */
import { api, attempt, notice, post, ProblemError, withdrawOffers } from "../api.js";
import { Teller } from "./teller.js";

const AGAIN = 350; // ms between questions while stops are being computed

export class FlowState extends Teller {
  /** @param {import("../contract.d.ts").FlowShown} state what the page came with */
  constructor(state) {
    super();
    this.now = state;
    this.id = state.id;
    this.path = `/api/flows/${state.id}`;
    /** @type {Promise<any>} */
    this.sending = Promise.resolve();
    /** @type {((state: import("../contract.d.ts").FlowShown) => Promise<void>)} */
    this.shown = async () => {};
    this.timer = 0;
    /** @type {number} the revision that what is offered in the corner is about */
    this.offered = state.revision;
  }

  /**
   * Take a new state, and show it.
   * @param {import("../contract.d.ts").FlowShown} state
   */
  async take(state) {
    if (state.revision !== this.offered) withdrawOffers();
    this.offered = state.revision;
    this.now = state;
    await this.shown(state);
    this.follow();
  }

  /** Ask again while stops are being computed. */
  follow() {
    clearTimeout(this.timer);
    if (!this.now.pending) return;
    this.timer = setTimeout(async () => {
      const state = await attempt(() => api(this.path));
      if (state && state.revision === this.now.revision) await this.take(state);
    }, AGAIN);
  }

  /**
   * Make edits as one revision; says what is wrong otherwise, and gives null.
   * @param {any[]} edits
   * @param {string | null} sentence
   */
  async edit(edits, sentence = null) {
    try {
      const body = () => ({
        revision: this.now.revision,
        edits,
        ...(sentence ? { sentence } : {}),
      });
      const sent = this.sending.then(() => post(`${this.path}/edits`, body()));
      this.sending = sent.then(
        (state) => {
          this.now.revision = state.revision;
        },
        () => {},
      );
      const state = await sent;
      await this.take(state);
      return state;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      notice(error.problem.text, "problem");
      if (error.problem.code === "stale") await this.take(await api(this.path));
      return null;
    }
  }

  /**
   * Undo, redo, go to a revision, ask a source again: whatever gives another state.
   * @param {string} way
   */
  async go(way) {
    const state = await attempt(() => post(`${this.path}/${way}`));
    if (state) await this.take(state);
    return state;
  }
}
