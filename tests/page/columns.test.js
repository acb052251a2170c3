/**
 * Choosing columns, keys and types: what is ticked is what is set, in the order that is shown, and
 * what is gone stays in sight.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { widgets } = await import(`${JS}forms.js`);
const { checkList, orderedNames } = await import(`${JS}widgets/columns.js`);

const FEW = [
  { name: "Hub", kind: "text" },
  { name: "Grams", kind: "number" },
  { name: "Sown", kind: "date" },
];
const MANY = [
  ...FEW,
  ...Array.from({ length: 20 }, (_, n) => ({ name: `2024.${n}`, kind: n % 2 ? "number" : "text" })),
];

const type = (control, text, event = "input") => {
  control.value = text;
  control.dispatchEvent(new Event(event, { bubbles: true }));
};
const labelled = (element, label) => element.querySelector(`[aria-label="${label}"]`);
const button = (element, text) =>
  [...element.querySelectorAll("button")].find((one) => one.textContent.trim() === text);
const put = (element) => document.querySelector("main").replaceChildren(element);
const soon = () => new Promise((done) => setTimeout(done, 5));

function list(columns, chosen) {
  const set = [];
  const element = checkList(columns, chosen, "Columns", (names) => set.push(names));
  put(element);
  const ticked = () =>
    [...element.querySelectorAll(".checks input")].filter((box) => box.checked).length;
  return { element, last: () => set.at(-1), ticked };
}

function widget(
  name,
  value,
  { columns = FEW, settings = {}, property = {}, context = {}, schema = {} } = {},
) {
  const changed = [];
  const remade = [];
  const field = {
    name: "it",
    id: "it",
    property: { title: "Them", ...property },
    schema: { properties: {}, ...schema },
    context: { columns: () => columns, values: async () => ({ values: [] }), ...context },
    form: {
      settings,
      change: (some) => changed.push(structuredClone(some)),
      remake: (what) => remade.push(what),
      element: document.createElement("div"),
    },
    value,
    set: (now) => changed.push({ it: structuredClone(now) }),
  };
  const element = widgets[name](field);
  put(element);
  return { element, changed, remade, last: () => changed.at(-1), set: () => changed.at(-1)?.it };
}

test("columns are told in the order of the table, whatever the order in which they were ticked", () => {
  const { element, last } = list(FEW, []);
  for (const name of ["Sown", "Hub"]) labelled(element, name).click();
  assert.deepEqual(last(), ["Hub", "Sown"]);
  labelled(element, "Hub").click();
  assert.deepEqual(last(), ["Sown"]);
  assert.equal(labelled(element, "Find in Columns"), null, "few need no search");
});

test("a column that is gone stays ticked and in sight until it is unticked", () => {
  const { element, last } = list(FEW, ["Old", "Hub"]);
  assert.ok(labelled(element, "Old").checked && element.querySelector(".name.gone"));
  labelled(element, "Sown").click();
  assert.deepEqual(last(), ["Hub", "Sown", "Old"]);
  labelled(element, "Old").click();
  assert.deepEqual(last(), ["Hub", "Sown"]);
});

test("all and none are about the columns that are shown, and the button says so", () => {
  const { element, last, ticked } = list(MANY, ["Hub"]);
  type(labelled(element, "Find in Columns"), "2024.1*");
  assert.equal(element.querySelectorAll(".checks input").length, 11, "a point is a point");
  button(element, "All shown").click();
  assert.equal(last().length, 12);
  type(labelled(element, "Type of the columns in Columns"), "number", "change");
  button(element, "None shown").click();
  assert.ok(last().includes("Hub") && last().includes("2024.10") && !last().includes("2024.11"));
  type(labelled(element, "Find in Columns"), "");
  type(labelled(element, "Type of the columns in Columns"), "", "change");
  assert.equal(ticked(), last().length, "what is out of sight is ticked as before");
  button(element, "None").click();
  assert.deepEqual(last(), []);
});

test("names in an order are set as they stand; a line that is open is not set", () => {
  const set = [];
  const element = orderedNames(FEW, ["Sown"], "By", (names) => set.push(names));
  put(element);
  button(element, "+ another column").click();
  assert.deepEqual(set, [], "nothing is chosen in it yet");
  type(labelled(element, "By, column 2"), "Hub", "change");
  assert.deepEqual(set.at(-1), ["Sown", "Hub"]);
  labelled(element, "Remove Sown").click();
  assert.deepEqual(set.at(-1), ["Hub"]);
});

test("columns are kept, dropped, named and moved; all are set as they are shown", () => {
  const { element, last } = widget("chosen", [{ column: "Grams", name: "Kg" }, { column: "Old" }], {
    settings: { drop: ["Sown"], others: "keep" },
  });
  const shown = () =>
    [...element.querySelectorAll(".row-item .name")].map((one) => one.textContent);
  assert.deepEqual(shown(), ["Grams", "Old", "Hub", "Sown"]);
  assert.ok(!labelled(element, "Keep Sown").checked);
  labelled(element, "Keep Grams").click();
  assert.deepEqual(last(), {
    drop: ["Grams", "Sown"],
    it: [
      { column: "Old", name: "" },
      { column: "Hub", name: "" },
    ],
  });
  type(labelled(element, "New name of Hub"), "Hub");
  assert.equal(last().it[1].name, "", "its own name is no new one");
  const grip = labelled(element, "Place of Hub, 3 of 4; arrow keys move it");
  grip.dispatchEvent(
    new KeyboardEvent("keydown", { key: "ArrowUp", bubbles: true, cancelable: true }),
  );
  assert.deepEqual(shown(), ["Grams", "Hub", "Old", "Sown"]);
  assert.match(document.activeElement.getAttribute("aria-label"), /^Place of Hub, 2 of 4/);
  labelled(element, "Remove Old").click();
  assert.deepEqual(
    last().it.map(({ column }) => column),
    ["Hub"],
  );
  const others = widget("chosen", [{ column: "Grams" }], { settings: { others: "drop" } });
  assert.ok(
    !labelled(others.element, "Keep Hub").checked,
    "others are dropped, unless they are kept",
  );
});

test("columns are chosen by names, by a pattern, or all but some; going back loses nothing", () => {
  const { element, set } = widget("columns", { by: "names", names: ["Hub"] });
  labelled(element, "Sown").click();
  assert.deepEqual(set().names, ["Hub", "Sown"]);
  const way = (value) => element.querySelector(`input[type=radio][value="${value}"]`).click();
  way("pattern");
  type(labelled(element, "Pattern of the names"), "^G");
  assert.deepEqual([set().by, set().pattern], ["pattern", "^G"]);
  way("all");
  assert.equal(set().by, "all");
  labelled(element, "Grams").click();
  assert.deepEqual(set().but, ["Grams"]);
  way("names");
  assert.deepEqual([set().by, set().names], ["names", ["Hub", "Sown"]]);
});

test("only columns of the type that is needed are offered, and one that was chosen stays", () => {
  const { element } = widget(
    "columns",
    { by: "names", names: ["Hub"] },
    { property: { kind: "number" } },
  );
  const offered = [...element.querySelectorAll(".checks input")].map((box) =>
    box.getAttribute("aria-label"),
  );
  assert.deepEqual(offered, ["Hub", "Grams"]);
});

test("a key is set once both its columns are chosen, and a likely one is put in beside others", async () => {
  const likely = { pairs: [["Hub", "Place"]], rows: 8, of: 10, unique: false, numbers: true };
  const settings = {
    it: [
      { column: "Sown", reference: "Day" },
      { column: "Hub", reference: "Town" },
    ],
  };
  const { element, set, last, remade } = widget("keys", [], {
    settings,
    context: {
      columns: (port) => (port === "reference" ? [{ name: "Place" }, { name: "Day" }] : FEW),
      keys: async () => [likely],
    },
  });
  type(labelled(element, "Column of this table"), "Hub", "change");
  assert.deepEqual(set(), [], "half a key is none");
  type(labelled(element, "Column of the other table"), "Place", "change");
  assert.deepEqual(set(), [{ column: "Hub", reference: "Place" }]);
  await soon();
  const proposal = element.querySelector(".key-proposal");
  assert.equal(
    proposal.textContent,
    "Hub = Place8 of 10 rows would meet · some several rows · digits as numbers",
  );
  proposal.click();
  assert.deepEqual(last(), {
    it: [
      { column: "Sown", reference: "Day" },
      { column: "Hub", reference: "Place" },
    ],
    as_numbers: true,
  });
  assert.deepEqual(remade, ["it", "as_numbers"]);
});

test("columns that are brought keep the names they were given while others are ticked", () => {
  const { element, set } = widget("bring", [{ column: "Hub", name: "Place" }]);
  labelled(element, "Grams").click();
  type(labelled(element, "Name of Grams here"), "Kg");
  assert.deepEqual(set(), [
    { column: "Hub", name: "Place" },
    { column: "Grams", name: "Kg" },
  ]);
  labelled(element, "Hub").click();
  assert.deepEqual(set(), [{ column: "Grams", name: "Kg" }]);
  assert.match(
    widget("bring", [], { columns: [] }).element.textContent,
    /Choose the other table first/,
  );
});

test("formats are guessed for the column that is chosen, not for one that was chosen before", async () => {
  document.getElementById("formats").textContent = JSON.stringify({
    formats: { date: ["YYYY-MM-DD", "D.M.YYYY"], number: ["1,234.5", "1.234,5"] },
    titles: {
      text: "text",
      whole: "whole",
      number: "number",
      yes_no: "yes/no",
      date: "date",
      datetime: "time",
    },
  });
  const waits = {};
  const { element, set } = widget(
    "types",
    [{ column: "Hub", type: "date", formats: ["YYYY-MM-DD"] }],
    { context: { formats: (column) => new Promise((done) => (waits[column] = done)) } },
  );
  type(labelled(element, "Column"), "Sown", "change");
  type(labelled(element, "Column"), "Grams", "change");
  waits.Sown(["D.M.YYYY"]);
  await soon();
  assert.deepEqual(set()[0].formats, [], "that was of another column");
  waits.Grams(["YYYY-MM-DD"]);
  await soon();
  assert.deepEqual(set(), [{ column: "Grams", type: "date", formats: ["YYYY-MM-DD"] }]);
  type(labelled(element, "Type a format"), " D.M.YY ", "change");
  type(labelled(element, "Type a format"), "D.M.YY", "change");
  assert.deepEqual(set()[0].formats, ["YYYY-MM-DD", "D.M.YY"], "each format once");
  labelled(element, "Remove format YYYY-MM-DD").click();
  assert.deepEqual(set()[0].formats, ["D.M.YY"]);
});

test("units and what each counts for are read as they are written", () => {
  document.getElementById("formats").textContent = JSON.stringify({
    formats: { number: ["1,234.5"] },
    titles: { number: "number" },
  });
  const { element, set } = widget("types", [{ column: "Grams", type: "number", formats: [] }]);
  element.querySelector(".dress input[type=checkbox]").click();
  assert.equal(set()[0].dressed, true);
  const units = labelled(element, "Units and what each counts for");
  type(units, " g = 1,kg=1000, t , = 4", "change");
  assert.deepEqual(set()[0].units, [
    { unit: "g", times: 1 },
    { unit: "kg", times: 1000 },
    { unit: "t", times: 1 },
  ]);
});

test("widths that are none are said and not taken, and those that are, are set as they stand", () => {
  const { element, changed } = widget("widths", [8, 24]);
  const input = element.querySelector("input");
  const says = element.querySelector("[role=status]");
  assert.equal(input.value, "8, 24");
  for (const wrong of ["8, x", "8, 0", "8, 2.5", "-3"]) {
    type(input, wrong);
    assert.equal(input.getAttribute("aria-invalid"), "true", wrong);
    assert.match(says.textContent, /Not taken yet/);
  }
  assert.deepEqual(changed, []);
  type(input, "8 9;10");
  assert.deepEqual(changed, [{ it: [8, 9, 10] }]);
  assert.equal(says.textContent, "");
  type(input, "");
  assert.deepEqual(changed.at(-1), { it: [] }, "nothing leaves it to be found");
});
