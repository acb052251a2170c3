/** The studio: puts the flow's state, the course, the grid and the desks together. */
import { AddBox } from "./addbox.js";
import { attempt } from "./api.js";
import { Course } from "./course.js";
import { Desk } from "./desk.js";
import { DESKS } from "./desks.js";
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
import { WideDesk } from "./wide.js";

const NARROW = "(max-width: 900px)"; // as in narrow.css; also a window of 1280 pixels at 200 %

/** @type {new () => any} what the parts bring: methods that the studio takes over */
const Parts = class {};
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

class Studio extends Parts {
  constructor() {
    super();
    this.flowState = new FlowState(data("state"));
    this.flow = this.flowState.id;
    this.kinds = new Map(data("catalogue").map((kind) => [kind.kind, kind]));
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
    for (const [name, Made] of Object.entries(DESKS)) this[name] = new Made(this, this.desk);
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

  /** The kind of which the page makes a step by itself: for a `file`, `cells`, `values` or the `profile`. */
  kindFor(use) {
    return [...this.kinds.values()].find((kind) => kind.made_for === use);
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

  edit(edits, sentence = null) {
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
      this.select(this.state.steps[wanted] ? wanted : (wrong ?? stops.at(-1))).then(
        () => location.hash === "#run" && this.runDesk.show(),
      );
    this.tellBroken(this.state); // what works now, so that the first change is held against it
    this.flowState.follow();
    const bring = this.kinds.get(new URLSearchParams(location.search).get("bring"));
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
      this.selected = null;
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

  async select(id) {
    const other = id !== this.selected;
    if (other) {
      this.wide.close();
      await this.goOn();
    }
    const step = this.state.steps[id];
    if (!step) return;
    this.selected = id;
    this.follows = { fingerprint: step.fingerprint, status: step.status };
    this.output = other ? "" : (this.output ?? "");
    this.grid.choose(null);
    byId("grid-empty").hidden = true;
    this.course.show(this.state, id);
    if (other) this.grid.view = { sort: "", desc: false, changed: false };
    await this.look(true);
    this.placed();
  }

  /** Draw the desk of the selected step anew. */
  reselect() {
    return this.selected ? this.select(this.selected) : this.empty();
  }

  empty() {
    this.selected = this.table = null;
    this.course.show(this.state, null);
    this.shown.top(this.state);
    this.shown.welcome();
    this.flowDesk.show();
    this.shown.bar();
    this.shown.footer();
  }
}

/** @type {any} */ (window).updraft = new Studio();
