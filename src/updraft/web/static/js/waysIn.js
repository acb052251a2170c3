/**
 * The ways to bring a table in, the same in the menu of the steps, on the empty flow and on the
 * home page.
 */
import { notice } from "./api.js";
import { h, icon } from "./dom.js";
import { openMenu } from "./overlays.js";

/**
 * Where a table may come from: what it is, in which words, and what choosing it does.
 * @param {import("./studio.js").Studio} studio
 */
function waysIn(studio) {
  const other = [...studio.kinds.values()]
    .filter((kind) => kind.way_in[1])
    .sort((a, b) => a.way_in[0] - b.way_in[0]);
  return [
    ["file-earmark-spreadsheet", "A file", "workbook, text, JSON, …", () => studio.pickFile(true)],
    ["folder", "A folder of files", "of one shape, stacked", () => studio.pickFolder()],
    ["clipboard", "Pasted cells", "copied in a spreadsheet", () => paste(studio)],
    ...other.map((kind) => [kind.icon, kind.way_in[1], kind.summary, () => studio.add(kind)]),
  ];
}

/** @param {import("./studio.js").Studio} studio */
async function paste(studio) {
  const text = await navigator.clipboard?.readText?.().catch(() => "");
  if (text?.trim() && (await studio.paste(text))) return;
  notice("Copy cells in a spreadsheet, then press Ctrl V anywhere on this page.");
}

/**
 * The menu beside the button “Bring in”.
 * @param {import("./studio.js").Studio} studio
 */
export function openWaysIn(studio, beside) {
  openMenu(
    beside,
    waysIn(studio).map(([sign, title, , act]) => [sign, title, act]),
  );
}

/**
 * All ways as cards, for a flow that has no table yet.
 * @param {import("./studio.js").Studio} studio
 */
export function waysAsCards(studio) {
  return h(
    "div",
    { class: "ways", role: "group", "aria-label": "Ways to bring a table in" },
    waysIn(studio).map(([sign, title, said, act]) =>
      h(
        "button",
        { type: "button", class: "way", onclick: act },
        icon(sign),
        h("span", {}, h("strong", {}, title), h("span", { class: "muted" }, said)),
      ),
    ),
  );
}
