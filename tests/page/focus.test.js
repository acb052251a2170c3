/** Selections combine, fit their table, and say what they select. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { condition, Focus, isAbout, valuesChip } = await import(`${JS}focus.js`);

const hub = valuesChip("Hub", ["Fen"]);
const grams = {
  label: "Grams 2 to 5",
  column: "Grams",
  conditions: [condition("Grams", "between", { value: "2", to: "5" })],
};

test("a selection that is chosen again is taken out, and nothing is no focus", () => {
  const focus = new Focus();
  assert.equal(focus.text, "");
  focus.toggle(hub);
  focus.toggle(grams);
  assert.deepEqual(JSON.parse(focus.text).chips, [hub, grams]);
  focus.toggle(structuredClone(hub));
  assert.deepEqual(focus.chips, [grams]);
  focus.search = "dry";
  assert.deepEqual(JSON.parse(focus.text), { chips: [grams], search: "dry" });
  focus.clear();
  assert.ok(focus.nothing && focus.text === "");
});

test("only these takes the place of all others of its column, and of none elsewhere", () => {
  const focus = new Focus();
  const rows = { label: "3 rows", finding: "totals:" };
  for (const chip of [hub, grams, valuesChip("Hub", ["Dale"]), rows]) focus.toggle(chip);
  focus.only(valuesChip("Hub", ["Aldermere"]));
  assert.deepEqual(
    focus.chips.map((chip) => chip.label),
    ["Grams 2 to 5", "3 rows", "Hub “Aldermere”"],
  );
});

test("all but these is of no one column, and takes no other such selection away", () => {
  const focus = new Focus();
  focus.toggle(valuesChip("Hub", ["Fen"], true));
  focus.only(valuesChip("Town", ["Dale"], true));
  assert.equal(focus.chips.length, 2);
});

test("values are selected as they are: texts, empty cells, all but these", () => {
  assert.deepEqual(valuesChip("Hub", ["Fen", null]).conditions, [
    condition("Hub", "one_of", { values: ["Fen"] }),
    condition("Hub", "empty"),
  ]);
  assert.deepEqual(valuesChip("Hub", [null]).conditions, [condition("Hub", "empty")]);
  assert.deepEqual(valuesChip("Hub", ["Fen", null], true).rule, {
    match: "all",
    of: [condition("Hub", "none_of", { values: ["Fen"] }), condition("Hub", "filled")],
  });
  assert.equal(valuesChip("Hub", ["a", "b", "c", "d"]).label, "Hub “a”, “b” and 2 more");
  assert.equal(valuesChip("Hub", ["x".repeat(40)]).label, `Hub “${"x".repeat(23)}…”`);
});

test("a selection is about a column if it speaks of no other", () => {
  assert.ok(isAbout(hub, "Hub") && !isAbout(hub, "Grams"));
  assert.ok(isAbout(valuesChip("Hub", ["Fen"], true), "Hub"), "all but these is, too");
  const both = {
    rule: { match: "all", of: [condition("Hub", "empty"), condition("Grams", "empty")] },
  };
  assert.ok(!isAbout(both, "Hub"));
  assert.ok(!isAbout({ finding: "totals:" }, "Hub"));
});

test("on another table goes what it cannot hold: columns that it lacks, in groups too, and rows by place", () => {
  const focus = new Focus();
  const grouped = {
    label: "g",
    rule: { match: "any", of: [{ match: "all", of: [condition("Gone", "empty")] }] },
  };
  focus.chips = [hub, grams, grouped, { label: "f", finding: "totals:" }];
  focus.search = "dry";
  focus.fit({ columns: [{ name: "Hub" }, { name: "Town" }] });
  assert.deepEqual(focus.chips, [hub]);
  assert.equal(focus.search, "dry");
});
