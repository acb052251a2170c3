/** The table after the selected step, and settings that are tried on it. Methods of the studio. */
import { attempt, notice, post } from "../api.js";
import { byId } from "../dom.js";

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const tables = {
  /**
   * Get the table after the selected step, with the settings on the desk. `fresh`: the step was turned
   * to just now, and what the desk shows is of the one before.
   */
  async look(fresh = false) {
    const id = this.selected;
    if (fresh && !this.desk.shown) this.desk.wait(this.state.steps[id].label);
    if (fresh) this.desk.view = null;
    const mine = ++this.looks;
    const draft = this.drafts.get(id);
    this.shown.busy(true);
    const body = { step: id, output: this.output, settings: draft ?? null };
    const asked = post(`/api/flows/${this.flow}/look`, body).catch((problem) => {
      if (mine === this.looks) throw problem; // nobody waits for what came of another look
    });
    const answer = await attempt(() => asked);
    if (mine !== this.looks) return;
    this.shown.busy(false);
    if (answer) this.looked(id, draft, answer);
  },

  /**
   * Take what came of a look, and show it everywhere. What was opened meanwhile stays, and tells of
   * the table that is there now.
   * @param {string} id
   * @param {Record<string, any> | undefined} draft
   * @param {import("../contract.d.ts").LookShown} answer
   */
  looked(id, draft, answer) {
    const { table, problem, incoming, takeable } = answer;
    Object.assign(this, { table, problem, incoming, takeable, lookedAt: id });
    const arrives = JSON.stringify([incoming, takeable]);
    const changed = this.arrives !== arrives;
    const other = changed || this.stepDesk.step?.id !== id;
    this.arrives = arrives;
    if (changed) this.wide.arrived(incoming);
    const gone = !table && ["column", "profile"].includes(this.desk.view ?? "");
    if (gone || !this.desk.view || (this.desk.view === "step" && other && !draft)) this.showStep();
    if (this.desk.view === "step") this.stepDesk.effect(table, problem);
    if (table) this.focus.fit(table);
    this.act.compared = null;
    if (table) {
      byId("grid-empty").hidden = true;
      const known = new Set(this.grid.table?.columns.map((column) => column.name));
      this.grid.show(table);
      const made = table.columns.find((column) => !known.has(column.name));
      // what the settings make is seen while they change
      if (draft && made) this.grid.reveal(made.name, false);
      if (this.desk.view === "column") this.columnDesk.show(this.columnDesk.name);
      if (this.desk.view === "profile") this.profileDesk.show();
      this.chart.follow();
    } else if (problem) this.shown.nothing(problem, this.state.steps[id]);
    this.describe(id, draft ?? null);
    this.wide.effect(table, problem);
    this.shown.all();
    this.findingsDesk.follow();
    this.compareWithBefore();
  },

  /** Draw the step's desk with its settings, or those that are tried. */
  showStep() {
    const step = this.state.steps[this.selected];
    this.stepDesk.show(step, this.kind(), this.incoming, this.takeable);
    this.stepDesk.tell(this.table);
  },

  /** Make what is tried a part of the flow; true when there was something and it was taken. */
  async applyDraft() {
    const id = this.selected;
    const settings = this.drafts.lift(id);
    if (!settings) return false;
    this.preview.drop();
    this.edited = { id, since: this.state.revision };
    await this.noteLayout(id, settings);
    const done = Boolean(await this.edit([{ op: "set", id, settings }]));
    if (done) this.drafts.settled(id);
    else this.drafts.putBack(id, settings);
    this.shown.bar();
    this.shown.footer();
    return done;
  },

  /** Going on to something else takes what is tried with it, and says so. */
  async goOn() {
    const step = this.state.steps[this.selected];
    if (!(await this.applyDraft())) return;
    const { revision } = this.state;
    const undo = async () => {
      if (this.state.revision !== revision) {
        notice("More was changed since then. The clock in the bar lists every revision.");
        return;
      }
      await this.step("undo");
      await this.select(step.id);
    };
    notice(`Going on applied the settings of “${step.label}”.`, "said", [["Undo", undo]]);
  },

  /** Put back what is only tried; it can be taken again, by the notice or by redo. */
  dropDraft() {
    const step = this.state.steps[this.selected];
    const settings = this.drafts.get(this.selected);
    this.preview.drop();
    this.drafts.delete(this.selected);
    this.look();
    if (!step || !settings) return;
    this.dropped = { id: step.id, settings, revision: this.state.revision };
    const again = () => this.takeAgain();
    notice(`What was tried in “${step.label}” is put back.`, "said", [["Try it again", again]]);
  },

  /**
   * Try once more what was put back last, as long as the flow is as it was. Gives whether there was
   * something.
   */
  async takeAgain() {
    const { id, settings, revision } = this.dropped ?? {};
    this.dropped = null;
    if (!id || revision !== this.state.revision || this.drafts.has(id)) return false;
    if (this.selected !== id) await this.select(id);
    this.drafts.putBack(id, settings);
    await this.reselect();
    return true;
  },
};
