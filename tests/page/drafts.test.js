/**
 * One owner of what is tried: nothing that was set is lost, and nothing comes back that was put
 * away.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { Drafts } = await import(`${JS}state/drafts.js`);

class Shelf {
  kept = new Map();
  getItem = (key) => this.kept.get(key) ?? null;
  setItem = (key, text) => this.kept.set(key, text);
  removeItem = (key) => this.kept.delete(key);
}

const saved = { a: { by: "x", deep: { n: 1 } }, b: { by: "y" } };
const made = (shelf = null) => new Drafts((id) => saved[id], shelf);

test("what is changed lies over what is saved, and both views see it", () => {
  const drafts = made();
  const [panel, wide] = [drafts.of("a"), drafts.of("a")];
  const heard = [];
  drafts.on("changed", (id) => heard.push(id));
  panel.change({ by: "z" });
  assert.deepEqual(drafts.settings("a"), { by: "z", deep: { n: 1 } });
  assert.ok(panel.current && !wide.current, "the other view is told that it shows what was");
  wide.change({ deep: { n: 2 } });
  assert.deepEqual(panel.settings, { by: "z", deep: { n: 2 } });
  assert.deepEqual(heard, ["a", "a"]);
  assert.deepEqual(saved.a, { by: "x", deep: { n: 1 } }, "what is saved is nobody's to change");
  assert.equal(drafts.size, 1);
});

test("a change is its holder's no longer: what is changed in it afterwards does not reach the draft", () => {
  const drafts = made();
  const value = { n: 5 };
  drafts.change("a", { deep: value });
  value.n = 6;
  assert.equal(drafts.settings("a").deep.n, 5);
});

test("what is changed while it is applied builds on what is on its way, and outlives a failure", () => {
  const drafts = made();
  drafts.change("a", { by: "z" });
  const lifted = drafts.lift("a");
  assert.equal(drafts.size, 0);
  assert.equal(drafts.settings("a").by, "z", "nothing jumps back while it is applied");
  drafts.change("a", { deep: { n: 9 } });
  drafts.putBack("a", lifted);
  assert.deepEqual(drafts.settings("a"), { by: "z", deep: { n: 9 } }, "the newer draft stays");
  assert.deepEqual([...drafts.applying], []);

  const other = made();
  other.change("a", { by: "z" });
  other.putBack("a", other.lift("a"));
  assert.equal(other.settings("a").by, "z", "what could not be applied is tried on");
});

test("what was applied is a draft no more", () => {
  const drafts = made();
  drafts.change("b", { by: "q" });
  drafts.lift("b");
  saved.b = { by: "q" };
  drafts.settled("b");
  assert.equal(drafts.size + drafts.applying.size, 0);
  assert.deepEqual(drafts.settings("b"), { by: "q" });
  saved.b = { by: "y" };
});

test("a reload keeps what was open, unless the step has changed since", () => {
  const shelf = new Shelf();
  const before = made(shelf);
  before.change("a", { by: "z" });
  before.change("b", { by: "w" });
  saved.b = { by: "from another window" };
  const after = made(shelf);
  after.restore();
  assert.deepEqual([...after.open.keys()], ["a"]);
  assert.equal(after.settings("a").by, "z");
  after.clear();
  assert.equal(shelf.kept.size, 0, "nothing is kept that is not open");
  saved.b = { by: "y" };
});

test("the same settings in another order are the same ones", () => {
  const shelf = new Shelf();
  made(shelf).change("a", { by: "z" });
  const order = saved.a;
  saved.a = { deep: { n: 1 }, by: "x" };
  const after = made(shelf);
  after.restore();
  assert.equal(after.size, 1);
  saved.a = order;
});

test("what a browser kept may be damaged, and it may keep nothing", () => {
  const shelf = new Shelf();
  shelf.setItem("drafts", "{not");
  const drafts = made(shelf);
  drafts.restore();
  assert.equal(drafts.size, 0);
  const full = made({
    getItem: () => null,
    removeItem: () => {},
    setItem: () => {
      throw new Error("quota");
    },
  });
  full.change("a", { by: "z" });
  assert.equal(full.settings("a").by, "z");
});
