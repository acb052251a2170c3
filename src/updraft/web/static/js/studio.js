/** The studio: puts the flow's state, the course, the grid and the desks together. */
import { AddBox } from "./addbox.js";
import { attempt } from "./api.js";
import { Course } from "./course.js";
import { Desk } from "./desk/desk.js";
import { ColumnDesk } from "./desk/column.js";
import { FindingsDesk } from "./desk/findings.js";
import { FlowDesk } from "./desk/flow.js";
import { ProfileDesk } from "./desk/profile.js";
import { RunDesk } from "./desk/run.js";
import { StepDesk } from "./desk/step.js";
import { byId, data, pausing } from "./dom.js";
import { Focus } from "./focus.js";
import { TableGrid } from "./grid.js";
import { looking } from "./looking.js";
import { printing } from "./printing.js";
import { acts } from "./parts/acts.js";
import { bind } from "./parts/bind.js";
import { broken } from "./parts/broken.js";
import { marking } from "./parts/marking.js";
import { picking } from "./parts/picking.js";
import { places } from "./parts/places.js";
import { reading } from "./parts/reading.js";
import { Shown } from "./parts/shown.js";
import { steps } from "./parts/steps.js";
import { tables } from "./parts/tables.js";
import { RawPane } from "./rawPane.js";
import { sources } from "./sources.js";
import { Drafts } from "./state/drafts.js";
import { FlowState } from "./state/flow.js";
import { ChartDialog } from "./chartDialog.js";
import { WideDesk } from "./wide/frame.js";

const NARROW = "(max-width: 900px)"; // as in narrow.css; also a window of 1280 pixels at 200 %

/**
 * What the parts bring: methods that the studio takes over.
 * @type {new () => typeof tables & typeof steps & typeof sources & typeof looking & typeof reading
 *   & typeof broken & typeof picking & typeof marking & typeof places}
 */
const Parts = /** @type {any} */ (class {});
Object.assign(
  Parts.prototype,
  tables,
  steps,
  sources,
  looking,
  reading,
  broken,
  picking,
  marking,
  places,
);

/** @typedef {ThisType<Studio>} OfStudio methods in which `this` is the studio */

export class Studio extends Parts {
  /** @type {string} the step whose table is shown */
  selected;
  /** @type {string} the side of it that is shown; "" for its main table */
  output;
  /** @type {import("./contract.d.ts").TableShown} none while nothing is shown */
  table;
  /** @type {import("./contract.d.ts").ProblemShown | null} what is wrong with the selected step */
  problem;
  /** @type {Record<string, import("./contract.d.ts").ArrivingShown>} what comes in, by port */
  incoming;
  /** @type {string} the step whose table was looked at last */
  lookedAt;
  /** @type {any} how its file is read, and for which settings, as JSON */
  found;
  /** @type {string | undefined} */
  foundFor;
  /** @type {string | undefined} the step whose file it is */
  foundOf;
  /** @type {{id: string | null, column: string} | undefined} just made; `column` was looked at then */
  begun;
  /** @type {Promise<unknown>} the steps that are being added, one after another */
  adding = Promise.resolve();
  /** @type {any} the place to go back to, and whether it is gone to just now */
  wanted;
  going = false;
  /** @type {any} what comes in at each port, until the next look */
  arrives;
  /** @type {string[][]} tables that the step could take */
  takeable;
  /** @type {any} the step whose settings were put back, with them: redo tries them again */
  dropped;
  /** @type {{id: string, since: number} | null} just edited; `since` is the revision before */
  edited;
  /** @type {{revision: number, fresh: Set<string>} | undefined} the last with all computed */
  sound;
  /** @type {any} the fingerprint and status that the table is of */
  follows;

  constructor() {
    super();
    this.flowState = new FlowState(data("state"));
    this.flow = this.flowState.id;
    /** @type {import("./contract.d.ts").KindShown[]} */
    const catalogue = data("catalogue");
    this.kinds = new Map(catalogue.map((kind) => [kind.kind, kind]));
    const key = `drafts of ${this.flow}`;
    this.drafts = new Drafts((id) => this.saved(id), sessionStorage, key);
    this.drafts.restore();
    this.looks = 0;
    this.act = acts(this);
    this.focus = new Focus();
    this.course = new Course(this.act);
    this.grid = new TableGrid(byId("grid"), this.flow, this.act, () => this.focus.text);
    this.rawPane = new RawPane(this);
    this.shown = new Shown(this);
    this.desk = new Desk(() => this.placed());
    this.stepDesk = new StepDesk(this, this.desk);
    this.columnDesk = new ColumnDesk(this, this.desk);
    this.flowDesk = new FlowDesk(this, this.desk);
    this.runDesk = new RunDesk(this, this.desk);
    this.findingsDesk = new FindingsDesk(this, this.desk);
    this.profileDesk = new ProfileDesk(this, this.desk);
    this.wide = new WideDesk(this);
    this.chart = new ChartDialog(this);
    this.addBox = new AddBox(
      [...this.kinds.values()],
      (kind, branch) => attempt(() => this.add(kind, branch)),
      {
        follower: () => this.follower(),
        place: () => (this.selected && this.place()) || "",
        path: this.flowState.path,
      },
    );
    this.preview = pausing(220, () => this.look());
    this.flowState.shown = (state) => this.follow(state);
    this.drafts.on("changed", () => this.followSettings());
    bind(this);
    printing(this);
    if (matchMedia(NARROW).matches) this.desk.fold(true); // the panel would lie over the table
    this.begin();
  }

  get state() {
    return this.flowState.now;
  }

  /** The kind of the selected step. */
  kind() {
    return this.kinds.get(this.state.steps[this.selected]?.kind);
  }

  /**
   * The kind of which the page makes a step by itself: for a `file`, `cells`, `values`, the
   * `profile`.
   * @param {string} use
   * @returns {import("./contract.d.ts").KindShown}
   */
  kindFor(use) {
    const known = [...this.kinds.values()].find((kind) => kind.made_for === use);
    if (!known) throw new Error(`No kind is made for “${use}”.`);
    return known;
  }

  /** The settings of a step as the flow has them, with the usual ones where it says nothing. */
  saved(id) {
    const step = this.state.steps[id];
    const kind = this.kinds.get(step?.kind);
    const usual = Object.entries(kind?.schema.properties ?? {})
      .filter(([, property]) => property.default !== undefined)
      .map(([name, property]) => [name, property.default]);
    return structuredClone({ ...Object.fromEntries(usual), ...kind?.starting, ...step?.settings });
  }

  /** Settings changed, here or on the server: every view of them shows them as they are now. */
  followSettings() {
    if (!this.state.steps[this.selected]) return;
    this.stepDesk.follow();
    this.wide.follow(this.incoming);
    if (this.stepDesk.step) this.stepDesk.tell(this.table);
    if (this.wide.open) this.wide.tell();
  }

  edit(edits, sentence = /** @type {string | null} */ (null)) {
    return this.flowState.edit(edits, sentence);
  }

  /** Open at the step that the address names, at one with a problem, or at the last. */
  begin() {
    this.course.state = this.state;
    this.shown.top(this.state);
    const stops = this.course.order();
    const wanted = new URLSearchParams(location.search).get("step");
    const wrong = stops.find((id) => this.state.steps[id].status === "problem");
    if (!stops.length) this.empty();
    else
      this.select(wanted && this.state.steps[wanted] ? wanted : (wrong ?? stops.at(-1))).then(
        () => void (location.hash === "#run" && this.runDesk.show()),
      );
    this.tellBroken(this.state); // what works now, so that the first change is held against it
    this.flowState.follow();
    const bring = this.kinds.get(new URLSearchParams(location.search).get("bring") ?? "");
    if (bring) {
      history.replaceState(history.state, "", location.pathname);
      attempt(() => this.add(bring));
    }
  }

  /** Show a new state; the table follows where its fingerprint changed. */
  async follow(state) {
    const before = this.follows;
    this.shown.top(state);
    const now = state.steps[this.selected];
    if (!now) {
      const last = state.course.stops.at(-1);
      this.selected = "";
      if (last) await this.select(last.id);
      else this.empty();
      return;
    }
    this.course.show(state, this.selected);
    this.tellBroken(state);
    this.follows = { fingerprint: now.fingerprint, status: now.status };
    this.followSettings();
    const failed = now.status !== before?.status && now.status === "problem";
    if (!this.drafts.has(this.selected) && (now.fingerprint !== before?.fingerprint || failed))
      await this.look();
  }

  /** @param {string | undefined} id */
  async select(id) {
    if (id && (await this.turnTo(id))) await this.enter();
  }

  /** Show the selected step's table, as a place to come back to. */
  async enter() {
    await this.look(true);
    this.placed();
  }

  /**
   * Let a step be the selected one, before its table is there; false where there is none.
   * @param {string} id
   */
  async turnTo(id) {
    const other = id !== this.selected;
    if (other) {
      this.wide.close();
      await this.goOn();
    }
    const step = this.state.steps[id];
    if (!step) return false;
    this.selected = id;
    if (other) this.desk.view = null; // what is drawn there is of the step before
    this.follows = { fingerprint: step.fingerprint, status: step.status };
    this.output = other ? "" : (this.output ?? "");
    this.grid.choose(null);
    byId("grid-empty").hidden = true;
    this.course.show(this.state, id);
    if (other) this.grid.view = { sort: "", desc: false, changed: false };
    return true;
  }

  /** Draw the desk of the selected step anew. */
  reselect() {
    return this.selected ? this.select(this.selected) : this.empty();
  }

  empty() {
    this.selected = "";
    this.table = /** @type {any} */ (null);
    this.course.show(this.state, null);
    this.shown.top(this.state);
    this.shown.welcome();
    this.flowDesk.show();
    this.shown.bar();
    this.shown.footer();
  }
}

/** @type {any} */ (window).updraft = new Studio();
