/**
 * The buttons of the page, what is dropped and pasted on it, its history and the widths of its
 * parts.
 */
import { attempt, onDrop, post } from "../api.js";
import { byId } from "../dom.js";
import { keepFocus } from "../keepFocus.js";
import { bindKeys } from "../keys.js";
import { showKeys } from "../overlays.js";
import { openWaysIn } from "../waysIn.js";
import { bindSplitters } from "./splitters.js";

/** @param {import("../studio.js").Studio} studio */
export function bind(studio) {
  /** @type {(id: string, act: () => unknown) => void} */
  const click = (id, act) => byId(id).addEventListener("click", () => act());
  click("undo", () => studio.step("undo"));
  click("redo", () => studio.step("redo"));
  click("history", () => studio.flowDesk.revisions());
  click("help", showKeys);
  click("run", () => studio.run());
  click("flow-name", () => studio.flowDesk.show());
  click("coming-stop", () => attempt(() => post(`/api/flows/${studio.flow}/stop`)));
  click("bring-in", () => openWaysIn(studio, byId("bring-in")));
  click("fold", () => studio.desk.fold(!document.body.classList.contains("folded")));
  onDrop(
    (files, folder) => attempt(() => studio.bringIn(files, folder)),
    (over) => {
      byId("drop-veil").hidden = !over;
    },
  );
  bindKeys(studio);
  bindPaste(studio);
  bindSplitters();
  keepFocus();
  addEventListener("popstate", (event) => attempt(() => studio.goBackTo(event.state)));
  const asks = (/** @type {Event} */ event) => {
    if (studio.drafts.size) event.preventDefault(); // closing the window would lose them
  };
  addEventListener("beforeunload", asks);
  addEventListener("reloading", () => removeEventListener("beforeunload", asks));
}

/** @param {import("../studio.js").Studio} studio */
function bindPaste(studio) {
  document.addEventListener("paste", (event) => {
    const target = /** @type {Element} */ (event.target);
    if (target.closest?.("input, textarea, select, [contenteditable]")) return;
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    attempt(() => studio.paste(text));
  });
}
