/** A chart of the table that is looked at, for checking by eye: what is clicked opens its rows. */
import { api, attempt, notice } from "./api.js";
import { asPng, asSvg, drawChart, figure } from "./charts.js";
import { byId, count, h, icon, rowsSaid } from "./dom.js";
import { choice, select } from "./widgets/basic.js";

const SHAPES = [
  ["bars", "bars"],
  ["line", "line"],
  ["scatter", "points"],
  ["histogram", "histogram"],
];
const FIGURES = ["rows", "sum", "mean", "median", "min", "max"];
const NUMBERS = ["whole", "number"],
  ORDERED = [...NUMBERS, "date", "datetime"];
const LISTED = 200; // marks in the table of values
const NOTHING = { shape: "bars", x: "", y: "", figure: "rows", by: "" };

export class ChartDialog {
  /** @type {string} the table that it is drawn of */
  key = "";
  /** @type {HTMLElement} */
  fields;
  /** @type {HTMLElement} */
  picture;
  /** @type {HTMLElement} */
  foot;

  /** @param {import("./studio.js").Studio} studio */
  constructor(studio) {
    this.studio = studio;
    /** @type {Record<string, any>} what was asked last, for each step */
    this.kept = {};
  }

  async show() {
    const { studio } = this;
    if (!studio.table) return;
    const { key, output, step } = studio.table; // while another one is on its way, still this one
    const usual = this.kept[step]
      ? null
      : await attempt(() => api(`${this.path()}?${new URLSearchParams({ output })}`));
    if (studio.table?.key !== key) return;
    const columns = studio.table.columns.map(({ name }) => name);
    const kept = this.kept[step];
    this.key = key;
    this.asked = kept && columns.includes(kept.x) ? kept : (usual?.asked ?? NOTHING);
    this.picture = h("div", { class: "chart-picture", role: "status" });
    this.fields = h("div", { class: "chart-fields" });
    this.foot = h("div", { class: "chart-foot" });
    const dialog = byId("dialog");
    dialog.replaceChildren(
      h(
        "div",
        { class: "chart-dialog" },
        h("h2", { id: "dialog-title" }, `Chart of “${studio.state.steps[step]?.label ?? step}”`),
        h(
          "p",
          { class: "muted small" },
          studio.focus.nothing ? `All ${rowsSaid(studio.table)}.` : "The selected rows alone.",
        ),
        this.fields,
        this.picture,
        this.foot,
        h(
          "form",
          { method: "dialog", class: "dialog-foot" },
          h("button", { class: "btn btn-quiet" }, "Close"),
        ),
      ),
    );
    this.drawFields();
    dialog.onclose = null;
    if (!dialog.open) dialog.showModal();
    this.ask();
  }

  /** Where it is open, draw it of the table that came. */
  follow() {
    const open = byId("dialog").open && this.picture?.isConnected;
    if (open && this.key !== this.studio.table.key) this.show();
  }

  of(kinds) {
    return this.studio.table.columns
      .filter(({ kind }) => !kinds || kinds.includes(kind))
      .map(({ name }) => name);
  }

  path() {
    const { flow, table } = this.studio;
    return `/api/flows/${flow}/tables/${table.key}/chart`;
  }

  set(change) {
    Object.assign(this.asked, change);
    const fits = this.asked.shape === "bars" ? this.of(null) : this.of(ORDERED);
    if (!fits.includes(this.asked.x)) this.asked.x = fits[0] ?? "";
    if (this.asked.shape === "scatter" && !this.of(ORDERED).includes(this.asked.y))
      this.asked.y = fits.find((name) => name !== this.asked.x) ?? "";
    this.drawFields();
    this.ask();
  }

  drawFields() {
    const { shape } = this.asked;
    const field = (label, control) =>
      h("label", { class: "chart-field" }, h("span", {}, label), control);
    const pick = (label, name, names, first = /** @type {string[] | null} */ (null)) =>
      field(
        label,
        select(
          [...(first ? [first] : []), ...names.map((one) => [one, one])],
          this.asked[name],
          label,
          (value) => this.set({ [name]: value }),
        ),
      );
    const figured = shape === "bars" || shape === "line";
    const focused = document.activeElement?.getAttribute("aria-label");
    this.fields.replaceChildren(
      choice(SHAPES, shape, "Kind of chart", (value) => this.set({ shape: value })),
      pick(
        shape === "bars" ? "For each" : "Across",
        "x",
        shape === "bars" ? this.of(null) : this.of(ORDERED),
      ),
      ...(figured
        ? [
            field(
              "Figure",
              select(
                FIGURES.map((one) => [one, one === "rows" ? "number of rows" : one]),
                this.asked.figure,
                "Figure",
                (value) => this.set({ figure: value }),
              ),
            ),
          ]
        : []),
      ...(figured && this.asked.figure !== "rows" ? [pick("of", "y", this.of(NUMBERS))] : []),
      ...(shape === "scatter" ? [pick("Upwards", "y", this.of(ORDERED))] : []),
      ...(shape === "line" || shape === "scatter"
        ? [pick("One for each", "by", this.of(["text", "yes_no", "whole"]), ["", "all together"])]
        : []),
    );
    if (focused) this.fields.querySelector(`[aria-label="${CSS.escape(focused)}"]`)?.focus();
  }

  async ask() {
    const { studio } = this;
    const { table, focus } = studio;
    this.kept[table.step] = this.asked;
    const asked = { ...this.asked };
    const query = new URLSearchParams({
      output: table.output,
      chart: JSON.stringify(asked),
      ...(focus.text ? { focus: focus.text } : {}),
    });
    const found = await api(`${this.path()}?${query}`).catch((error) => error);
    if (JSON.stringify(asked) !== JSON.stringify(this.asked)) return;
    if (found instanceof Error) {
      this.picture.replaceChildren(h("p", { class: "said-problem" }, found.message));
      this.foot.replaceChildren();
      return;
    }
    this.draw(asked, found);
  }

  draw(asked, found) {
    if (!found.marks.length) {
      this.picture.replaceChildren(h("p", { class: "muted" }, "There is no value to draw."));
      this.foot.replaceChildren();
      return;
    }
    const drawn = drawChart(asked, found, (mark) => this.open(mark));
    this.picture.replaceChildren(drawn);
    const tool = (sign, words, act) =>
      h("button", { type: "button", class: "chip", onclick: act }, icon(sign), words);
    const named = `${asked.shape} ${asked.x}`;
    this.foot.replaceChildren(
      h(
        "div",
        { class: "add-row" },
        tool("copy", "Copy as SVG", async () => {
          const done = await attempt(() =>
            navigator.clipboard.writeText(asSvg(drawn)).then(() => true),
          );
          if (done) notice("Copied the chart.");
        }),
        tool("filetype-svg", "SVG", () =>
          save(new Blob([asSvg(drawn)], { type: "image/svg+xml" }), `${named}.svg`),
        ),
        tool("filetype-png", "PNG", async () => {
          const blob = await attempt(() => asPng(drawn));
          if (blob) save(blob, `${named}.png`);
        }),
      ),
      h(
        "p",
        { class: "muted small" },
        ["What is clicked opens its rows.", ...found.said].join(" · "),
      ),
      this.values(found),
    );
  }

  /** The values as a table, from which rows can be opened without a pointer. */
  values(found) {
    const several = found.series.length > 1;
    const rows = found.marks
      .slice(0, LISTED)
      .map((mark) =>
        h(
          "tr",
          {},
          h("td", {}, mark.label),
          several ? h("td", {}, found.series[mark.series] || "empty") : "",
          h("td", { class: "n" }, figure(mark.y)),
          h(
            "td",
            {},
            h(
              "button",
              { type: "button", class: "tiny-button", onclick: () => this.open(mark) },
              `${count(mark.rows)} ${mark.rows === 1 ? "row" : "rows"}`,
            ),
          ),
        ),
      );
    const more = found.marks.length - rows.length;
    return h(
      "details",
      { class: "more" },
      h("summary", {}, "Values"),
      h("table", { class: "wide-rows" }, h("tbody", {}, rows)),
      more > 0 ? h("p", { class: "muted small" }, `and ${count(more)} more`) : "",
    );
  }

  /** The rows that a mark stands for, in the table. */
  open(mark) {
    byId("dialog").close();
    if (this.studio.wide.open) this.studio.wide.close();
    const label = `${this.asked.x} ${mark.label}`;
    this.studio.setFocus((focus) => focus.only({ label, column: "", rule: mark.rule }));
  }
}

function save(blob, name) {
  const href = URL.createObjectURL(blob);
  h("a", { href, download: name.replace(/[^\p{L}\p{N}. _-]+/gu, " ") }).click();
  setTimeout(() => URL.revokeObjectURL(href), 1000);
}
