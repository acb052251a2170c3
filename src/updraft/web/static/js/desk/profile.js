/**
 * The desk of the whole table's profile: a line for each column; to copy, to save, to print, or to
 * take as a table. Where the table is a sample, a run can profile all rows.
 */
import { api, attempt, Newest, notice, post } from "../api.js";
import { count, h, icon, plural } from "../dom.js";
import { picture } from "../pictures.js";
import { writer } from "../numbers.js";
import { closing } from "./desk.js";
import { ValueList } from "./valueList.js";

export class ProfileDesk {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
    this.newest = new Newest();
    /** The run that profiled all rows, where these are shown. */
    this.whole = /** @type {string | null} */ (null);
    this.rows = /** @type {number | null} */ (null);
  }

  address(as = "", whole = this.whole) {
    const { table, focus, flow, state } = this.studio;
    const of = table.sample && !whole ? ", a sample" : "";
    const query = new URLSearchParams({
      output: table.output,
      ...(as
        ? { as, name: `${state.name}, ${state.steps[table.step]?.label ?? table.step}${of}` }
        : {}),
      ...(focus.text ? { focus: focus.text } : {}),
    });
    const place = whole ? `runs/${whole}` : `flows/${flow}/tables/${table.key}`;
    return `/api/${place}/profile?${query}`;
  }

  /** `part`: of the sample, also where all rows are known. */
  async show({ part = false } = {}) {
    const { studio } = this;
    this.desk.fold(false);
    if (!studio.table) return;
    if (this.desk.view !== "profile") {
      this.whole = null;
      this.frame([h("p", { class: "muted", role: "status" }, "Working it out…")]);
    }
    const answer = await this.newest.answer(async () => {
      const found = await api(this.address("", null));
      const done = studio.table.sample && found.run && !isOpen(found.run) && !part;
      const whole = done ? found.run.id : null;
      return { whole, found: whole ? await api(this.address("", whole)) : found };
    });
    if (!answer || this.desk.view !== "profile") return;
    this.whole = answer.whole;
    this.draw(answer.found);
  }

  /** @param {any} body */
  frame(
    body,
    foot = /** @type {any[] | null} */ (null),
    rows = /** @type {number | null} */ (null),
  ) {
    const { studio } = this;
    const columns = plural(studio.table.columns.length, "column", "columns");
    const all = studio.table.sample && !this.whole ? "The sample" : "The whole table";
    this.desk.show("profile", {
      eyebrow: "Profile",
      title: studio.focus.nothing ? all : "The selected rows",
      summary:
        rows === null
          ? null
          : `${plural(rows, "row", "rows")} × ${columns}; all of them are counted`,
      tools: closing("Back to the step", () => studio.act.chooseColumn(null)),
      body,
      foot,
    });
  }

  /** @param {any} found */
  draw(found) {
    const { studio } = this;
    this.rows = found.profiles[0]?.rows ?? null;
    const tool = (/** @type {string} */ sign, /** @type {string} */ text, /** @type {any} */ act) =>
      h("button", { type: "button", class: "chip", onclick: act }, icon(sign), text);
    const save = (/** @type {string} */ as) => {
      const link = h("a", { href: this.address(as), download: "" });
      link.click();
    };
    const about = h("p", { class: "profile-about", role: "status" });
    this.frame(
      [
        about,
        h(
          "div",
          { class: "add-row mb-2" },
          tool("bar-chart-line", "Chart", () => studio.act.showChart()),
          tool("copy", "Copy", () => this.copy(found)),
          tool("filetype-csv", "CSV", () => save("csv")),
          tool("filetype-json", "JSON", () => save("json")),
          tool("printer", "Print", () => window.open(this.address("page"), "_blank", "noopener")),
        ),
        h(
          "ul",
          { class: "profile" },
          found.profiles.map((/** @type {import("./told.d.ts").Profiled} */ column) =>
            h(
              "li",
              {},
              h(
                "button",
                { type: "button", class: "profile-open", onclick: () => this.open(column) },
                h("span", { class: "profile-name" }, column.name),
                h("span", { class: "muted" }, column.kind.replace("_", "/")),
                picture(column),
                h("span", { class: "profile-facts" }, facts(column)),
                this.whole ? h("span", { class: "profile-facts" }, usual(column)) : null,
              ),
            ),
          ),
        ),
      ],
      [
        h("span", { class: "grow" }, "A row for each column, as a table"),
        h(
          "button",
          { type: "button", class: "btn btn-primary", onclick: () => this.take() },
          "Take as a table",
        ),
      ],
      this.rows,
    );
    this.tell(about, found.run);
  }

  /**
   * Open a column: of all rows its values with their counts, else its desk.
   * @param {import("./told.d.ts").Profiled} column
   */
  open({ name, kind, listed }) {
    const { studio, whole } = this;
    if (!whole || !listed) return void studio.act.chooseColumn(name);
    const list = new ValueList(studio, name, kind, whole);
    const about = h(
      "p",
      { class: "profile-about" },
      "Counted in all rows. ",
      tiny("All columns", () => this.show()),
      tiny("In the sample", () => studio.act.chooseColumn(name)),
    );
    this.frame([h("h3", { class: "h6" }, name), about, list.element], null, this.rows);
    list.load();
  }

  /**
   * Which rows the figures are of where the table is a sample, and the way to the others.
   * @param {HTMLElement} about
   * @param {{id: string, status: string} | null} run
   */
  tell(about, run) {
    about.hidden = !this.studio.table.sample || !this.studio.focus.nothing;
    if (about.hidden) return;
    if (this.whole)
      about.replaceChildren(
        "Figures of all rows. ",
        tiny("Show the sample", () => this.show({ part: true })),
      );
    else if (run && isOpen(run)) {
      const stop = tiny("Stop", () => attempt(() => post(`/api/runs/${run.id}/cancel`)));
      const far = h("span", {}, "Profiling all rows… ");
      about.replaceChildren(far, stop);
      this.watch(run.id, far);
    } else
      about.replaceChildren(
        "Figures of the sample. ",
        run
          ? tiny("Show all rows", () => this.show())
          : tiny(
              "Profile all rows",
              () => this.start(),
              "A run goes over all rows of every file; nothing is delivered",
            ),
      );
  }

  async start() {
    const { studio } = this;
    await studio.applyDraft(); // a run takes what is saved
    const { table, flow } = studio;
    const of = { step: table.step, output: table.output };
    const run = await attempt(() => post(`/api/flows/${flow}/tables/${table.key}/profile`, of));
    if (run && this.desk.view === "profile") await this.show();
  }

  /**
   * Tell how far a run is, as long as that is shown; then show what it made.
   * @param {string} id
   * @param {HTMLElement} far
   */
  async watch(id, far) {
    for (;;) {
      const run = await api(`/api/runs/${id}`).catch(() => null);
      if (!far.isConnected) return;
      if (run && !isOpen(run)) {
        if (run.report?.error) notice(`Not all rows were profiled: ${run.report.error.text}`);
        return void this.show();
      }
      if (run) {
        const done = Object.values(run.progress.steps ?? {}).filter(Boolean).length;
        const steps = run.progress.total ? `${done} of ${run.progress.total} steps` : "";
        far.textContent = `Profiling all rows: ${run.why ?? steps} `;
      }
      await new Promise((then) => setTimeout(then, 1000));
    }
  }

  /** @param {any} found */
  async copy(found) {
    const line = (/** @type {any[]} */ cells) =>
      cells
        .map((/** @type {any} */ cell) => String(cell ?? "").replace(/[\t\n\r]+/g, " "))
        .join("\t");
    await navigator.clipboard.writeText([line(found.columns), ...found.rows.map(line)].join("\n"));
    notice("Profile copied");
  }

  take() {
    return this.studio.addSteps(
      [{ kind: this.studio.kindFor("profile").kind, settings: {} }],
      null,
      false,
    );
  }
}

const tiny = (/** @type {string} */ text, /** @type {any} */ onclick, title = "") =>
  h("button", { type: "button", class: "tiny-button", title, onclick }, text);

/** @param {{status: string}} run */
const isOpen = (run) => ["waiting", "running"].includes(run.status);

/** @param {import("./told.d.ts").Profiled} column */
function facts(column) {
  const { numbers = {}, days = {} } = column;
  const said = [
    column.empty ? `${count(column.empty)} empty` : null,
    column.blank_only ? `${count(column.blank_only)} of blanks only` : null,
    column.odd ? `${count(column.odd)} odd` : null,
    column.distinct ? plural(column.distinct, "value", "values") : null,
  ];
  if (numbers.min !== undefined && numbers.min !== null)
    said.push(`${exact(numbers.min)} to ${exact(numbers.max)}, median ${short(numbers.median)}`);
  if (days.first)
    said.push(
      `${days.first} to ${days.last}${days.missing_days ? `, ${count(days.missing_days)} days missing` : ""}`,
    );
  if (numbers.longest)
    said.push(
      numbers.shortest === numbers.longest
        ? plural(numbers.longest, "character", "characters")
        : `${numbers.shortest} to ${count(numbers.longest)} characters`,
    );
  return said.filter(Boolean).join(" · ");
}

/**
 * The values that most rows have, which the sample has other counts of.
 * @param {import("./told.d.ts").Profiled} column
 */
function usual({ most = [] }) {
  if (!(most[0]?.[1] > 1)) return null;
  const some = most.slice(0, 5).map(([value, rows]) => `${value} (${count(rows)})`);
  const last = some.length - 1;
  return [
    "Most often: ",
    ...some.map((text, at) => [
      h("span", { class: text.length < 34 ? "text-nowrap" : null }, text),
      at < last ? ", " : "",
    ]),
  ];
}

/** A figure worked out of many values, such as a mean: six digits say enough. */
export const short = (/** @type {number} */ number, apart = false) =>
  number === null || number === undefined
    ? "none"
    : Number(number).toLocaleString("en", { maximumSignificantDigits: 6, useGrouping: apart });

/** A value as it stands in the data, every digit of it. */
export const exact = (/** @type {number} */ number, apart = false) =>
  number === null || number === undefined ? "none" : (apart ? APART : PLAIN)(Number(number));
const [PLAIN, APART] = [writer(15, false), writer(15, true)];
