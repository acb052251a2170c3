/**
 * The desk of the whole table's profile: a line for each column; to copy, to save, to print, or to
 * take as a table.
 */
import { api, Newest, notice } from "../api.js";
import { count, h, icon, plural } from "../dom.js";
import { picture } from "../pictures.js";
import { writer } from "../numbers.js";
import { closing } from "./desk.js";

export class ProfileDesk {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
    this.newest = new Newest();
  }

  address(as = "") {
    const { table, focus, flow, state, selected } = this.studio;
    const of = table.sample ? ", a sample" : "";
    const query = new URLSearchParams({
      output: table.output,
      ...(as ? { as, name: `${state.name}, ${state.steps[selected].label}${of}` } : {}),
      ...(focus.text ? { focus: focus.text } : {}),
    });
    return `/api/flows/${flow}/tables/${table.key}/profile?${query}`;
  }

  async show() {
    const { studio } = this;
    const all = studio.table.sample ? "The sample" : "The whole table";
    this.desk.fold(false);
    const frame = (/** @type {any} */ body, foot = /** @type {any[] | null} */ (null)) =>
      this.desk.show("profile", {
        eyebrow: "Profile",
        title: studio.focus.nothing ? all : "The selected rows",
        summary: `${plural(studio.grid.length ?? 0, "row", "rows")} × ${plural(studio.table.columns.length, "column", "columns")}; all of them are counted`,
        tools: closing("Back to the step", () => studio.act.chooseColumn(null)),
        body,
        foot,
      });
    if (this.desk.view !== "profile")
      frame([h("p", { class: "muted", role: "status" }, "Working it out…")]);
    const found = await this.newest.answer(() => api(this.address()));
    if (!found || this.desk.view !== "profile") return;
    const tool = (/** @type {string} */ sign, /** @type {string} */ text, /** @type {any} */ act) =>
      h("button", { type: "button", class: "chip", onclick: act }, icon(sign), text);
    const save = (/** @type {string} */ as) => {
      const link = h("a", { href: this.address(as), download: "" });
      link.click();
    };
    frame(
      [
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
                {
                  type: "button",
                  class: "profile-open",
                  onclick: () => studio.act.chooseColumn(column.name),
                },
                h("span", { class: "profile-name" }, column.name),
                h("span", { class: "muted" }, column.kind.replace("_", "/")),
                picture(column),
                h("span", { class: "profile-facts" }, facts(column)),
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
    );
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

/** A figure worked out of many values, such as a mean: six digits say enough. */
export const short = (/** @type {number} */ number, apart = false) =>
  number === null || number === undefined
    ? "none"
    : Number(number).toLocaleString("en", { maximumSignificantDigits: 6, useGrouping: apart });

/** A value as it stands in the data, every digit of it. */
export const exact = (/** @type {number} */ number, apart = false) =>
  number === null || number === undefined ? "none" : (apart ? APART : PLAIN)(Number(number));
const [PLAIN, APART] = [writer(15, false), writer(15, true)];
