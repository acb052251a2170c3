// Whether thousands stand apart: known at once for a column that was seen before, and told only where it changes.
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { Thousands } = await import(`${JS}thousands.js`);

test("a column is written as in the last table that had it, until its own figures say otherwise", () => {
  localStorage.clear();
  const thousands = new Thousands("f");
  assert.equal(thousands.apart("grams"), false);
  assert.equal(thousands.learn([{ name: "grams", amount: true }]), true);
  assert.equal(
    thousands.learn([
      { name: "grams", amount: true },
      { name: "year", amount: false },
    ]),
    false,
  );
  assert.deepEqual([thousands.apart("grams"), thousands.apart("year")], [true, false]);
  assert.equal(thousands.learn([{ name: "grams", amount: false }]), true);
});

test("what a person chose stands over the figures, and is there the next time", () => {
  localStorage.clear();
  const thousands = new Thousands("f");
  thousands.learn([{ name: "grams", amount: true }]);
  thousands.choose("grams", false);
  assert.equal(thousands.learn([{ name: "grams", amount: true }]), false);
  assert.equal(new Thousands("f").apart("grams"), false);
  assert.equal(new Thousands("other").apart("grams"), false);
  localStorage.setItem("updraft.thousands.f", "{no JSON");
  assert.equal(new Thousands("f").apart("grams"), false);
});
