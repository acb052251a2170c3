/** The widget for conditions on rows: a list that must hold all or any, with groups nested once. */
import { freshId, h, icon } from "../dom.js";
import { group, keepingFocus, removeButton, select, columnsOf } from "./basic.js";
import { columnOptions } from "./columns.js";
import { DAYS } from "./parameters.js";

const TESTS = [
  ["equals", "is"],
  ["not_equals", "is not"],
  ["one_of", "is one of"],
  ["none_of", "is none of"],
  ["contains", "contains"],
  ["starts", "starts with"],
  ["ends", "ends with"],
  ["matches", "matches the pattern"],
  ["not_matches", "does not match the pattern"],
  ["empty", "is empty"],
  ["filled", "is filled"],
  ["less", "is less than"],
  ["at_most", "is at most"],
  ["more", "is more than"],
  ["at_least", "is at least"],
  ["between", "is between"],
  ["number", "is a number"],
  ["no_number", "is no number"],
  ["blank", "holds blanks only"],
  ["shape", "has the pattern"],
  ["not_shape", "has another pattern than"],
  ["fine_shape", "has exactly the pattern"],
  ["infinite", "is infinite or undefined"],
  ["weekday", "falls on a"],
  ["month", "is in the month"],
];
const ONLY_TEXT = new Set([
  "contains",
  "starts",
  "ends",
  "matches",
  "not_matches",
  "number",
  "no_number",
  "blank",
  "shape",
  "not_shape",
  "fine_shape",
]);
const ONLY_NUMBERS = new Set(["infinite"]);
const ONLY_DAYS = new Set(["weekday", "month"]);
const BARE = new Set(["empty", "filled", "number", "no_number", "blank", "infinite"]);

/** @type {Record<string, import("../forms.js").Widget>} */
export const ruleWidgets = {
  rule(field) {
    const rule = { match: "all", of: [], ...structuredClone(field.value ?? {}) };
    const columns = columnsOf(field);
    const place = h("div");
    const tell = () => field.set(structuredClone(rule));
    const draw = () => keepingFocus(place, () => place.replaceChildren(listOf(rule, 0)));

    /** @param {Record<string, any>} part @param {number} depth */
    function listOf(part, depth) {
      const items = part.of.map(
        (/** @type {Record<string, any>} */ item, /** @type {number} */ n) => {
          const remove = () => {
            part.of.splice(n, 1);
            draw();
            tell();
          };
          if (item.of)
            return h(
              "div",
              { class: "card-item" },
              h(
                "div",
                { class: "row-item" },
                h("strong", { class: "field-title mb-0 flex-grow-1" }, "Group"),
                removeButton("the group", remove),
              ),
              listOf(item, 1),
            );
          return condition(item, columns, field.context, remove, tell);
        },
      );
      return h(
        "div",
        {},
        part.of.length > 1
          ? h(
              "div",
              { class: "rule-match" },
              "must hold:",
              select(
                [
                  ["all", "all of these"],
                  ["any", "any of these"],
                ],
                part.match,
                "How conditions combine",
                (value) => {
                  part.match = value;
                  tell();
                },
                { class: "form-select form-select-sm w-auto" },
              ),
            )
          : null,
        h("div", { class: "rows" }, items),
        h(
          "div",
          { class: "add-row" },
          h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              onclick: () => {
                part.of.push(fresh());
                draw();
                place.querySelectorAll(".condition select")[part.of.length - 1]?.focus();
              },
            },
            "+ condition",
          ),
          depth === 0
            ? h(
                "button",
                {
                  type: "button",
                  class: "tiny-button",
                  onclick: () => {
                    part.of.push({ match: "any", of: [fresh()] });
                    draw();
                  },
                },
                "+ group",
              )
            : null,
        ),
      );
    }
    if (!rule.of.length && !field.property.optional) rule.of.push(fresh(field.context.begun?.()));
    draw();
    return group(field, place);
  },
};

const fresh = (column = "") => ({
  column,
  test: "equals",
  value: "",
  to: "",
  values: [],
  ignore_case: false,
});

/**
 * Whether a test can be asked of a column of this type.
 * @param {string} test
 * @param {string} kind
 */
function fits(test, kind) {
  if (ONLY_TEXT.has(test)) return kind === "text";
  if (ONLY_NUMBERS.has(test)) return kind === "number";
  return !ONLY_DAYS.has(test) || kind === "date" || kind === "datetime";
}

/**
 * One condition. Its lists stay in place while they are typed into; only what follows from them is
 * drawn anew.
 * @param {Record<string, any>} item
 * @param {import("../contract.d.ts").ColumnThere[]} columns
 * @param {import("../stepForm.js").FormContext} context
 * @param {() => void} remove
 * @param {() => void} tell
 */
function condition(item, columns, context, remove, tell) {
  const kindOf = () => columns.find((column) => column.name === item.column)?.kind ?? "text";
  const rest = h("div", { class: "rows" });
  const tests = select([], item.test, "Test", (value) => {
    item.test = value;
    follow();
    tell();
  });
  const follow = () => {
    const kind = kindOf();
    tests.replaceChildren(
      ...TESTS.filter(([test]) => test === item.test || fits(test, kind)).map(([test, text]) =>
        h("option", { value: test, selected: test === item.test }, text),
      ),
    );
    rest.replaceChildren(...(BARE.has(item.test) ? [] : compared(item, kind, context, tell)));
    rest.hidden = !rest.children.length;
  };
  follow();
  return h(
    "div",
    { class: "card-item condition" },
    h(
      "div",
      { class: "row-item" },
      select(columnOptions(columns), item.column, "Column", (value) => {
        item.column = value;
        follow();
        tell();
      }),
      removeButton("this condition", remove),
    ),
    h("div", { class: "row-item" }, tests),
    rest,
  );
}

/**
 * The controls for what a column is compared with.
 * @param {Record<string, any>} item
 * @param {string} kind
 * @param {import("../stepForm.js").FormContext} context
 * @param {() => void} tell
 */
function compared(item, kind, context, tell) {
  const parts = [];
  if (["one_of", "none_of"].includes(item.test)) parts.push(severalValues(item, context, tell));
  else if (item.test === "between")
    parts.push(
      h(
        "div",
        { class: "row-item" },
        oneValue(item, "value", kind, context, tell, "From"),
        h("span", { class: "arrow" }, "and"),
        oneValue(item, "to", kind, context, tell, "To"),
      ),
    );
  else parts.push(oneValue(item, "value", kind, context, tell, "Value"));
  if (kind === "text") {
    const id = freshId("case");
    const box = h("input", {
      type: "checkbox",
      class: "form-check-input",
      id,
      checked: item.ignore_case,
      onchange: () => {
        item.ignore_case = box.checked;
        tell();
      },
    });
    parts.push(h("div", { class: "flag mt-0" }, box, h("label", { for: id }, "Ignore case")));
  }
  return parts;
}

/**
 * A day to compare with: a date, one that is counted from today, or a parameter.
 * @param {Record<string, any>} item
 * @param {string} key
 * @param {import("../stepForm.js").FormContext} context
 * @param {() => void} tell
 * @param {string} label
 */
function oneDay(item, key, context, tell, label) {
  const parameters = (context.parameters?.() ?? []).filter((one) => one.kind === "date");
  const list = h(
    "datalist",
    { id: freshId("days") },
    [...DAYS, ...parameters.map((one) => `{params.${one.name}}`)].map((value) =>
      h("option", { value }),
    ),
  );
  const input = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    "aria-label": label,
    value: (item[key] ?? "").replace(/^\{day:\s*(.*)\}$/, "$1"),
    list: list.id,
    placeholder: "2026-03-31 or today - 7 days",
    autocomplete: "off",
    spellcheck: "false",
    oninput: () => {
      const text = input.value.trim();
      const named = /^[a-z]/i.test(text);
      item[key] = named ? `{day: ${text}}` : text;
      tell();
    },
  });
  const calendar = h("input", {
    type: "date",
    class: "visually-hidden",
    tabindex: -1,
    "aria-hidden": "true",
    onchange: () => {
      input.value = calendar.value;
      input.dispatchEvent(new Event("input"));
    },
  });
  const open = h(
    "button",
    {
      type: "button",
      class: "icon-button",
      "aria-label": `${label} from a calendar`,
      title: "Choose from a calendar",
      onclick: () => {
        calendar.value = input.value;
        calendar.showPicker();
      },
    },
    icon("calendar3"),
  );
  return h("div", { class: "row-item flex-grow-1 day" }, input, open, calendar, list);
}

/**
 * A value to compare with; the column's own values are offered while typing.
 * @param {Record<string, any>} item
 * @param {string} key
 * @param {string} kind
 * @param {import("../stepForm.js").FormContext} context
 * @param {() => void} tell
 * @param {string} label
 */
function oneValue(item, key, kind, context, tell, label) {
  if (kind === "date") return oneDay(item, key, context, tell, label);
  const list = h("datalist", { id: freshId("values") });
  const input = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    "aria-label": label,
    value: item[key] ?? "",
    list: kind === "text" ? list.id : null,
    placeholder: { yes_no: "yes or no", datetime: "2026-03-31 14:05" }[kind] ?? null,
    spellcheck: "false",
    oninput: () => {
      item[key] = input.value;
      tell();
    },
    onfocus: async () => {
      if (kind === "text" && item.column && !list.children.length) {
        const found = await context.values(item.column, "");
        list.replaceChildren(
          ...(found?.values ?? [])
            .slice(0, 100)
            .filter((/** @type {[string | null]} */ [v]) => v !== null)
            .map((/** @type {[string | null]} */ [v]) => h("option", { value: v })),
        );
      }
    },
  });
  return h("div", { class: "flex-grow-1" }, input, list);
}

/**
 * @param {Record<string, any>} item
 * @param {import("../stepForm.js").FormContext} context
 * @param {() => void} tell
 */
function severalValues(item, context, tell) {
  const area = h("textarea", {
    class: "form-control form-control-sm",
    rows: 3,
    "aria-label": "Values, one a line",
    placeholder: "one value a line; paste from a spreadsheet",
    oninput: () => {
      item.values = area.value.split(/\r?\n/).filter((line) => line !== "");
      tell();
    },
  });
  area.value = (item.values ?? []).join("\n");
  const offer = h("div", { class: "add-row" });
  if (item.column)
    context.values(item.column, "").then((found) =>
      offer.replaceChildren(
        ...(found?.values ?? [])
          .slice(0, 8)
          .filter((/** @type {[string | null]} */ [v]) => v !== null)
          .map((/** @type {[string | null, number]} */ [v, n]) =>
            h(
              "button",
              {
                type: "button",
                class: "chip",
                title: `${n} rows`,
                onclick: () => {
                  item.values = [...new Set([...(item.values ?? []), v])];
                  area.value = item.values.join("\n");
                  tell();
                },
              },
              `+ ${v}`,
            ),
          ),
      ),
    );
  return h("div", {}, area, offer);
}
