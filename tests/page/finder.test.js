/** The box that finds things: what it lists is what was asked last, while somebody is in it. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { finder } = await import(`${JS}widgets/finder.js`);

const soon = (ms = 5) => new Promise((done) => setTimeout(done, ms));

/** A box whose questions wait until they are answered by hand. */
function box(value = "") {
  const set = [];
  const asked = [];
  const field = {
    name: "table",
    id: "table",
    property: { title: "Table" },
    value,
    set: (now) => set.push(now),
  };
  const find = (search) => new Promise((done) => asked.push([search, done]));
  const element = finder(field, { hint: "find a table", what: "table", sign: "table", find });
  document.querySelector("main").replaceChildren(element);
  const input = element.querySelector("input");
  const list = element.querySelector("[role=listbox]");
  const type = async (text) => {
    input.value = text;
    input.dispatchEvent(new Event("input", { bubbles: true }));
    await soon(260);
  };
  const answer = async (n, ...names) => {
    asked[n][1](names.map((name) => ({ name, what: "table" })));
    await soon();
  };
  const names = () =>
    [...list.querySelectorAll(".finder-option .name")].map((one) => one.textContent);
  return { input, list, set, asked, type, answer, names };
}

test("a box that has the focus again keeps its list, and one that lost it closes it", async () => {
  const { input, list, answer, names } = box();
  input.focus();
  input.blur();
  input.focus();
  await answer(0, "old");
  await answer(1, "hubs", "lots");
  await soon(200);
  assert.deepEqual([list.hidden, names()], [false, ["hubs", "lots"]]);
  input.blur();
  await soon(200);
  assert.deepEqual([list.hidden, input.getAttribute("aria-expanded")], [true, "false"]);
});

test("what was asked first and is answered last is not listed", async () => {
  const { input, asked, type, answer, names } = box();
  input.focus();
  await type("lo");
  await type("lots");
  assert.deepEqual(
    asked.map(([search]) => search),
    ["", "lo", "lots"],
  );
  await answer(2, "lots");
  await answer(1, "lots", "logs");
  assert.deepEqual(names(), ["lots"]);
});

test("an answer that comes after one was taken does not open the list again", async () => {
  const { input, list, set, type, answer } = box();
  input.focus();
  await answer(0, "hubs", "lots");
  list.querySelectorAll(".finder-option")[1].dispatchEvent(new Event("mousedown"));
  assert.deepEqual([set, input.value, list.hidden], [["lots"], "lots", true]);
  await type("lot");
  input.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" }));
  await answer(1, "lots");
  assert.ok(list.hidden);
  assert.equal(input.getAttribute("aria-expanded"), "false");
});
