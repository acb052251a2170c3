/**
 * The keyboard never loses its place: where the focused control is taken away by a redraw, its like
 * takes the focus, or else the region that it stood in. Regions can hold the focus themselves
 * (`tabindex="-1"`).
 */
const REGIONS = "#wide, #desk, #course, .table-pane, #notices, .bar";
const label = (/** @type {Element} */ element) =>
  element.getAttribute("aria-label") ?? element.textContent?.trim().slice(0, 80) ?? "";

export function keepFocus() {
  /** @type {{region: Element | null, id: string, tag: string, label: string, turn: number} | null} */
  let last = null;
  let due = 0;
  addEventListener("focusin", ({ target }) => {
    const element = /** @type {HTMLElement} */ (target);
    const region = element.closest(REGIONS);
    const told = { tag: element.tagName, label: label(element) };
    const turn = region ? like(region, told).indexOf(element) : -1;
    last = { region, id: element.id, ...told, turn };
  });
  const mend = () => {
    due = 0;
    const active = document.activeElement;
    if ((active && active !== document.body) || document.querySelector("dialog[open]")) return;
    if (!last) return;
    const region = last.region && seen(last.region) ? last.region : null;
    const named = last.id ? document.getElementById(last.id) : null;
    const found =
      named && seen(named) ? named : region && last.turn >= 0 && like(region, last)[last.turn];
    const to = /** @type {HTMLElement} */ (found || region || document.getElementById("main"));
    to?.focus({ preventScroll: !found });
  };
  const soon = () => {
    if (!due && (!document.activeElement || document.activeElement === document.body))
      due = requestAnimationFrame(mend);
  };
  const watched = { subtree: true, childList: true, attributeFilter: ["disabled", "hidden"] };
  new MutationObserver(() => {
    mend();
    // a control that is switched off loses the focus when the page is next drawn
    requestAnimationFrame(soon);
  }).observe(document.body, watched);
  addEventListener("focusout", () => setTimeout(soon));
}

const seen = (/** @type {Element} */ element) =>
  element.isConnected &&
  element.getClientRects().length > 0 &&
  !(/** @type {any} */ (element).disabled);

const like = (/** @type {Element} */ region, /** @type {{tag: string, label: string}} */ told) =>
  [...region.querySelectorAll(told.tag)].filter(
    (element) => label(element) === told.label && seen(element),
  );
