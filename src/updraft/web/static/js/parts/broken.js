/** After a change: which steps further on it broke, and the ways out. Part of the studio. */
import { api, notice } from "../api.js";

/** @typedef {import("../contract.d.ts").FlowShown} Flow */

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const broken = {
  /**
   * Compare with the last state in which all was computed; tell of steps that worked there and do
   * not now.
   * @param {Flow} state
   */
  async tellBroken(state) {
    if (state.pending) return;
    const before = this.sound;
    const steps = Object.values(state.steps);
    const fresh = steps.filter((step) => step.status === "fresh").map((step) => step.id);
    this.sound = { revision: state.revision, fresh: new Set(fresh) };
    if (!before || state.revision <= before.revision) return;
    const lost = this.course
      .order()
      .map((id) => state.steps[id])
      .filter((step) => step?.status === "problem" && before.fresh.has(step.id));
    const { edited } = this;
    const changed = edited?.id ?? this.selected; // what was left may have been applied just then
    this.edited = null;
    const on = edited ? await this.renames(edited) : null;
    const [first] = lost.filter((step) => step.id !== changed);
    if (!first && on)
      notice(
        `${on.said} ${on.behind} still ${on.many === 1 ? "uses" : "use"} the old name.`,
        "said",
        [on.way],
      );
    if (!first?.problem) return;
    const others = steps.filter((step) => step.blocked_by === first.id).length;
    const after = others
      ? ` ${others === 1 ? "One step after it waits" : `${others} steps after it wait`}.`
      : "";
    const ways = [...(on ? [on.way] : []), ["Undo", () => this.step("undo")]];
    const apart = this.apart(state, changed);
    if (apart.length)
      ways.push([
        `Make “${state.steps[changed].label}” a branch`,
        () => this.edit(apart, `Made “${state.steps[changed].label}” a branch of its own`),
      ]);
    notice(
      `${on ? `${on.said} ` : ""}This change breaks “${first.label}”. ${first.problem.thing}: ${first.problem.reason}${after}`,
      "problem",
      ways,
    );
  },

  /**
   * Columns that got other names by a change, where steps behind it still use the old ones: what is
   * said, and the way.
   * @param {{id: string, since: number}} edited
   */
  async renames({ id, since }) {
    const url = `/api/flows/${this.flow}/steps/${encodeURIComponent(id)}/renames?since=${since}`;
    /** @type {{names: [string, string][], steps: string[], edits: object[]} | null} */
    const found = await api(url).catch(() => null);
    if (!found?.edits.length) return null;
    const names = found.names.map(([old, now]) => `“${old}” is now “${now}”`).join(", ");
    const many = found.steps.length;
    const behind = many === 1 ? `“${found.steps[0]}”` : `${many} steps behind it`;
    const sentence = `Carried on: ${names}`;
    return {
      said: `${names}.`,
      behind,
      many,
      way: ["Use the new name there too", () => this.edit(found.edits, sentence)],
    };
  },

  /**
   * Edits after which those that take a step's table take what comes into it instead.
   * @param {Flow} state
   * @param {string} id
   */
  apart(state, id) {
    const step = state.steps[id];
    if (!step?.main) return [];
    const edits = [];
    for (const other of Object.values(state.steps))
      for (const [port, refs] of Object.entries(other.inputs))
        if (refs.includes(step.id))
          edits.push({
            op: "connect",
            id: other.id,
            port,
            source: refs.map((ref) => (ref === step.id ? step.main : ref)),
          });
    return edits;
  },
};
