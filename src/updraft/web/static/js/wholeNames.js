/**
 * Names that are cut off are shown whole, over their place, while the pointer or the keyboard's
 * focus is on them.
 */
import { h } from "./dom.js";

const WAIT = 250; // milliseconds until a pointer that rests shows a name
// The focus lies on a tick or a handle, the name stands beside it.
const AROUND = ".row-item, label, button, a, li, td, th, summary, [tabindex]";

const tip = h("div", { class: "whole-name", "aria-hidden": "true", popover: "manual" });
let due = 0;

export function showWholeNames() {
  document.body.append(tip);
  document.addEventListener("focusin", () => {
    hide();
    if (document.activeElement?.matches(":focus-visible")) show(document.activeElement);
  });
  document.addEventListener("pointerover", ({ target }) => {
    hide();
    due = setTimeout(show, WAIT, target);
  });
  for (const gone of ["focusout", "pointerdown", "keydown", "scroll", "wheel"])
    document.addEventListener(gone, hide, true);
}

function show(target) {
  // Cells of the table are opened, not hovered: there are too many of them.
  if (!target.isConnected || target.closest(".slick-cell")) return;
  const root = target.closest(AROUND) ?? target;
  const name = [root, ...root.querySelectorAll("*")].find(isCut);
  if (!name || (root !== target && !root.contains(target))) return;
  const place = name.getBoundingClientRect();
  tip.textContent = name.textContent.trim();
  if (name.title === tip.textContent) name.removeAttribute("title"); // said twice otherwise
  tip.style.font = getComputedStyle(name).font;
  tip.showPopover();
  const { width, height } = tip.getBoundingClientRect();
  tip.style.left = `${Math.max(4, Math.min(place.left - 7, innerWidth - width - 4))}px`;
  tip.style.top = `${Math.max(4, Math.min(place.top + (place.height - height) / 2, innerHeight - height - 4))}px`;
}

/** Whether an element leaves out a part of its text. */
function isCut(element) {
  return (
    element.scrollWidth > element.clientWidth + 1 &&
    element.clientWidth > 0 &&
    getComputedStyle(element).textOverflow === "ellipsis" &&
    !element.matches("input, select, textarea")
  );
}

function hide() {
  clearTimeout(due);
  if (tip.matches(":popover-open")) tip.hidePopover();
}

showWholeNames();
