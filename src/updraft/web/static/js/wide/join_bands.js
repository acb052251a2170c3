/** Two tables as bars, the bands between them the rows that meet; what comes out is ticked. */
import { count, freshId, h, plural, svg } from "../dom.js";

const WIDE = 640,
  HIGH = 150,
  BAR = 18,
  GAP = 8,
  LEAST = 12; // so that few rows are still seen

/** @typedef {import("./answers.d.ts").Met} Met */
/** @typedef {[from: number, to: number]} Stretch on a bar, from the top */

/**
 * How high the parts of both bars are: rows that meet, and those that do not.
 * @param {Met} met
 */
function heights(met) {
  const most = Math.max(met.left, met.right, 1);
  const of = (/** @type {number} */ rows) => (rows ? Math.max(LEAST, (rows / most) * HIGH) : 0);
  return [
    [of(met.met), of(met.left - met.met)],
    [of(met.met_other), of(met.right - met.met_other)],
  ];
}

/**
 * A band between the bars, from the height where it begins on each side.
 * @param {Stretch} here
 * @param {Stretch} there
 * @param {string} look
 */
const band = ([a, b], [c, d], look) =>
  svg("path", {
    class: look,
    d: `M${BAR},${a} C${WIDE / 2},${a} ${WIDE / 2},${c} ${WIDE - BAR},${c} L${WIDE - BAR},${d} C${WIDE / 2},${d} ${WIDE / 2},${b} ${BAR},${b} Z`,
  });

/** @param {number} x @param {number} from @param {number} high @param {string} look */
const bar = (x, from, high, look) =>
  high ? svg("rect", { x, y: from, width: BAR, height: high, rx: 3, class: look }) : "";

/**
 * @param {Met} met how the rows meet, as the server counts it
 * @param {{names: string[], ticks: number[], tick: (at: number) => void}} chosen
 */
export function bandsPicture(met, { names, ticks, tick }) {
  const [[meets, alone], [itsMeets, itsAlone]] = heights(met);
  const left = meets ? meets + GAP : 0;
  const right = itsMeets ? itsMeets + GAP : 0;
  const high = Math.max(left + alone, right + itsAlone, 40);
  const several = met.met ? (meets * met.several) / met.met : 0;
  const its = met.met_other ? (itsMeets * met.several_other) / met.met_other : 0;
  const look = (/** @type {number} */ on, /** @type {string} */ name) =>
    `${name} ${on ? "is-out" : "is-left-out"}`;
  const drawn = svg(
    "svg",
    { viewBox: `0 0 ${WIDE} ${high}`, "aria-hidden": "true", preserveAspectRatio: "none" },
    meets ? band([0, meets], [0, itsMeets], look(ticks[0], "band-meets")) : "",
    several
      ? band([meets - several, meets], [itsMeets - its, itsMeets], look(ticks[0], "band-several"))
      : "",
    bar(0, 0, meets, "bar-meets"),
    bar(WIDE - BAR, 0, itsMeets, "bar-meets"),
    bar(0, left, alone, look(ticks[1], "bar-alone")),
    bar(WIDE - BAR, right, itsAlone, look(ticks[2], "bar-its-alone")),
  );
  /** @param {number} at @param {string} place @param {string} words */
  const label = (at, place, words, more = "") => {
    const id = freshId("band");
    return h(
      "div",
      { class: `band-label at-${place} ${ticks[at] ? "is-out" : ""}` },
      h("input", {
        type: "checkbox",
        class: "form-check-input",
        id,
        "data-tick": String(at),
        "data-first": at === 0,
        checked: Boolean(ticks[at]),
        onchange: () => tick(at),
      }),
      h("label", { for: id }, h("strong", {}, words), more ? h("span", {}, ` ${more}`) : ""),
    );
  };
  const state = (/** @type {number} */ at) => (ticks[at] ? "come out" : "left out");
  return h(
    "div",
    { class: "bands" },
    h(
      "div",
      { class: "bands-heads" },
      h("div", {}, h("strong", {}, names[0]), h("span", {}, plural(met.left, "row", "rows"))),
      h("div", {}, h("strong", {}, names[1]), h("span", {}, plural(met.right, "row", "rows"))),
    ),
    drawn,
    h(
      "div",
      { class: "bands-labels", role: "group", "aria-label": "Which rows come out" },
      label(1, "left", `${count(met.left - met.met)} without a partner`, state(1)),
      label(
        0,
        "middle",
        `${count(met.met)} meet ${count(met.met_other)}`,
        ticks[0] ? `${plural(met.pairs, "row comes", "rows come")} out` : "left out",
      ),
      label(2, "right", `${count(met.right - met.met_other)} without a partner`, state(2)),
    ),
    met.several
      ? h(
          "p",
          { class: "band-several-said" },
          h("span", { class: "mark", "aria-hidden": "true" }),
          `${plural(met.several, "row meets", "rows meet")} several`,
          met.worst.length
            ? `, most by ${met.worst
                .slice(0, 3)
                .map(([key, here, there]) => `${key.join(", ")} (${here} × ${there})`)
                .join("; ")}`
            : "",
        )
      : "",
  );
}
