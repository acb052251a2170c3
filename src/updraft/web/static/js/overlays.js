/** Things that lie over the page for a moment: the menu of a step, the list of keys. */
import { byId, h, icon } from "./dom.js";

/** A menu beside an element; `items` are [icon, text, act, key, class] or null for a gap. */
export function openMenu(beside, items) {
  const menu = byId("menu");
  const close = () => {
    menu.hidden = true;
    removeEventListener("pointerdown", outside, true);
  };
  const outside = (event) => {
    if (!menu.contains(event.target)) close();
  };
  menu.replaceChildren(
    ...items.filter(Boolean).map(([sign, text, act, key, kind]) =>
      h(
        "button",
        {
          type: "button",
          role: "menuitem",
          class: kind ?? null,
          onclick: () => {
            close();
            beside.isConnected && beside.focus();
            act();
          },
        },
        icon(sign),
        text,
        key ? h("kbd", {}, key) : null,
      ),
    ),
  );
  menu.onkeydown = (event) => {
    const buttons = [...menu.querySelectorAll("button")],
      at = buttons.indexOf(/** @type {any} */ (document.activeElement));
    if (event.key === "Escape" || event.key === "Tab") {
      event.preventDefault();
      event.stopPropagation();
      close();
      beside.focus();
    } else if (event.key === "ArrowDown") {
      event.preventDefault();
      buttons[(at + 1) % buttons.length].focus();
    } else if (event.key === "ArrowUp") {
      event.preventDefault();
      buttons[(at - 1 + buttons.length) % buttons.length].focus();
    }
  };
  menu.hidden = false;
  const box = beside.getBoundingClientRect();
  menu.style.left = `${Math.max(8, Math.min(box.left + 24, innerWidth - menu.offsetWidth - 8))}px`;
  menu.style.top = `${Math.min(box.bottom + 2, innerHeight - menu.offsetHeight - 8)}px`;
  menu.querySelector("button")?.focus();
  addEventListener("pointerdown", outside, true);
}

const KEYS = [
  ["Space", "Pick the selected rows of the table by hand, or leave them again"],
  ["Ctrl K", "Add a step behind the selected one"],
  ["Ctrl Enter", "Apply the settings in the panel"],
  ["Ctrl Z / Ctrl Shift Z", "Undo / redo"],
  ["Alt R", "Run the flow"],
  ["Alt 1 / 2 / 3", "Go to the steps / the table / the panel"],
  ["Esc", "Back to the step; put back what is not applied"],
  ["↑ ↓", "In the steps: go from one to the next"],
  ["Alt ↑ ↓", "In the steps: move the step"],
  ["F2", "Rename the step"],
  ["Shift Space", "Switch the step on or off"],
  ["Delete", "Remove the step"],
  ["Shift F10", "More for the step"],
  ["Shift + arrows", "In the table: select cells"],
  ["Enter", "In the table: what fits the selected cells, or a part of one that you mark"],
  ["Ctrl C", "In the table: copy them"],
  ["Alt C", "In the table: show the column in the panel"],
  ["Ctrl F", "Search the rows"],
  ["Alt L / Alt P / Alt C", "Show the findings / the profile / a chart"],
  ["Alt W", "Work on the step across the window, where it has a wide view"],
  ["Alt K / Alt Shift K", "Keep only / drop the selected rows"],
  ["Alt F", "Hide the panel, or show it"],
  ["?", "This list"],
];

export function showKeys() {
  const dialog = byId("dialog");
  dialog.replaceChildren(
    h("h2", { id: "dialog-title" }, "Keys"),
    h(
      "dl",
      { class: "keys" },
      KEYS.map(([key, what]) => [h("dt", {}, h("kbd", {}, key)), h("dd", {}, what)]),
    ),
    h(
      "form",
      { method: "dialog", class: "dialog-foot" },
      h("button", { class: "btn btn-quiet" }, "Close"),
    ),
  );
  dialog.showModal();
}

/**
 * Ask a question with a few answers; gives the key of the chosen one, the first when it is put
 * away.
 */
export function ask(title, text, answers) {
  const dialog = byId("dialog");
  return new Promise((done) => {
    dialog.onclose = () => {
      dialog.onclose = null;
      done(dialog.returnValue || answers[0][0]);
    };
    dialog.replaceChildren(
      h(
        "form",
        { method: "dialog" },
        h("h2", { id: "dialog-title" }, title),
        h("p", {}, text),
        h(
          "div",
          { class: "dialog-foot" },
          answers.map(([key, label], n) =>
            h(
              "button",
              {
                class: n === answers.length - 1 ? "btn btn-main" : "btn btn-quiet",
                value: key,
                autofocus: n === answers.length - 1,
              },
              label,
            ),
          ),
        ),
      ),
    );
    dialog.returnValue = "";
    dialog.showModal();
  });
}
