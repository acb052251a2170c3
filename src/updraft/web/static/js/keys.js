/** The studio's keys. The list a person sees stands in overlays.js. */
import { byId } from "./dom.js";
import { showKeys } from "./overlays.js";

const typing = (/** @type {any} */ target) =>
  target.closest?.(
    "input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]",
  );

/** @type {any} a text in which something was typed since it got the focus: Ctrl Z is its own there */
let typed = null;

/** @param {import("./studio.js").Studio} studio */
export function bindKeys(studio) {
  addEventListener("input", ({ target }) => {
    typed = typing(target) ? target : null;
  });
  addEventListener("focusin", ({ target }) => {
    if (target !== typed) typed = null;
  });
  addEventListener("keydown", (event) => {
    const control = event.ctrlKey || event.metaKey,
      key = event.key.toLowerCase();
    const act =
      control && key === "k"
        ? () => studio.addBox.open()
        : control && event.key === "Enter"
          ? () => studio.applyDraft()
          : control && key === "z" && typed !== event.target
            ? () => studio.step(event.shiftKey ? "redo" : "undo")
            : control && key === "y" && typed !== event.target
              ? () => studio.step("redo")
              : event.altKey && key === "r"
                ? () => studio.run()
                : event.altKey && event.key === "1"
                  ? () => studio.selected && studio.course.focus(studio.selected)
                  : event.altKey && event.key === "2"
                    ? () => studio.grid.focus()
                    : event.altKey && event.key === "3"
                      ? () => {
                          studio.desk.fold(false);
                          studio.desk.element
                            .querySelector(".desk-body")
                            ?.querySelector("input, select, textarea, button, a")
                            ?.focus();
                        }
                      : event.altKey && key === "w"
                        ? () => studio.openWide()
                        : event.altKey && key === "f"
                          ? () => byId("fold").click()
                          : event.altKey && key === "p"
                            ? () => studio.table && studio.profileDesk.show()
                            : event.altKey && key === "c"
                              ? () => studio.table && studio.chart.show()
                              : event.altKey && key === "l"
                                ? () => studio.table && studio.findingsDesk.show()
                                : event.altKey && key === "k" && !studio.focus.nothing
                                  ? () => studio.act.focusStep(event.shiftKey ? "drop" : "keep")
                                  : control && key === "f" && studio.table
                                    ? () =>
                                        /** @type {HTMLElement} */ (
                                          document.querySelector(".table-search")
                                        ).focus()
                                    : event.key === "?" && !typing(event.target)
                                      ? showKeys
                                      : event.key === "Escape" && !byId("dialog").open
                                        ? () => leave(studio)
                                        : null;
    if (act) {
      event.preventDefault();
      act();
    }
  });
}

/** @param {import("./studio.js").Studio} studio */
function leave(studio) {
  if (studio.wide.open) {
    studio.wide.close();
    return;
  }
  if (studio.desk.view !== "step") studio.act.chooseColumn(null);
  else if (typed && !typed.matches("select"))
    typed = null; // out of the text alone, which stays
  else if (studio.drafts.has(studio.selected)) studio.dropDraft();
  if (studio.selected) studio.course.focus(studio.selected);
}
