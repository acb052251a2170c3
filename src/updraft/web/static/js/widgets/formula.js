/** Widgets for formulas: the name of a column to make, and the formula with its functions and columns at hand. */
import { data, freshId, h } from "../dom.js";
import { labelled, columnsOf } from "./basic.js";
import { byExample } from "./byExample.js";

const WORD = /[\p{L}_][\p{L}\p{N}_]*$/u;

/** A column's name as a formula writes it. */
const written = (name) => {
  if (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name)) return name;
  return /[`\n]/.test(name) ? `column(${JSON.stringify(name)})` : `\`${name}\``;
};

/** What the word before the cursor may become: columns first, then functions. */
function offers(columns, word) {
  const low = word.toLowerCase();
  const names = columns
    .map((column) => ({
      text: written(column.name),
      said: column.kind.replace("_", "/"),
      help: column.name,
    }))
    .filter((one) => one.text !== word && one.help.toLowerCase().startsWith(low));
  const calls = data("functions")
    .filter((one) => one.name.startsWith(low))
    .map((one) => ({ text: `${one.name}(`, said: one.signature, help: one.help }));
  return [...names, ...calls].slice(0, 8);
}

/** All functions, with a search; taking one writes it where the cursor is. */
function allFunctions(insert) {
  const list = h("div", { class: "functions" });
  const draw = (search = "") => {
    const low = search.toLowerCase();
    list.replaceChildren(
      ...data("functions")
        .filter((one) => `${one.signature} ${one.help} ${one.group}`.toLowerCase().includes(low))
        .map((one) =>
          h(
            "button",
            { type: "button", class: "function", onclick: () => insert(`${one.name}(`) },
            h("code", {}, one.signature),
            h("span", {}, one.help),
            one.example[0]
              ? h("span", { class: "muted" }, `${one.example[0]} → ${one.example[1] || "empty"}`)
              : null,
          ),
        ),
    );
  };
  draw();
  return h(
    "details",
    { class: "more" },
    h("summary", {}, "All functions"),
    h("input", {
      type: "search",
      class: "form-control form-control-sm",
      placeholder: "round, weekday, by group …",
      "aria-label": "Find a function",
      oninput: (event) => draw(event.target.value),
    }),
    list,
  );
}

export const formulaWidgets = {
  column_or_new(field) {
    const list = freshId("names");
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: field.id,
      list,
      value: field.value ?? "",
      spellcheck: "false",
      oninput: () => field.set(input.value),
    });
    const names = columnsOf(field).map((column) => h("option", { value: column.name }));
    return labelled(field, input, h("datalist", { id: list }, names));
  },

  formula(field) {
    const area = h("textarea", {
      class: "form-control form-control-sm formula",
      id: field.id,
      rows: 2,
      spellcheck: "false",
      autocapitalize: "off",
      "aria-autocomplete": "list",
    });
    area.value = field.value ?? "";
    const list = h("div", {
      class: "offers",
      role: "listbox",
      id: freshId("offers"),
      hidden: true,
    });
    area.setAttribute("aria-controls", list.id);
    let offered = [],
      at = 0;
    const mark = () => {
      [...list.children].forEach((option, n) =>
        option.setAttribute("aria-selected", String(n === at)),
      );
      if (offered.length) area.setAttribute("aria-activedescendant", list.children[at].id);
      else area.removeAttribute("aria-activedescendant");
    };
    const show = (found) => {
      offered = found;
      at = 0;
      list.hidden = !found.length;
      list.replaceChildren(
        ...found.map((one, n) =>
          h(
            "div",
            {
              role: "option",
              id: `${list.id}-${n}`,
              onmousedown: (event) => {
                event.preventDefault();
                take(one);
              },
            },
            h("code", {}, one.text.replace(/\($/, "")),
            h("span", {}, one.text.endsWith("(") ? `${one.said} ${one.help}` : one.said),
          ),
        ),
      );
      mark();
    };
    const word = () => WORD.exec(area.value.slice(0, area.selectionStart))?.[0] ?? "";
    const tell = () => field.set(area.value);
    const insert = (text, instead = 0) => {
      const end = area.selectionEnd;
      area.setRangeText(text, area.selectionStart - instead, end, "end");
      area.focus();
      tell();
    };
    const take = (one) => {
      insert(one.text, word().length);
      show([]);
    };
    area.addEventListener("input", () => {
      tell();
      show(word() ? offers(columnsOf(field), word()) : []);
    });
    area.addEventListener("blur", () => show([]));
    area.addEventListener("keydown", (event) => {
      if (list.hidden || event.ctrlKey || event.metaKey) return;
      const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      if (step) {
        at = (at + step + offered.length) % offered.length;
        mark();
      } else if (event.key === "Enter" || event.key === "Tab") take(offered[at]);
      else if (event.key === "Escape") show([]);
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
    const example = byExample(field, (formula) => {
      area.value = formula;
      area.focus();
      tell();
    });
    return labelled(field, area, list, example, allFunctions(insert));
  },
};
