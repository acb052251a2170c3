/**
 * People go on while the server works: what was asked before is not drawn over what is shown now,
 * nor done to it.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, JS } from "./world.js";

const { Newest } = await import(`${JS}api.js`);
const { Candidates } = await import(`${JS}candidates.js`);
const { copyCells } = await import(`${JS}gridCopying.js`);
const { outsideWidgets } = await import(`${JS}widgets/outside.js`);
const { tables } = await import(`${JS}parts/tables.js`);
const { reading } = await import(`${JS}parts/reading.js`);
const { picking } = await import(`${JS}parts/picking.js`);
const { Sample } = await import(`${JS}sample.js`);
const { ValueList } = await import(`${JS}desk/valueList.js`);

const soon = (ms = 5) => new Promise((done) => setTimeout(done, ms));
const shown = (element) => document.querySelector("main").replaceChildren(element);

/** A server whose answers wait until the test gives them, by the number of the question. */
function waiting() {
  const asked = [];
  answerBy((path) => new Promise((done) => asked.push({ path, answer: done })));
  return asked;
}

test("of several questions the newest is answered, and none that is of no use any more", async () => {
  const newest = new Newest();
  const asked = [];
  const ask = () => newest.answer(() => new Promise((done) => asked.push(done)));
  const both = [ask(), ask()];
  asked[1]("new");
  asked[0]("old");
  assert.deepEqual(await Promise.all(both), [undefined, "new"]);
  const late = ask();
  newest.forget();
  asked[2]("late");
  assert.equal(await late, undefined);
});

test("a search of the reference lists what is typed now", async () => {
  const asked = [];
  const find = (text) => new Promise((done) => asked.push([text, done]));
  const one = (name) => ({ candidates: [{ id: name, name, about: "", score: 1 }] });
  const element = new Candidates({ find, decide: () => {} }).question({ key: "pae", rows: 1 });
  shown(element);
  const search = element.querySelector("input");
  const type = async (text) => {
    search.value = text;
    search.dispatchEvent(new Event("input", { bubbles: true }));
    await soon(350);
  };
  await type("pe");
  await type("pea");
  asked[1][1](one("Garden pea"));
  asked[0][1](one("Pear"));
  await soon();
  const names = () =>
    [...element.querySelectorAll(".candidates .candidate-name")].map((n) => n.textContent);
  assert.deepEqual(names(), ["Garden pea"]);
  await type("peas");
  await type("");
  asked[2][1](one("Peas"));
  await soon();
  assert.deepEqual(names(), [], "nothing is searched for any more");
});

test("a sample of settings that are not shown any more is not shown", async () => {
  const asked = waiting();
  const made = new Sample({ flow: 4 }, { id: "s" }, () => null);
  shown(made.element);
  const text = (said) => ({ sample: { text: said, form: "text" } });
  made.show();
  await soon();
  made.forget();
  asked[0].answer(text("old"));
  await soon();
  assert.equal(made.place.textContent, "");
  made.show();
  made.show();
  await soon();
  asked[1].answer(text("first"));
  await soon();
  assert.equal(made.place.textContent, "Making it…");
  asked[2].answer(text("second"));
  await soon();
  assert.equal(made.place.textContent, "second");
});

test("values of another table are not put into the list", async () => {
  const asked = waiting();
  const studio = { flow: 4, table: { key: "old", output: "" }, focus: { text: "", chips: [] } };
  const said = (...values) => ({
    values: values.map((value) => [value, 1]),
    found: values.length,
    distinct: values.length,
    highest: 1,
    rows: values.length,
  });
  const made = new ValueList(studio, "Hub", "text");
  shown(made.element);
  made.load();
  studio.table = { key: "new", output: "" };
  made.load();
  await soon();
  const [old, now] = ["old", "new"].map((key) =>
    asked.findLast(({ path }) => path.includes(`/${key}/`)),
  );
  now.answer(said("Fen"));
  old.answer(said("Dale", "Coldwater"));
  await soon();
  assert.match(made.element.textContent, /Fen/);
  assert.doesNotMatch(made.element.textContent, /Dale/);
});

test("cells are copied from the table that they were marked in", async () => {
  const asked = waiting();
  const copied = [];
  Object.defineProperty(globalThis, "navigator", {
    value: { clipboard: { writeText: async (text) => copied.push(text) } },
    configurable: true,
  });
  const owner = {
    key: "old",
    address: (at, some) => `/tables/${owner.key}/rows?offset=${at}&limit=${some}`,
    grid: {
      getColumns: () => [{ id: "Hub", index: 0 }],
      getSelectionModel: () => ({
        getSelectedRanges: () => [{ fromRow: 0, toRow: 2499, fromCell: 0, toCell: 0 }],
      }),
    },
  };
  copyCells(owner);
  await soon();
  owner.key = "new";
  asked[0].answer({ rows: [["a"]] });
  await soon();
  asked[1].answer({ rows: [["b"]] });
  await soon();
  assert.deepEqual(
    asked.map(({ path }) => path),
    ["/tables/old/rows?offset=0&limit=2000", "/tables/old/rows?offset=2000&limit=500"],
  );
  assert.deepEqual(copied, ["a\nb"]);
});

test("rows that were picked in a table which is not shown any more are not picked in another", async () => {
  const asked = waiting();
  const done = [];
  const studio = {
    ...picking,
    selected: "a",
    output: "",
    table: { rows: 5, columns: [{ name: "Lot" }] },
    state: { steps: { a: { id: "a", kind: "pick_rows", role: "step" } } },
    kindFor: () => ({ kind: "pick_rows", starting: {} }),
    grid: { address: (from, some) => `/rows/${from}/${some}`, focus: () => {}, facts: new Map() },
    drafts: { settings: () => ({ keys: ["Lot"] }), change: (...some) => done.push(some) },
    look: async () => {},
  };
  studio.pickRows(0, 0);
  await soon();
  Object.assign(studio, { selected: "b", table: { rows: 9, columns: [{ name: "Plot" }] } });
  asked[0].answer({ rows: [["L1"]] });
  await soon();
  assert.deepEqual(done, []);
  Object.assign(studio, { selected: "a", table: { rows: 5, columns: [{ name: "Lot" }] } });
  studio.pickRows(0, 0);
  studio.pickRows(1, 1);
  await soon();
  asked[1].answer({ rows: [["L1"]] });
  await soon();
  studio.table = { rows: 4, columns: [{ name: "Lot" }] }; // the first pick has been computed
  asked[2].answer({ rows: [["L2"]] });
  await soon();
  assert.deepEqual(
    done.map(([, { rows }]) => rows[0].key),
    [["L1"], ["L2"]],
    "who picks fast picks both",
  );
});

test("the file of a step that was left does not stand beside the table of another", async () => {
  const asked = waiting();
  let pane = "";
  const studio = {
    ...reading,
    kinds: new Map([["read", { reads_files: true }]]),
    state: { steps: { one: { kind: "read" }, two: { kind: "read" } } },
    drafts: new Map(),
    stepDesk: {},
    wide: {},
    rawPane: { hide: () => (pane = ""), show: (found) => (pane = found?.title ?? "") },
  };
  const look = (id) => studio.describe((studio.selected = id), undefined);
  const first = look("one");
  asked[0].answer({ title: "one" });
  await first;
  assert.equal(pane, "one");
  const again = look("one");
  assert.equal(pane, "one", "it stays where it is asked for again");
  asked[1].answer({ title: "one" });
  await again;
  const second = look("two");
  assert.equal(pane, "");
  assert.equal(studio.found, undefined);
  asked[2].answer({ title: "two" });
  await second;
  assert.equal(pane, "two");
});

test("what is opened while a table is on its way stays, and tells of that table", async () => {
  shown(Object.assign(document.createElement("p"), { id: "grid-empty" }));
  const asked = waiting();
  const nothing = new Proxy({}, { get: () => () => {} });
  for (const [opened, told, table = { key: "b's", columns: [] }] of [
    [null, ["step of b"]],
    ["profile", ["step of b"], null],
    ["column", ["step of b"], null],
    ["profile", ["profile of b's"]],
    ["column", ["column Hub of b's"]],
    ["findings", []],
  ]) {
    const drawn = [];
    const followed = [];
    const waits = [];
    const desk = { view: "profile", shown: opened, wait: (title) => waits.push(title) };
    const studio = Object.assign(Object.create(tables), {
      looks: 0,
      flow: "f",
      selected: "b",
      drafts: new Map(),
      state: { steps: { b: { id: "b", label: "Bees" } } },
      table: { key: "a's", columns: [] },
      desk,
      stepDesk: { tell() {}, effect() {}, show: (step) => drawn.push(`step of ${step.id}`) },
      columnDesk: {
        name: "Hub",
        show: (name) => drawn.push(`column ${name} of ${studio.table.key}`),
      },
      profileDesk: { show: () => drawn.push(`profile of ${studio.table.key}`) },
      grid: { show() {} },
      shown: nothing,
      wide: nothing,
      focus: nothing,
      findingsDesk: nothing,
      chart: { follow: () => followed.push(studio.table.key) },
      act: {},
      kind() {},
      describe() {},
      compareWithBefore() {},
    });
    const looked = studio.look(true);
    await soon();
    if (opened) desk.view = opened;
    asked.at(-1).answer({ table, problem: {} });
    await looked;
    assert.deepEqual(drawn, told);
    assert.deepEqual(
      waits,
      opened ? [] : ["Bees"],
      "a panel that shows nothing yet says what comes",
    );
    assert.deepEqual(followed, table ? ["b's"] : []);
  }
});

test("the only connection is chosen for a step, unless it was left meanwhile", async () => {
  const asked = waiting();
  const chosen = [];
  const form = { settings: { connection: "" } };
  const field = { id: "c", name: "connection", property: { of: "database" }, value: "", form };
  for (const left of [false, true]) {
    shown(outsideWidgets.connection({ ...field, set: (name) => chosen.push([left, name]) }));
    if (left) shown(document.createElement("p"));
    asked.at(-1).answer({ connections: [{ name: "Seed lots" }] });
    await soon();
  }
  assert.deepEqual(chosen, [[false, "Seed lots"]]);
});
