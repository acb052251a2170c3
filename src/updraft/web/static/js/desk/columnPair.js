/** A column beside another: a cross table, points, and which column determines which. */
import { api, attempt } from "../api.js";
import { count, h, plural, share } from "../dom.js";
import { condition } from "../focus.js";
import { scatterPicture } from "../pictures.js";
import { select } from "../widgets/basic.js";

/** @param {import("./column.js").ColumnDesk} desk */
export async function drawPair(desk) {
  const others = desk.studio.table.columns
    .filter((c) => c.name !== desk.name && c.kind !== "list" && c.kind !== "record")
    .map((c) => [c.name, c.name]);
  const place = h("div");
  const pick = select(others, desk.other, "Beside which column", (value) => {
    desk.other = value;
    drawPair(desk);
  });
  const dependencies = h(
    "div",
    { class: "section-line" },
    h("p", { class: "muted" }, "Working out which columns determine which…"),
  );
  desk.body.replaceChildren(h("div", { class: "field" }, pick), place, dependencies);
  const [both, known] = await Promise.all([
    desk.other ? attempt(() => api(desk.address("pair", { other: desk.other }))) : null,
    attempt(() => api(desk.address("dependencies"))),
  ]);
  if (!place.isConnected) return; // it was drawn anew meanwhile
  if (both) place.replaceChildren(...pair(desk, both));
  const line = (
    /** @type {any} */ one,
    /** @type {string} */ other,
    /** @type {any} */ part,
    /** @type {string} */ against,
  ) =>
    part < 0.8
      ? null
      : h(
          "li",
          {},
          h("strong", {}, one),
          " determines ",
          h("strong", {}, other),
          ` in ${share(part)} of the rows`,
          against ? ["; not in ", exceptions(desk, one, other, against)] : null,
        );
  const said = (known?.columns ?? []).flatMap((/** @type {any} */ found) => [
    line(desk.name, found.column, found.determines, found.against),
    line(found.column, desk.name, found.determined, found.against_it),
  ]);
  dependencies.replaceChildren(
    h("h3", { class: "field-title" }, "What determines what"),
    said.filter(Boolean).length
      ? h("ul", { class: "plain-text" }, said)
      : h(
          "p",
          { class: "muted" },
          "No other column goes with this one in 80 % of the rows or more.",
        ),
  );
}

/**
 * The count of rows that break what one column says of another, which opens them.
 * @param {import("./column.js").ColumnDesk} desk
 * @param {any} one
 * @param {string} other
 * @param {string} many
 */
function exceptions(desk, one, other, many) {
  const { studio } = desk;
  const chip = {
    label: `${other} unlike others of its ${one}`,
    column: "",
    finding: `against:${JSON.stringify([one, other])}`,
  };
  const show = (/** @type {import("../focus.js").Focus} */ focus) => {
    focus.clear();
    focus.chips.push(chip);
  };
  return h(
    "button",
    { type: "button", class: "count-way", onclick: () => studio.setFocus(show) },
    plural(many, "row", "rows"),
  );
}

/** @param {import("./column.js").ColumnDesk} desk @param {{cross: any, scatter: any}} given */
function pair(desk, { cross, scatter }) {
  const { studio, name, other } = desk,
    most = Math.max(...cross.counts.flat(), 1);
  const cell = (
    /** @type {string | null} */ row,
    /** @type {string | null} */ column,
    /** @type {number} */ n,
  ) => {
    const td = h(
      "td",
      {},
      n
        ? h(
            "button",
            {
              type: "button",
              "aria-label": `${name} ${row ?? "empty"} and ${other} ${column ?? "empty"}: ${n} rows`,
              onclick: () =>
                studio.setFocus((/** @type {import("../focus.js").Focus} */ focus) => {
                  focus.only(single(name, row));
                  focus.only(single(other, column));
                }),
            },
            count(n),
          )
        : "",
    );
    td.style.setProperty("--heat", String(n ? 0.1 + 0.5 * (n / most) : 0));
    return td;
  };
  const label = (/** @type {string} */ text) => text ?? "empty";
  /** @type {Element[]} */
  const parts = [
    h(
      "div",
      { class: "cross-scroll", tabindex: "0", role: "region", "aria-label": "Cross table" },
      h(
        "table",
        { class: "cross" },
        h(
          "thead",
          {},
          h(
            "tr",
            {},
            h("td", {}),
            cross.columns.map((/** @type {string} */ text) =>
              h("th", { scope: "col", title: label(text) }, label(text)),
            ),
            cross.more_columns ? h("th", { scope: "col" }, `+${count(cross.more_columns)}`) : null,
            h("th", { scope: "col" }, "all"),
          ),
        ),
        h(
          "tbody",
          {},
          cross.rows.map((/** @type {string} */ text, /** @type {number} */ at) => {
            const sum = cross.counts[at].reduce(
              (/** @type {number} */ a, /** @type {number} */ b) => a + b,
              0,
            );
            return h(
              "tr",
              {},
              h("th", { scope: "row", title: label(text) }, label(text)),
              cross.counts[at].map((/** @type {number} */ n, /** @type {number} */ m) =>
                cell(text, cross.columns[m], n),
              ),
              cross.more_columns
                ? h("td", { class: "muted" }, count(cross.row_totals[at] - sum))
                : null,
              h("td", { class: "total" }, count(cross.row_totals[at])),
            );
          }),
        ),
      ),
    ),
  ];
  if (cross.more_rows)
    parts.push(
      h(
        "p",
        { class: "muted small" },
        `and ${plural(cross.more_rows, "value", "values")} of ${name} more`,
      ),
    );
  if (scatter?.all)
    parts.unshift(
      scatterPicture(scatter.points, name, other),
      h(
        "p",
        { class: "muted small" },
        `${name} across, ${other} up; ${scatter.points.length < scatter.all ? `${count(scatter.points.length)} of ${count(scatter.all)} points are drawn, all are counted` : `${plural(scatter.all, "point", "points")}`}. Correlation ${scatter.correlation === null ? "none" : scatter.correlation.toFixed(2)}, of ranks ${scatter.rank_correlation === null ? "none" : scatter.rank_correlation.toFixed(2)}.`,
      ),
    );
  return parts;
}

const single = (/** @type {string} */ column, /** @type {string | null} */ text) => ({
  label: text === null ? `${column} empty` : `${column} “${text}”`,
  column,
  conditions: [
    text === null ? condition(column, "empty") : condition(column, "one_of", { values: [text] }),
  ],
});
