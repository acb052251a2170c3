/** A text box that finds things by what is typed. */
import { Newest } from "../api.js";
import { freshId, h, icon, pausing } from "../dom.js";
import { labelled } from "./basic.js";

/**
 * A text box that lists below it what fits what is typed.
 * @param {any} field
 * @param {{hint: string, what: string, sign: string, find: (search: string) => Promise<any[]> |
 *   null, took?: (name: string) => void, free?: boolean}} how `what` is looked for, how it is
 *   found, and `free`: what is typed is kept though it is none of what was found
 */
export function finder(field, how) {
  const { hint, what, sign, find: ask, took = (_name) => {}, free = false } = how;
  const list = h("div", { class: "finder", role: "listbox", "aria-label": hint, hidden: true });
  const newest = new Newest();
  const close = () => {
    newest.forget();
    list.hidden = true;
    input.setAttribute("aria-expanded", "false");
  };
  const take = (/** @type {string} */ name) => {
    input.value = name;
    close();
    field.set(name);
    took(name);
  };
  let begun = field.value ?? ""; // what stood there when the box was entered: all is offered then
  const find = async () => {
    const answer = ask(input.value === begun ? "" : input.value);
    if (!answer) return;
    if (list.hidden) list.replaceChildren(h("div", { class: "muted small p-2" }, "Looking…"));
    list.hidden = false;
    const found = await newest.answer(() => answer, close);
    if (!found) return;
    list.replaceChildren(
      ...found.slice(0, 100).map((one, n) =>
        h(
          "div",
          {
            class: "finder-option",
            role: "option",
            id: `${field.id}-${n}`,
            "aria-selected": String(n === 0 && !free),
            onmousedown: (event) => {
              event.preventDefault();
              take(one.name);
            },
          },
          icon(sign),
          h("span", { class: "name" }, one.name),
          h("span", { class: "tag" }, one.what),
        ),
      ),
      found.length
        ? ""
        : h(
            "div",
            { class: "muted small p-2", role: "option", "aria-disabled": "true" },
            `No ${what} fits.`,
          ),
    );
    input.setAttribute("aria-expanded", "true");
  };
  const options = () => [...list.querySelectorAll(".finder-option")];
  const typing = pausing(200, find);
  const input = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    id: field.id,
    value: field.value ?? "",
    role: "combobox",
    "aria-expanded": "false",
    "aria-controls": freshId("finder"),
    placeholder: hint,
    autocomplete: "off",
    spellcheck: "false",
    onfocus: () => {
      begun = input.value;
      find();
    },
    oninput: () => {
      if (free) field.set(input.value);
      typing();
    },
    onblur: () =>
      setTimeout(() => {
        // The box may have the focus again: a form drawn anew gives it back.
        if (document.activeElement !== input) close();
      }, 150),
    onkeydown: (event) => {
      const all = options(),
        at = all.findIndex((option) => option.getAttribute("aria-selected") === "true");
      const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (by && all.length) {
        event.preventDefault();
        all.forEach((option, n) =>
          option.setAttribute("aria-selected", String(n === (at + by + all.length) % all.length)),
        );
        const now = all[(at + by + all.length) % all.length];
        now.scrollIntoView({ block: "nearest" });
        input.setAttribute("aria-activedescendant", now.id);
      }
      if (event.key === "Enter" && !list.hidden && all[at]) {
        event.preventDefault();
        take(all[at].querySelector(".name")?.textContent ?? "");
      }
      if (event.key === "Escape" && !list.hidden) {
        event.stopPropagation();
        close();
      }
    },
  });
  list.id = input.getAttribute("aria-controls") ?? "";
  return labelled(field, input, list);
}
