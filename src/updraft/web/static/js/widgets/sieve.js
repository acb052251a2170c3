/**
 * Finding some of many columns: by a part of the name, a pattern with *, or the type; and all of
 * those shown at once.
 */
import { h } from "../dom.js";

const FEW = 8; // columns that need no search

/**
 * @param {{name: string, kind?: string}[]} columns
 * @param {string} label what is chosen
 * @param {() => void} redraw called when what is shown changes
 * @param {(yes: boolean, fits: (column: {name: string, kind?: string}) => boolean) => void} all
 *   choose all shown, or none of them
 */
export function sieve(columns, label, redraw, all) {
  let [text, type] = ["", ""];
  const kinds = [...new Set(columns.map((column) => String(column.kind ?? "")))].filter(Boolean);
  const pattern = () => {
    const parts = text.split("*").map((part) => part.replace(/[.+?^${}()|[\]\\]/g, "\\$&"));
    return new RegExp(text.includes("*") ? `^${parts.join(".*")}$` : parts[0], "i");
  };
  const fits = (/** @type {{name: string, kind?: string}} */ column) =>
    (!type || column.kind === type) && pattern().test(column.name);
  const tell = () => {
    const some = text || type ? " shown" : "";
    yes.textContent = `All${some}`;
    no.textContent = `None${some}`;
    redraw();
  };
  const button = (/** @type {boolean} */ act) =>
    h("button", { type: "button", class: "tiny-button", onclick: () => all(act, fits) });
  const [yes, no] = [button(true), button(false)];
  [yes.textContent, no.textContent] = ["All", "None"];
  const search = h("input", {
    type: "search",
    class: "form-control form-control-sm",
    placeholder: "Find a column",
    title: "A part of the name, or a pattern such as 2024*",
    "aria-label": `Find in ${label}`,
    oninput: () => {
      text = search.value.trim();
      tell();
    },
  });
  const types = h(
    "select",
    {
      class: "form-select form-select-sm sieve-type",
      "aria-label": `Type of the columns in ${label}`,
      onchange: () => {
        type = types.value;
        tell();
      },
    },
    h("option", { value: "" }, "any type"),
    kinds.map((kind) => h("option", { value: kind }, kind.replace("_", "/"))),
  );
  const many = columns.length > FEW;
  const element = h(
    "div",
    { class: "checks-tools" },
    many ? search : null,
    many && kinds.length > 1 ? types : null,
    yes,
    no,
  );
  return { element, fits };
}
