/** After a change: which steps further on it broke, and the ways out. Part of the studio. */
import { notice } from "../api.js";

export const broken = {
  /**
   * Compare with the last state in which all was computed; tell of steps that worked there and do not now.
   * @param {any} state
   */
  tellBroken(state) {
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
    const changed = this.edited ?? this.selected; // what was left may have been applied just then
    this.edited = null;
    const [first] = lost.filter((step) => step.id !== changed);
    if (!first) return;
    const others = steps.filter((step) => step.blocked_by === first.id).length;
    const after = others
      ? ` ${others === 1 ? "One step after it waits" : `${others} steps after it wait`}.`
      : "";
    const ways = [["Undo", () => this.step("undo")]];
    const apart = this.apart(state, changed);
    if (apart.length)
      ways.push([
        `Make “${state.steps[changed].label}” a branch`,
        () => this.edit(apart, `Made “${state.steps[changed].label}” a branch of its own`),
      ]);
    notice(
      `This change breaks “${first.label}”. ${first.problem.thing}: ${first.problem.reason}${after}`,
      "problem",
      ways,
    );
  },

  /** Edits after which those that take a step's table take what comes into it instead. */
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
