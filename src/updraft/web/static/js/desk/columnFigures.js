/** The figures of a column: its histogram, what it is made of, and what stands most often in it. */
import { count, h, plural } from "../dom.js";
import { exact, short } from "./profile.js";
import { condition } from "../focus.js";
import { rangeHistogram } from "../pictures.js";

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
export const ORDERED = new Set(["whole", "number", "date", "datetime"]);

/** @typedef {[name: string, rows: import("./told.d.ts").Way | undefined]} Bar */

/**
 * @param {import("./column.js").ColumnDesk} desk
 * @param {any} found
 */
export function drawFigures(desk, found) {
  const rows = (/** @type {any[]} */ pairs) =>
    h(
      "dl",
      { class: "facts" },
      pairs
        .filter((/** @type {[any, any]} */ [, value]) => value !== null && value !== undefined)
        .map((/** @type {[any, any]} */ [term, value]) => [h("dt", {}, term), h("dd", {}, value)]),
    );
  const n = found.numbers ?? {},
    parts = [];
  if (found.histogram) parts.push(...histogram(desk, found.histogram));
  const apart = desk.studio.grid.apart(desk.name);
  const figure = (/** @type {number} */ number) => short(number, apart);
  if (ORDERED.has(desk.kind) && n.min !== undefined)
    parts.push(
      rows([
        ["Smallest", exact(n.min, apart)],
        ["5 %", figure(n.q05)],
        ["Lower quartile", figure(n.q25)],
        ["Median", figure(n.median)],
        ["Mean", figure(n.mean)],
        ["Upper quartile", figure(n.q75)],
        ["95 %", figure(n.q95)],
        ["Largest", exact(n.max, apart)],
        ["Spread", n.spread === null ? null : figure(n.spread)],
        ["Zeros", desk.counted("zeros")],
        ["Negatives", desk.counted("negatives")],
      ]),
    );
  else if (n.longest !== undefined)
    parts.push(
      rows([
        ["Shortest", plural(n.shortest, "character", "characters")],
        ["Mean length", short(n.mean_length)],
        ["Longest", plural(n.longest, "character", "characters")],
      ]),
    );
  if (found.days) {
    parts.push(
      rows([
        ["First", found.days.first],
        ["Last", found.days.last],
        ["Days without a row", count(found.days.missing_days)],
        ["Longest gap", plural(found.days.longest_gap, "day", "days")],
      ]),
    );
    parts.push(
      bars(
        desk,
        "By weekday",
        DAYS.map((day) => [day.slice(0, 3), desk.ways.get(`weekday:${day}`)]),
      ),
      bars(
        desk,
        "By month",
        found.ways
          .filter((/** @type {{key: string}} */ { key }) => key.startsWith("month:"))
          .map((/** @type {import("./told.d.ts").Way} */ way) => [way.label, way]),
      ),
    );
  }
  const list = (/** @type {string} */ title, /** @type {any[]} */ pairs) =>
    pairs?.length
      ? h(
          "div",
          { class: "section-line" },
          h("h3", { class: "field-title" }, title),
          h(
            "ul",
            { class: "plain" },
            pairs.map((/** @type {[string, number]} */ [text, number]) =>
              h(
                "li",
                {},
                h("span", { class: "v" }, text),
                h("span", { class: "n" }, count(number)),
              ),
            ),
          ),
        )
      : null;
  parts.push(list("Most frequent", found.most), list("Least frequent", found.least));
  desk.body.replaceChildren(...parts.filter((part) => part !== null));
}

/**
 * Bars with their counts, each the way to its rows.
 * @param {import("./column.js").ColumnDesk} desk
 * @param {string} title
 * @param {Bar[]} pairs
 */
function bars(desk, title, pairs) {
  const most = Math.max(...pairs.map((/** @type {Bar} */ [, way]) => way?.rows ?? 0), 1);
  const line = (/** @type {Bar} */ [text, way]) => {
    const bar = h("span");
    bar.style.width = `${(100 * (way?.rows ?? 0)) / most}%`;
    return h(
      "li",
      {},
      h("span", { class: "v" }, text),
      h("span", { class: "bar-cell", "aria-hidden": "true" }, bar),
      h("span", { class: "n" }, way ? desk.opens(way, count(way.rows)) : "0"),
    );
  };
  return h(
    "div",
    { class: "section-line" },
    h("h3", { class: "field-title" }, title),
    h("ul", { class: "plain bars" }, pairs.map(line)),
  );
}

/** @param {import("./column.js").ColumnDesk} desk @param {any} found */
function histogram(desk, found) {
  const { studio, name } = desk;
  const beside = [
    ["empty", "empty"],
    ["no_number", "no number"],
    desk.log ? ["not_above_0", "not above 0"] : ["odd", "infinite or undefined"],
  ].flatMap(([key, label]) => {
    const way = desk.ways.get(key);
    return way?.rows && (key !== "odd" || desk.kind !== "text") ? [{ way, label }] : [];
  });
  const tool = (
    /** @type {string} */ text,
    /** @type {boolean | null} */ on,
    /** @type {() => void} */ act,
  ) =>
    h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        "aria-pressed": on === null ? null : String(on),
        onclick: act,
      },
      text,
    );
  const text = desk.kind === "text",
    numeric = text || desk.kind === "whole" || desk.kind === "number";
  const tools = h(
    "div",
    { class: "add-row" },
    numeric
      ? [
          tool("linear", !desk.log, () => {
            desk.log = false;
            desk.refresh();
          }),
          tool("logarithmic", desk.log, () => {
            desk.log = true;
            desk.refresh();
          }),
        ]
      : null,
    tool("coarser", null, () => {
      desk.bins = Math.max(6, Math.round(desk.bins / 2));
      desk.refresh();
    }),
    tool("finer", null, () => {
      desk.bins = Math.min(96, desk.bins * 2);
      desk.refresh();
    }),
  );
  const integers = (desk.kind === "whole" || desk.kind === "date") && !found.log,
    steps = integers || desk.kind === "datetime",
    scale = `${desk.bins} ${desk.log}`;
  if (!studio.focus.chips.some((/** @type {any} */ chip) => chip.column === name))
    desk.range = null;
  if (!found.counts.length)
    return [h("p", { class: "muted" }, "There is no value to draw."), tools];
  const from = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      "aria-label": "From",
      value: desk.range?.from ?? found.labels[0],
    }),
    to = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      "aria-label": "To",
      value:
        desk.range?.to ?? (integers ? before(found.edges.at(-1), desk.kind) : found.labels.at(-1)),
    });
  const take = (/** @type {any[] | null} */ conditions) => {
    const low = from.value.trim(),
      high = to.value.trim();
    if (low && high)
      studio.setFocus((/** @type {import("../focus.js").Focus} */ focus) =>
        focus.only({
          label: `${name} ${low} to ${high}`,
          column: name,
          rule: {
            match: "all",
            of: conditions ?? [condition(name, "between", { value: low, to: high })],
          },
        }),
      );
  };
  const chosen = (/** @type {number} */ a, /** @type {number} */ b) => {
    from.value = found.labels[a];
    // The last bin holds its upper edge too; those of whole numbers and days end before the next
    // one begins.
    to.value = integers ? before(found.edges[b], desk.kind) : found.labels[b];
    desk.range = { bins: [a, b], scale, from: from.value, to: to.value };
    // As the bins are counted: each with its lower edge, the last of numbers with its upper one
    // too.
    const last = b === found.counts.length && !steps ? "at_most" : "less";
    take([
      condition(name, "at_least", { value: found.labels[a] }),
      condition(name, last, { value: found.labels[b] }),
    ]);
  };
  const picture = rangeHistogram(
    found,
    desk.range?.scale === scale ? desk.range.bins : null,
    text ? null : chosen,
    integers ? before(found.edges.at(-1), desk.kind) : null,
  );
  return [
    tools,
    picture,
    text
      ? h("p", { class: "muted small" }, "Set the column to number to choose a range.")
      : h(
          "form",
          {
            class: "range-form",
            onsubmit: (event) => {
              event.preventDefault();
              take(null);
            },
          },
          from,
          h("span", { class: "arrow" }, "to"),
          to,
          h("button", { class: "btn btn-quiet btn-small" }, "Only these"),
        ),
    beside.length
      ? h(
          "div",
          { class: "add-row" },
          beside.map(({ way, label }) => {
            const said = `${count(way.rows)} ${label}`;
            const button = /** @type {HTMLElement} */ (desk.opens(way, said)); // it has rows
            button.className = "chip chip-warn";
            return button;
          }),
        )
      : null,
  ];
}

/** @param {number} edge @param {string} kind */
function before(edge, kind) {
  if (kind === "whole") return String(edge - 1);
  return new Date((edge - 1) * 86400000).toISOString().slice(0, 10);
}
