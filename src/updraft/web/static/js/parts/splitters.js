/** The widths of the steps and of the panel: dragged or moved by the arrow keys, and remembered. */
import { byId } from "../dom.js";

const STEP = 16; // pixels that an arrow key moves
/** @typedef {[id: string, variable: string, narrow: number, wide: number, at: (x: number) => number]} Splitter */
/** @type {Splitter[]} element, variable, narrowest, widest, width at x */
const SPLITTERS = [
  ["course-splitter", "--course-width", 190, 520, (x) => x],
  ["desk-splitter", "--desk-width", 280, 640, (x) => innerWidth - x],
];

export function bindSplitters() {
  for (const splitter of SPLITTERS) bindOne(splitter);
}

/** @param {Splitter} splitter */
function bindOne([id, variable, narrow, wide, at]) {
  const splitter = byId(id);
  const pane = /** @type {HTMLElement} */ (splitter.parentElement);
  const set = (/** @type {number} */ px) => {
    const to = Math.round(Math.max(narrow, Math.min(wide, px)));
    document.body.style.setProperty(variable, `${to}px`);
    splitter.setAttribute("aria-valuenow", String(to));
    return to;
  };
  const keep = (/** @type {number} */ px) => localStorage.setItem(id, String(set(px)));
  const kept = Number(localStorage.getItem(id));
  if (kept) set(kept);
  splitter.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    splitter.focus();
    const move = (/** @type {PointerEvent} */ e) => keep(at(e.clientX));
    addEventListener("pointermove", move);
    addEventListener("pointerup", () => removeEventListener("pointermove", move), { once: true });
  });
  splitter.addEventListener("keydown", (event) => {
    const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
    if (!way) return;
    event.preventDefault();
    keep(pane.offsetWidth + STEP * way * (at(1) > at(0) ? 1 : -1));
  });
  splitter.addEventListener("dblclick", () => {
    localStorage.removeItem(id);
    document.body.style.removeProperty(variable);
  });
}
