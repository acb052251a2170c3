/**
 * The desk of look-alikes: what is ticked becomes the one name, what is said is so, and an answer
 * is one edit.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, asked, JS } from "./world.js";

const { Work } = await import(`${JS}wide/look_alikes.js`);

const FAMILIES = [
  {
    name: "Fen Hub",
    why: "Letters",
    sure: true,
    weakest: "letters",
    spellings: [
      ["Fen Hub", 9, ""],
      ["fen hub", 3, "case"],
      ["Fen  Hub", 1, "blanks"],
    ],
  },
  {
    name: "Bay Gem",
    why: "Slips",
    sure: false,
    weakest: "slips",
    spellings: [
      ["Bay Gem", 7, ""],
      ["Bay Gm", 2, "one letter"],
    ],
  },
  {
    name: "Dale",
    why: "Letters",
    sure: true,
    weakest: "letters",
    spellings: [
      ["Dale", 5, ""],
      ["DALE", 4, "case"],
    ],
  },
]; // prettier-ignore

const soon = (ms = 10) => new Promise((done) => setTimeout(done, ms));
const type = (control, text) => {
  control.value = text;
  control.dispatchEvent(new Event("input", { bubbles: true }));
};

async function desk({
  families = FAMILIES,
  all = families.length,
  given = [],
  settings = {},
} = {}) {
  const edits = [];
  const rows = [];
  answerBy((path) => {
    if (path.includes("/rows?")) {
      const { chips } = JSON.parse(new URL(path, "http://x").searchParams.get("focus"));
      rows.push(chips[0].conditions[0].values);
      return { rows: [["Fen Hub", 1]], total: 4 };
    }
    return path.includes("/decisions")
      ? { given, open: [] }
      : { families: structuredClone(families), all, distinct: 40, strictness: [] };
  });
  const frame = {
    kind: { ports: [{ name: "table", main: true }] },
    get main() {
      return this.incoming.table;
    },
    incoming: {
      table: { known: true, key: "k", output: "", columns: [{ name: "Hub" }, { name: "Kg" }] },
    },
    settings: { column: "Hub", letters: true, undecided: "sure", new: "go_on", ...settings },
    step: { id: "s1" },
    studio: { flow: 4, edit: async (some) => edits.push(...structuredClone(some)) },
    about: document.createElement("p"),
    effect: () => {},
    set: (now) => Object.assign(frame.settings, now),
  };
  const work = new Work(frame);
  document.querySelector("main").replaceChildren(work.element);
  await soon();
  const title = () => work.middle.querySelector(".family-title")?.textContent;
  const button = (text) =>
    [...work.element.querySelectorAll("button")].find((one) =>
      one.textContent.trim().startsWith(text),
    );
  const ticks = () => [...work.middle.querySelectorAll(".spellings input")];
  return { work, frame, edits, rows, title, button, ticks };
}

test("all that is ticked becomes the one name; what is not ticked stays as it is", async () => {
  const { edits, ticks, button, title } = await desk();
  assert.equal(title(), "Fen Hub");
  ticks()[2].click();
  button("Make them one").click();
  await soon();
  assert.deepEqual(edits, [
    {
      op: "decide",
      id: "s1",
      rows: [
        ["fen hub", "Fen Hub"],
        ["Fen  Hub", "Fen  Hub"],
      ],
    },
  ]); // prettier-ignore
  assert.equal(title(), "Bay Gem", "the next open family comes by itself");
});

test("the rows that it changes are those of all ticked spellings but the one name, whichever that is", async () => {
  const { work, rows, button, ticks } = await desk();
  assert.deepEqual(rows.at(-1), ["fen hub", "Fen  Hub"]);
  [...work.middle.querySelectorAll(".spellings button")][1].click();
  await soon();
  assert.deepEqual(rows.at(-1), ["Fen Hub", "Fen  Hub"], "the most frequent changes, too");
  ticks()[0].click();
  await soon();
  assert.deepEqual(rows.at(-1), ["Fen  Hub"], "an unticked one does not");
  type(work.name, "Fen");
  await soon(350);
  assert.deepEqual(rows.at(-1), ["fen hub", "Fen  Hub"], "a name that none has is all the others'");
  assert.match(work.sample.textContent, /4 rows in all/);
  button("Make them one").click();
  await soon();
});

test("a name that is typed is every spelling's, and stays typed while another family is looked at", async () => {
  const { work, edits, button } = await desk();
  type(work.name, "Fen End");
  work.going.step(1);
  work.going.step(-1);
  assert.equal(work.name.value, "Fen End");
  button("Make them one").click();
  await soon();
  assert.deepEqual(
    edits[0].rows.map(([, name]) => name),
    ["Fen End", "Fen End", "Fen End"],
  );
});

test("apart, each spelling stays as it is; emptied, all that are ticked are empty", async () => {
  const { work, edits, ticks } = await desk();
  const key = (name) =>
    work.going.list
      .querySelector(".is-chosen button")
      .dispatchEvent(new KeyboardEvent("keydown", { key: name, bubbles: true, cancelable: true }));
  key("n");
  await soon();
  assert.deepEqual(edits[0].rows, [
    ["fen hub", "fen hub"],
    ["Fen  Hub", "Fen  Hub"],
  ]); // prettier-ignore
  ticks()[0].click();
  key("E");
  await soon();
  assert.deepEqual(edits[1].rows, [["Bay Gm", ""]]);
  assert.equal(document.activeElement, work.going.list.querySelector(".is-chosen button"));
});

test("what was decided is told, is no longer open, and does not come again among the sure ones", async () => {
  const { work, edits, button, title } = await desk({
    given: [
      ["fen hub", "Fen Hub"],
      ["Fen  Hub", ""],
      ["Bay Gm", "Bay Gm"],
    ],
  }); // prettier-ignore
  assert.equal(title(), "Dale", "the first that is open");
  assert.equal(work.going.progress.textContent, "2 of 3 decided");
  assert.equal(work.sums(), "2 spellings decided to become another; 1 family open");
  work.going.shows = "all";
  work.going.choose(work.families[0]);
  const said = [...work.middle.querySelectorAll(".why")].map((one) => one.textContent);
  assert.deepEqual(said, ["becomes Fen Hub", "becomes empty"]);
  button("Decide the sure ones").click();
  await soon();
  assert.deepEqual(edits[0].rows, [["DALE", "Dale"]]);
  button("Decide the sure ones").click();
  await soon();
  assert.equal(edits.length, 1, "there is none left");
});

test("where there are more families than are here, figures are said to be of these", async () => {
  const many = Array.from({ length: 520 }, (_, n) => ({
    ...FAMILIES[2],
    name: `Dale ${n}`,
    spellings: [
      [`Dale ${n}`, 5, ""],
      [`DALE ${n}`, 1, "case"],
    ],
  }));
  const { work, frame } = await desk({ families: many, all: 3000 });
  assert.equal(frame.about.textContent, "40 spellings. 3,000 families may each be one thing.");
  assert.equal(work.going.progress.textContent, "0 decided of the 520 with most rows");
  assert.match(work.sums(), /520 families of the 520 with most rows open/);
  assert.equal(work.going.list.children.length, 501);
  assert.equal(work.going.list.lastChild.textContent, "and 20 more");
});

test("another way is asked for once one pauses, and an answer that comes too late is not shown", async () => {
  const { work, frame } = await desk();
  const before = asked.filter(([, path]) => path.endsWith("/look-alikes")).length;
  const boxes = [...work.element.querySelectorAll(".way input")];
  boxes[3].click();
  boxes[4].click();
  await soon(250);
  const after = asked.filter(([, path]) => path.endsWith("/look-alikes"));
  assert.equal(after.length - before, 1);
  assert.equal(after.at(-1)[2].sound, true);
  assert.equal(frame.settings.close, true);
  let late;
  answerBy((path) =>
    path.includes("look-alikes") ? new Promise((done) => (late = done)) : { given: [] },
  );
  const slow = work.load();
  await soon();
  const first = late;
  answerBy((path) =>
    path.includes("look-alikes")
      ? { families: [structuredClone(FAMILIES[1])], all: 1, distinct: 9, strictness: [] }
      : path.includes("/rows?")
        ? { rows: [], total: 0 }
        : { given: [] },
  );
  await work.load();
  first({ families: structuredClone(FAMILIES), all: 3, distinct: 40, strictness: [] });
  await slow;
  assert.equal(work.families.length, 1);
});
