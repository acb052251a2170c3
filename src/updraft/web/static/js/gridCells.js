/** Cells of the grid: how they are shown, and how they are copied. */
import { h } from "./dom.js";
import { writer } from "./numbers.js";
import { visible } from "./visible.js";

const [PLAIN, APART] = [writer(12, false), writer(12, true)];

// What a cell shows of a long text: a browser takes seconds to lay out some rows of ten thousand
// signs.
const SHOWN = 400;
const shortened = (text) => (text.length > SHOWN ? `${text.slice(0, SHOWN)}…` : text);

/** A cell as it is written. */
export function written(cell, apart = false) {
  if (cell === null) return "empty";
  if (typeof cell === "boolean") return cell ? "yes" : "no";
  if (typeof cell === "number") return (apart ? APART : PLAIN)(cell);
  return shortened(String(cell));
}

/** A cell's text; blanks that one would not see are marked. */
function value(cell, kind, apart = false) {
  if (cell === null) return h("span", { class: "cell-empty" }, "empty");
  return kind === "text" && typeof cell === "string"
    ? visible(shortened(cell))
    : written(cell, apart);
}

/** Whether a spreadsheet would take a text for a formula; numbers are none. */
export function isFormula(cell) {
  return (
    typeof cell === "string" &&
    /^[=+\-@\t\r]/.test(cell) &&
    !/^[+-]?(\d[\d.,' ]*|\.\d+)(e[+-]?\d+)?\s?%?$/i.test(cell)
  );
}

/**
 * A cell as the grid draws it, with what it was before this step.
 * @param {any} column name, kind, index
 * @param {any} item the row: its cells, and what was in them
 * @param {boolean} apart whether thousands stand apart
 */
export function shownCell(column, item, apart) {
  if (!item.cells) return h("span", { class: "cell-waiting" });
  const was = item.was?.[column.name];
  const body = value(item.cells[column.index], column.kind, apart);
  if (was === undefined) return body;
  return {
    html: h(
      "span",
      {},
      body,
      h(
        "span",
        { class: `cell-was${was === null ? " cell-empty" : ""}` },
        was === null
          ? "was empty"
          : value(was, typeof was === "string" ? "text" : column.kind, apart),
      ),
    ),
    addClasses: "changed",
    toolTip: `before: ${was === null ? "empty" : shortened(String(was))}`,
  };
}

/** A cell for the clipboard, quoted where a spreadsheet needs it. */
export function quoted(cell) {
  if (cell === null) return "";
  const text = cell === true ? "yes" : cell === false ? "no" : String(cell);
  return /[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
