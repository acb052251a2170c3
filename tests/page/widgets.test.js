/**
 * Widgets whose value has a shape of its own: what is set is what is shown, and what cannot be is
 * not set.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { widgets } = await import(`${JS}forms.js`);
const { keepingFocus, select } = await import(`${JS}widgets/basic.js`);
const { h } = await import(`${JS}dom.js`);

const COLUMNS = [
  { name: "Hub", kind: "text" },
  { name: "Grams", kind: "number" },
  { name: "Sown", kind: "date" },
];

function widget(name, value, property = {}, context = {}) {
  const set = [];
  const field = {
    name: "it",
    id: "it",
    property: { title: "It", ...property },
    schema: {},
    context: {
      columns: () => COLUMNS,
      values: async () => ({
        values: [
          ["Fen", 3],
          [null, 1],
          ["Dale", 2],
        ],
      }),
      parameters: () => [{ name: "least", kind: "whole", value: 3 }],
      ...context,
    },
    form: { settings: {}, change: () => {} },
    value: structuredClone(value),
    set: (now) => set.push(structuredClone(now)),
  };
  const element = widgets[name](field);
  document.querySelector("main").replaceChildren(element);
  return { element, set };
}

const type = (control, text, event = "input") => {
  control.value = text;
  control.dispatchEvent(new Event(event, { bubbles: true }));
};
const labelled = (element, label) => element.querySelectorAll(`[aria-label="${label}"]`);
const button = (element, text) =>
  [...element.querySelectorAll("button")].find((one) => one.textContent === text);

test("columns of a type that a step cannot work on are greyed", () => {
  const { element } = widget("column", "", { kinds: ["whole", "number"] });
  const options = [...element.querySelectorAll("option")].map((one) => [
    one.textContent,
    one.disabled,
  ]);
  assert.deepEqual(options, [
    ["choose…", false],
    ["Hub (text)", true],
    ["Grams", false],
    ["Sown (date)", true],
  ]);
});

test("a number is set as a number; what is none is said and not set", () => {
  const { element, set } = widget("number", 3, { default: 0 });
  const input = element.querySelector("input");
  for (const text of ["12", "-4", "1.5", "a", "{params.least}", "{params.gone}", "9".repeat(16)])
    type(input, text);
  assert.deepEqual(set, [12, -4, "{params.least}"]);
  assert.equal(input.getAttribute("aria-invalid"), "true");
  assert.match(element.querySelector("[role=status]").textContent, /no whole number/);
});

test("a number that may be open is open when nothing is typed", () => {
  const { element, set } = widget("decimal", 0.5, { default: null });
  for (const text of ["1.25", ".5", "2e3", "", "1,5"]) type(element.querySelector("input"), text);
  assert.deepEqual(set, [1.25, 0.5, 2000, null]);
});

test("lines are what stands on them", () => {
  const { element, set } = widget("lines", ["a", "b"]);
  const area = element.querySelector("textarea");
  assert.equal(area.value, "a\nb");
  type(area, " x \n\n y\n");
  assert.deepEqual(set, [["x", "y"]]);
});

const RULE = {
  match: "any",
  of: [
    {
      column: "Hub",
      test: "one_of",
      value: "",
      to: "",
      values: ["Fen", "Dale"],
      ignore_case: true,
    },
    {
      match: "all",
      of: [
        { column: "Grams", test: "between", value: "2", to: "5", values: [], ignore_case: false },
        { column: "Hub", test: "filled", value: "", to: "", values: [], ignore_case: false },
      ],
    },
  ],
};

test("a rule is shown as it is, groups too, and showing it sets nothing", () => {
  const { element, set } = widget("rule", RULE);
  assert.deepEqual(
    [...labelled(element, "Column")].map((one) => one.value),
    ["Hub", "Grams", "Hub"],
  );
  assert.deepEqual(
    [...labelled(element, "Test")].map((one) => one.value),
    ["one_of", "between", "filled"],
  );
  assert.equal(labelled(element, "Values, one a line")[0].value, "Fen\nDale");
  assert.deepEqual(
    [labelled(element, "From")[0].value, labelled(element, "To")[0].value],
    ["2", "5"],
  );
  assert.deepEqual(
    [...labelled(element, "How conditions combine")].map((one) => one.value),
    ["any", "all"],
  );
  assert.equal(set.length, 0);
});

test("what is changed in a rule changes there alone", () => {
  const { element, set } = widget("rule", RULE);
  type(labelled(element, "To")[0], "9");
  const wanted = structuredClone(RULE);
  wanted.of[1].of[0].to = "9";
  assert.deepEqual(set.at(-1), wanted);
  type(labelled(element, "Values, one a line")[0], "Fen\r\nDale\n\nAldermere");
  wanted.of[0].values = ["Fen", "Dale", "Aldermere"];
  assert.deepEqual(set.at(-1), wanted);
  type(labelled(element, "How conditions combine")[1], "any", "change");
  wanted.of[1].match = "any";
  assert.deepEqual(set.at(-1), wanted);
});

test("a condition that is taken away is gone, and one that is put in is empty", () => {
  const { element, set } = widget("rule", RULE);
  labelled(element, "Remove this condition")[1].click();
  assert.deepEqual(set.at(-1).of[1].of, [RULE.of[1].of[1]]);
  labelled(element, "Remove the group")[0].click();
  assert.deepEqual(set.at(-1).of, [RULE.of[0]]);
  button(element, "+ condition").click();
  assert.equal(labelled(element, "Column").length, 2);
  type(labelled(element, "Column")[1], "Grams", "change");
  assert.deepEqual(set.at(-1).of[1], {
    column: "Grams",
    test: "equals",
    value: "",
    to: "",
    values: [],
    ignore_case: false,
  });
});

test("only tests are offered that the column's type can be asked, and the one that is set stays", () => {
  const { element } = widget("rule", {
    match: "all",
    of: [{ column: "Grams", test: "contains", value: "x" }],
  });
  const offered = () => [...labelled(element, "Test")[0].options].map((one) => one.value);
  assert.ok(
    offered().includes("infinite") &&
      !offered().includes("starts") &&
      offered().includes("contains"),
  );
  type(labelled(element, "Column")[0], "Sown", "change");
  assert.ok(offered().includes("weekday") && !offered().includes("infinite"));
});

test("a day may be counted from today", () => {
  const { element, set } = widget("rule", {
    match: "all",
    of: [{ column: "Sown", test: "less", value: "{day: today}" }],
  });
  const day = labelled(element, "Value")[0];
  assert.equal(day.value, "today");
  type(day, "today - 7 days");
  assert.equal(set.at(-1).of[0].value, "{day: today - 7 days}");
  type(day, "2026-03-31");
  assert.equal(set.at(-1).of[0].value, "2026-03-31");
});

test("a column that is not there any more is shown as such, and stays set", () => {
  const changes = [];
  const list = select([["Hub", "Hub"]], "Gone", "Column", (value) => changes.push(value));
  assert.equal(list.value, "Gone");
  assert.match(list.options[0].textContent, /Gone \(not here\)/);
  assert.deepEqual(changes, []);
});

test("what is drawn anew gives the focus back to the control that had it", () => {
  const place = h("div");
  document.querySelector("main").replaceChildren(place);
  const draw = () =>
    place.replaceChildren(
      h("input", { "aria-label": "Column" }),
      h("input", { "aria-label": "Column" }),
    );
  draw();
  place.children[1].focus();
  keepingFocus(place, draw);
  assert.equal(document.activeElement, place.children[1]);
});

const MEASURE = {
  default: "letters",
  labels: [
    ["letters", "letters"],
    ["digits", "digits, codes"],
  ],
};
const FIELDS = {
  items: { properties: { column: {}, reference: {}, measure: MEASURE, weight: { default: 1 } } },
};

test("fields that are compared are set once both columns are chosen, with measure and weight", () => {
  const { element, set } = widget("alike", [], FIELDS);
  type(labelled(element, "Column of this table")[0], "Hub", "change");
  assert.deepEqual(set.at(-1), []);
  type(labelled(element, "Column of the other table")[0], "Hub", "change");
  type(labelled(element, "Compared by")[0], "digits", "change");
  type(labelled(element, "How much it counts")[0], "2.5");
  type(labelled(element, "How much it counts")[0], "0");
  const whole = { column: "Hub", reference: "Hub", measure: "digits", weight: 2.5 };
  assert.deepEqual(set.at(-1), [whole]);
  button(element, "+ another field").click();
  assert.equal(labelled(element, "Column of this table").length, 2);
  assert.deepEqual(set.at(-1), [whole]);
});

test("fields chosen by the two tables are set with the least likeness, and shown", async () => {
  const found = { column: "Sown", reference: "Sown", measure: "digits", weight: 40 };
  const changes = [];
  const field = {
    name: "it",
    id: "it",
    property: FIELDS,
    schema: {},
    context: { columns: () => COLUMNS, alikeFields: async () => ({ fields: [found], least: 66 }) },
    form: { settings: {}, change: (some) => changes.push(some), remake: () => {} },
    value: [],
    set: () => {},
  };
  const made = widgets.alike(field);
  document.querySelector("main").replaceChildren(made);
  button(made, "Choose them by the two tables").click();
  await new Promise((done) => setTimeout(done, 0));
  assert.deepEqual(changes, [{ it: [found], least: 66 }]);
  assert.equal(labelled(made, "How much it counts")[0].value, "40");
  assert.ok(!button(made, "Choose them by the two tables").disabled);
});

test("a figure shows what more can be said of it, and sets that", () => {
  const { element, set } = widget("figures", [{ figure: "sum", column: "Grams" }], {
    items: { properties: { like: {} } },
    figures: [
      ["rows", "number of rows"],
      ["sum", "sum of"],
      ["list", "list of values of"],
      ["weighted", "weighted mean of"],
      ["percentile", "percentile of"],
      ["rows_share", "share of all rows"],
    ],
  });
  const shown = (label) => !labelled(element, label)[0].closest("label").hidden;
  const boxes = () =>
    [...element.querySelectorAll(".figure-option")]
      .filter((one) => !one.hidden)
      .map((one) => one.textContent.trim());
  const of = () =>
    [...(labelled(element, "of column")[0]?.options ?? [])].map(({ value }) => value);
  const choose = (figure) => type(labelled(element, "Figure")[0], figure, "change");
  assert.deepEqual(boxes(), ["empty cells count, too"]);
  assert.ok(of().includes("Grams") && !of().includes("Hub"), "only numbers are added up");
  choose("list");
  assert.ok(of().includes("Hub"));
  assert.deepEqual(boxes(), ["empty cells count, too", "in order", "each as often as it comes"]);
  element.querySelectorAll(".figure-option input")[1].click();
  assert.equal(set.at(-1)[0].sorted, true);
  choose("weighted");
  assert.ok(shown("Weighted by") && !shown("Share of the values at or below it, in %"));
  assert.deepEqual(
    [...labelled(element, "Weighted by")[0].options].map(({ value }) => value),
    ["", "Grams"],
  );
  type(labelled(element, "Weighted by")[0], "Grams", "change");
  assert.deepEqual(set.at(-1)[0], {
    figure: "weighted",
    column: "Grams",
    name: "",
    sorted: true,
    weight: "Grams",
  });
  choose("percentile");
  assert.ok(shown("Share of the values at or below it, in %") && !shown("Weighted by"));
  choose("rows_share");
  assert.equal(labelled(element, "of column").length, 0);
  assert.equal(set.at(-1)[0].column, "", "a share of rows is of no column");
});

test("the least likeness says how many of the rows looked at it takes, exactly", async () => {
  const counts = Array(101).fill(0);
  Object.assign(counts, { 40: 7, 84: 2, 85: 3, 100: 5 });
  const set = [];
  const asked = [];
  const made = widgets.likeness({
    name: "least",
    id: "least",
    property: { title: "Alike by at least", minimum: 1, maximum: 100, default: 85 },
    schema: {},
    context: {
      parameters: () => [],
      scores: async (fields) => {
        asked.push(fields);
        return { rows: 20, all: 400, counts, none: 3 };
      },
    },
    form: { settings: { fields: [{ column: "Hub" }, { column: "" }] }, change: () => {} },
    value: 85,
    set: (value) => set.push(value),
  });
  document.querySelector("main").replaceChildren(made);
  await new Promise((done) => setTimeout(done, 0));
  const said = () => made.querySelector(".score-place p").textContent;
  assert.deepEqual(asked, [[{ column: "Hub" }]]);
  assert.equal(said(), "8 of 20 rows looked at have a match as alike as that");
  type(made.querySelector("input"), "84");
  assert.deepEqual(set, [84]);
  assert.equal(said(), "10 of 20 rows looked at have a match as alike as that");
  assert.equal(made.querySelectorAll("rect.is-enough").length, 4);
});
