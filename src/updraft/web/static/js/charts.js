/**
 * Charts as SVG that stands by itself: every colour and size is written in it, so that it can be
 * saved as it is.
 */
import { plural, svg } from "./dom.js";

const WIDE = 720,
  HIGH = 380,
  EDGE = { left: 74, right: 40, top: 30, bottom: 46 },
  LINE = 24,
  NAMES = 190;
const DIGITS = 15, // that a number of the computer's has
  MOST_TICKS = 7;
const FIGURES = new Intl.NumberFormat("en", { maximumSignificantDigits: DIGITS });
const INK = "#12343b",
  SOFT = "#59696c",
  GRID = "#e2ded4",
  FAR = "#a84d08";
// Told apart by lightness, too, and lines by their dashes.
const COLOURS = ["#0f766e", "#dd9c1c", "#5d2c06", "#6fa8dc", "#7a4f9e", "#59696c"];
const DASHES = ["", "7 3", "2 3", "10 3 2 3", "4 2", "1 4"];

const text = (x, y, words, more = {}) =>
  svg("text", { x, y, fill: INK, "font-size": 12, ...more }, words);
const line = (x1, y1, x2, y2) => svg("line", { x1, y1, x2, y2, stroke: GRID });
const told = (words) => svg("title", {}, words);
const short = (words, most) => (words.length > most ? `${words.slice(0, most - 1)}…` : words);

/** A number with as many digits as tell it from its neighbours. */
export const figure = (number) => (number === null ? "empty" : FIGURES.format(number));

/** Round numbers from the least to the most, five or so. */
export function ticks(low, high) {
  if (!(high > low)) return [low];
  const rough = (high - low) / 5;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough) ?? rough;
  const first = Math.ceil(low / step);
  const found = Array.from({ length: MOST_TICKS }, (_, n) =>
    Number(((first + n) * step).toPrecision(DIGITS)),
  );
  // Of numbers that hardly differ several may be written the same.
  const within = [...new Set(found)].filter((at) => at <= high + step / 1e6);
  return within.length ? within : [low];
}

/** Days from the first to the last, five or so; as people write them. */
function dayTicks(low, high) {
  const many = 5;
  const all = Array.from({ length: many }, (_, n) => low + ((high - low) * n) / (many - 1));
  const form = (at) => {
    const iso = new Date(at * 1000).toISOString();
    return high - low < 3 * 86400 ? iso.slice(5, 16).replace("T", " ") : iso.slice(0, 10);
  };
  return [...new Map(all.map((at) => [form(at), at]))].map(([words, at]) => [at, words]);
}

/** @returns {[number, number]} */
function span(values, zero) {
  const known = values.filter((value) => Number.isFinite(value));
  let [low, high] = [Math.min(...known), Math.max(...known)];
  if (!known.length) [low, high] = [0, 1];
  if (zero) [low, high] = [Math.min(low, 0), Math.max(high, 0)];
  return low === high ? [low - 0.5, high + 0.5] : [low, high];
}

const scale =
  ([low, high], from, to) =>
  (value) =>
    from + ((value - low) / (high - low)) * (to - from);

const whole = (height, words, parts) =>
  svg(
    "svg",
    {
      xmlns: "http://www.w3.org/2000/svg",
      viewBox: `0 0 ${WIDE} ${height}`,
      width: WIDE,
      height,
      role: "img",
      "aria-label": words,
      "font-family": "Figtree, Arial, sans-serif",
    },
    svg("rect", { width: WIDE, height, fill: "#ffffff" }),
    ...parts.flat(3).filter(Boolean),
  );

/** @param {(mark: any) => void} open called with the mark that is clicked */
const clicked = (element, mark, open) => {
  element.setAttribute("style", "cursor: pointer");
  element.addEventListener("click", () => open(mark));
  return element;
};

/** Lying bars, each with its name and its figure. */
function bars(found, words, open) {
  const across = scale(
    span(
      found.marks.map(({ y }) => y ?? 0),
      true,
    ),
    NAMES,
    WIDE - 110,
  );
  const zero = across(0);
  const parts = found.marks.map((mark, n) => {
    const top = 8 + n * LINE,
      end = across(mark.y ?? 0);
    const bar = svg(
      "rect",
      {
        x: Math.min(zero, end),
        y: top,
        width: Math.max(Math.abs(end - zero), 1),
        height: LINE - 8,
        fill: COLOURS[0],
        "data-mark": n,
      },
      told(`${mark.label}: ${figure(mark.y)} (${plural(mark.rows, "row", "rows")})`),
    );
    return [
      text(NAMES - 8, top + 12, short(mark.label, 28), { "text-anchor": "end" }),
      clicked(bar, mark, open),
      text(Math.max(zero, end) + 6, top + 12, figure(mark.y), { fill: SOFT }),
    ];
  });
  return whole(found.marks.length * LINE + 16, words, parts);
}

/** The axes of a chart with two of them; gives their parts and both scales. */
function axes(found, names, zero) {
  const xs = found.marks.flatMap(({ x, to }) => (to === undefined ? [x] : [x, to]));
  const wide = span(xs, false),
    tall = span(
      found.marks.map(({ y }) => y),
      zero,
    );
  const x = scale(wide, EDGE.left, WIDE - EDGE.right),
    y = scale(tall, HIGH - EDGE.bottom, EDGE.top);
  const across =
    found.kind === "date" ? dayTicks(...wide) : ticks(...wide).map((at) => [at, figure(at)]);
  const upward =
    found.upward === "date" ? dayTicks(...tall) : ticks(...tall).map((at) => [at, figure(at)]);
  const parts = [
    upward.map(([at, label]) => [
      line(EDGE.left, y(at), WIDE - EDGE.right, y(at)),
      text(EDGE.left - 8, y(at) + 4, label, { "text-anchor": "end", fill: SOFT }),
    ]),
    across.map(([at, label]) =>
      text(x(at), HIGH - EDGE.bottom + 18, label, { "text-anchor": "middle", fill: SOFT }),
    ),
    text((WIDE + EDGE.left) / 2, HIGH - 6, names[0], { "text-anchor": "middle" }),
  ];
  return { x, y, parts };
}

function columns(found, words, names, open) {
  const { x, y, parts } = axes(found, names, true);
  const drawn = found.marks.map((mark, n) =>
    clicked(
      svg(
        "rect",
        {
          x: x(mark.x) + 0.5,
          y: y(mark.y),
          width: Math.max(x(mark.to) - x(mark.x) - 1, 1),
          height: Math.max(y(0) - y(mark.y), mark.y ? 1 : 0),
          fill: COLOURS[0],
          "data-mark": n,
        },
        told(`${mark.label}: ${plural(mark.rows, "row", "rows")}`),
      ),
      mark,
      open,
    ),
  );
  return whole(HIGH, words, [parts, drawn]);
}

/** What tells the series apart, above the chart. */
function legend(series, mark) {
  if (series.length < 2) return [];
  const step = (WIDE - EDGE.left - EDGE.right) / series.length;
  return series.map((name, n) => [
    mark(EDGE.left + n * step, n),
    text(EDGE.left + n * step + 30, 11, short(name || "empty", Math.floor(step / 8))),
  ]);
}

function points(found, words, names, open) {
  const { x, y, parts } = axes(found, names, false);
  const dot = (cx, cy, n, far) =>
    svg("circle", {
      cx,
      cy,
      r: far ? 5 : 4,
      fill: COLOURS[n],
      "fill-opacity": far ? 0.9 : 0.55,
      stroke: far ? FAR : "none",
      "stroke-width": 2,
    });
  const drawn = found.marks.map((mark, n) => {
    const made = dot(x(mark.x), y(mark.y), mark.series, mark.far);
    made.setAttribute("data-mark", n);
    made.append(told(`${mark.label}: ${plural(mark.rows, "row", "rows")}`));
    return clicked(made, mark, open);
  });
  return whole(HIGH, words, [
    parts,
    drawn,
    legend(found.series, (at, n) => dot(at + 14, 7, n, false)),
  ]);
}

function lines(found, words, names, open) {
  const { x, y, parts } = axes(found, names, true);
  const stroke = (n) => ({
    fill: "none",
    stroke: COLOURS[n],
    "stroke-width": 2.2,
    "stroke-dasharray": DASHES[n] || null,
  });
  const drawn = found.series.map((_, n) => {
    const own = found.marks.filter(({ series, y: up }) => series === n && up !== null);
    const d = own.map((mark, at) => `${at ? "L" : "M"}${x(mark.x)},${y(mark.y)}`).join("");
    const dots = own.map((mark) =>
      clicked(
        svg(
          "circle",
          {
            cx: x(mark.x),
            cy: y(mark.y),
            r: own.length > 60 ? 2.5 : 4,
            fill: COLOURS[n],
            "data-mark": found.marks.indexOf(mark),
          },
          told(`${mark.label}: ${figure(mark.y)} (${plural(mark.rows, "row", "rows")})`),
        ),
        mark,
        open,
      ),
    );
    return [svg("path", { d, ...stroke(n) }), dots];
  });
  const key = (at, n) => svg("path", { d: `M${at},7 L${at + 26},7`, ...stroke(n) });
  return whole(HIGH, words, [parts, drawn, legend(found.series, key)]);
}

/**
 * A chart of what the server found.
 * @param {any} asked shape, x, y, figure, by
 * @param {any} found marks, series, kind
 * @param {(mark: any) => void} open
 */
export function drawChart(asked, found, open) {
  const upward = asked.figure === "rows" ? "number of rows" : `${asked.figure} of ${asked.y}`;
  if (asked.shape === "bars") return bars(found, `${upward} by ${asked.x}`, open);
  if (asked.shape === "histogram")
    return columns(found, `How often each ${asked.x} comes`, [asked.x, "rows"], open);
  if (asked.shape === "scatter")
    return points(found, `${asked.y} by ${asked.x}`, [asked.x, asked.y], open);
  return lines(found, `${upward} by ${asked.x}`, [asked.x, upward], open);
}

/** The chart as a file of SVG. */
export const asSvg = (drawn) => new XMLSerializer().serializeToString(drawn);

/** The chart as a PNG, twice as large. */
export async function asPng(drawn) {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(asSvg(drawn))}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [image.width * 2, image.height * 2];
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((done) => canvas.toBlob(done, "image/png"));
}
