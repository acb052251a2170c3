/** The buttons of the page, what is dropped and pasted on it, and the width of the course. */
import { attempt, onDrop, post } from "../api.js";
import { byId } from "../dom.js";
import { bindKeys } from "../keys.js";
import { showKeys } from "../overlays.js";
import { openWaysIn } from "../waysIn.js";

const [NARROW, WIDE, STEP] = [190, 520, 16]; // pixels of the course

export function bind(studio) {
  const click = (id, act) => byId(id).addEventListener("click", act);
  click("undo", () => studio.step("undo"));
  click("redo", () => studio.step("redo"));
  click("history", () => studio.flowDesk.revisions());
  click("help", showKeys);
  click("run", () => studio.run());
  click("flow-name", () => studio.flowDesk.show());
  click("coming-stop", () => attempt(() => post(`/api/flows/${studio.flow}/stop`)));
  click("bring-in", (event) => openWaysIn(studio, event.currentTarget));
  click("fold", () => studio.desk.fold(!document.body.classList.contains("folded")));
  onDrop(
    (files, folder) => attempt(() => studio.bringIn(files, folder)),
    (over) => {
      byId("drop-veil").hidden = !over;
    },
  );
  bindKeys(studio);
  bindPaste(studio);
  bindSplitter();
  addEventListener("beforeunload", (event) => {
    if (studio.drafts.size) event.preventDefault();
  });
}

function bindPaste(studio) {
  document.addEventListener("paste", (event) => {
    const target = /** @type {Element} */ (event.target);
    if (target.closest?.("input, textarea, select, [contenteditable]")) return;
    const text = event.clipboardData.getData("text/plain");
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    attempt(() => studio.paste(text));
  });
}

function bindSplitter() {
  const splitter = byId("course-splitter");
  const width = (px) => {
    const to = Math.max(NARROW, Math.min(WIDE, px));
    document.body.style.setProperty("--course-width", `${to}px`);
    splitter.setAttribute("aria-valuenow", String(Math.round(to)));
  };
  splitter.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    const move = (/** @type {PointerEvent} */ e) => width(e.clientX);
    addEventListener("pointermove", move);
    addEventListener("pointerup", () => removeEventListener("pointermove", move), { once: true });
  });
  splitter.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key];
    if (by) width(byId("course").offsetWidth + by);
  });
}
