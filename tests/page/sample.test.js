/** Where rows are a sample, every place that counts them says so; where they are all, none does. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const main = document.querySelector("main");
for (const [id, tag] of Object.entries({
  "focus-bar": "div",
  "sample-line": "p",
  "focus-line": "div",
  "foot-size": "span",
  "foot-did": "span",
  "foot-state": "span",
  stops: "ol",
  rail: "svg",
}))
  main.append(Object.assign(document.createElement(tag), { id }));
const shown = (id) => document.getElementById(id);

const { Course } = await import(`${JS}course.js`);
const { showFocusBar } = await import(`${JS}focusBar.js`);
const { Shown } = await import(`${JS}parts/shown.js`);
const { rowsSaid } = await import(`${JS}dom.js`);

const OF = "1 row in 16 of “orders.csv” (about 10,000,000 rows)";
const table = (sample, samples = 1) => ({
  rows: 625,
  sample,
  samples,
  sides: {},
  columns: [],
  facts: [],
  did: "",
  seconds: 1,
});
let counted = 0;
const act = { countAll: () => (counted += 1) };
const focus = { nothing: true, chips: [], search: "" };
const bar = (of) =>
  showFocusBar({ table: of, step: { label: "Orders" }, view: {}, focus, total: null, act });
const step = (role, sample) => ({
  id: role,
  label: role,
  sentence: "",
  status: "fresh",
  role,
  rows: 625,
  sample,
});

test("a line above the rows says what they are a sample of, and goes with them", () => {
  bar(table(OF));
  assert.ok(!shown("sample-line").hidden);
  assert.ok(shown("sample-line").textContent.startsWith(`Sample · ${OF}. Counts here`));
  shown("sample-line").querySelector("button").click();
  assert.equal(counted, 1);
  bar(table(OF, 2));
  assert.match(shown("sample-line").textContent, /Rows of two samples seldom meet;/);
  bar(table("", 0));
  assert.ok(shown("sample-line").hidden && !shown("sample-line").textContent);
  bar(table(OF));
  bar(null);
  assert.ok(shown("sample-line").hidden);
});

test("the foot and the list of steps say it with the number of rows", () => {
  assert.equal(rowsSaid(table("")), "625 rows");
  const grid = { view: {}, known: true, length: 20 };
  const studio = { table: table(OF), grid, focus, drafts: new Map() };
  Shown.prototype.footer.call({ studio });
  assert.equal(shown("foot-size").textContent, "625 rows from a sample × 0 columns");

  const course = new Course({});
  const steps = { source: step("source", OF), step: step("step", OF), all: step("all", "") };
  const stops = Object.keys(steps).map((id, row) => ({ id, row, lane: 0 }));
  course.show({ course: { stops, links: [], lanes: 1 }, steps }, "source");
  const said = [...shown("stops").children].map((one) => one.textContent.replace(/\s+/g, " "));
  assert.deepEqual(said, [
    "source625 rows from a samplesample",
    "step625 rows from a sample",
    "all625 rows",
  ]);
});
