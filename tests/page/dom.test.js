/** What is put on a page is text, whatever it looks like. */
import assert from "node:assert/strict";
import { mock, test } from "node:test";
import { JS } from "./world.js";

const { count, h, pausing, plural } = await import(`${JS}dom.js`);

test("text is text: no tag, no entity, no sign that turns the writing round", () => {
  const element = h("p", {}, "<b>1 & 2</b>", "\u202etxt.exe", null, false, [["a", ["b"]]]);
  assert.equal(element.children.length, 0);
  assert.equal(element.textContent, "<b>1 & 2</b>⟨U+202E⟩txt.exeab");
});

test("attributes that are not there are left out, and names of handlers are never written as text", () => {
  let clicks = 0;
  const element = h("button", {
    title: null,
    hidden: false,
    disabled: true,
    "aria-label": "x",
    onclick: () => clicks++,
  });
  assert.deepEqual([...element.attributes].map((one) => one.name).sort(), [
    "aria-label",
    "disabled",
  ]);
  element.disabled = false;
  element.click();
  assert.equal(clicks, 1);
});

test("a pause runs what was last said, once; what is due can be had at once or dropped", () => {
  mock.timers.enable({ apis: ["setTimeout"] });
  const said = [];
  const soon = pausing(100, (word) => said.push(word));
  soon("a");
  mock.timers.tick(60);
  soon("b");
  mock.timers.tick(60);
  assert.deepEqual(said, []);
  mock.timers.tick(60);
  assert.deepEqual(said, ["b"]);
  soon("c");
  soon.now();
  soon.now();
  soon("d");
  soon.drop();
  mock.timers.tick(500);
  assert.deepEqual(said, ["b", "c"]);
  mock.timers.reset();
});

test("numbers are written for people", () => {
  assert.equal(count(1234567), "1,234,567");
  assert.equal(plural(1, "row", "rows"), "1 row");
  assert.equal(plural(0, "row", "rows"), "0 rows");
});
