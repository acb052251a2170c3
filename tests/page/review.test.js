/**
 * The desk of questions: one at a time, by its keys, each answer kept at once and said of its own
 * question.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, asked, JS } from "./world.js";

const { Work } = await import(`${JS}wide/review.js`);

const soon = (ms = 10) => new Promise((done) => setTimeout(done, ms));
const meant = (id, name, score = 80) => ({ id, name, about: "bean", score });
const field = (here, there = null) => ({
  column: "Name",
  other: there && "Full name",
  here,
  there,
});
const question = (key, more = {}) => ({
  key,
  rows: 2,
  proposal: null,
  why: null,
  fields: [field(key)],
  candidates: null,
  ...more,
});
const NAMES = [
  question("bay gm", {
    proposal: "v1 Bay Gem",
    candidates: [meant("v1", "Bay Gem"), meant("v2", "Bay Gold")],
  }),
  question("xyz", { proposal: "", candidates: [] }),
  question("dael", {
    proposal: "v4 Dale",
    candidates: [meant("v4", "Dale")],
    fields: [field("dael"), { ...field(null), column: "Hub" }],
  }),
];

async function desk(open, { given = [], remote = true, fails = false } = {}) {
  const edits = [];
  const focused = [];
  const state = { revision: 1, steps: { s1: { sentence: "Names in the reference" } } };
  answerBy((path) => {
    if (path.includes("/rows?") && path.includes("focus")) {
      focused.push(JSON.parse(new URL(path, "http://x").searchParams.get("focus")).chips);
      return { rows: [["bay gm", "Fen"]], total: 2 };
    }
    if (path.includes("/search")) return { candidates: [meant("v9", "Fen Pea")] };
    return path.includes("/decisions")
      ? { open, open_count: open.length, given, decided: given.length, answers: [] }
      : { rows: [] };
  });
  const studio = {
    flow: 4,
    state,
    table: null,
    problem: null,
    act: {},
    edit: async (some) => {
      if (fails) return null;
      edits.push(...structuredClone(some));
      state.revision += 1;
      return state;
    },
    look: async () => {},
    drafts: new Map(),
    flowState: { take: async () => {} },
  };
  const frame = {
    kind: {
      ports: [{ name: "table", main: true }],
      summary: "Find names",
      remote,
      schema: { properties: {} },
      starting: {},
    },
    get main() {
      return this.incoming.table;
    },
    incoming: {
      table: { known: true, key: "k", output: "", columns: [{ name: "Name" }, { name: "Hub" }] },
    },
    settings: { connection: "seeds" },
    step: { id: "s1" },
    studio,
    effect: () => work.effect(null, null),
    set: () => {},
  };
  const work = new Work(frame);
  document.querySelector("main").replaceChildren(work.element);
  work.effect(null, null);
  await soon();
  const title = () => work.middle.querySelector(".family-title")?.textContent ?? null;
  const key = (pressed) => {
    (
      work.going.list.querySelector(".is-chosen button") ?? work.going.list.querySelector("button")
    ).dispatchEvent(
      new KeyboardEvent("keydown", { key: pressed, bubbles: true, cancelable: true }),
    );
    return soon();
  };
  const button = (text) =>
    [...work.element.querySelectorAll("button")].find((one) => one.textContent.startsWith(text));
  return { work, edits, title, key, button, focused, frame };
}

test("names are gone through by keys: the first meaning, another, none, or new", async () => {
  const { work, edits, title, key } = await desk(NAMES);
  assert.equal(title(), "bay gm");
  await key("2");
  assert.equal(title(), "xyz", "the next open one comes by itself");
  await key("Enter");
  assert.equal(edits.length, 1, "nothing is proposed, so nothing is taken");
  await key("n");
  await key("L");
  assert.deepEqual(
    edits.map(({ op, id, rows }) => [op, id, ...rows]),
    [
      ["decide", "s1", ["bay gm", "v2 Bay Gold"]],
      ["decide", "s1", ["xyz", "(new)"]],
      ["decide", "s1", ["dael", "(left)"]],
    ],
  );
  assert.equal(title(), null);
  assert.equal(work.going.progress.textContent, "3 of 3 decided");
  assert.match(work.sums(null), /^0 questions open/);
  assert.equal(
    asked.filter(([, path]) => path.includes("/decisions")).length,
    1,
    "asked for once, answers are noted here",
  );
});

test("the rows that a question is about are those with all of its values", async () => {
  const { key, focused, work } = await desk(NAMES);
  await key("ArrowDown");
  await key("ArrowDown");
  assert.deepEqual(
    focused.at(-1).map(({ conditions }) => conditions[0]),
    [
      { column: "Name", test: "equals", value: "dael" },
      { column: "Hub", test: "empty" },
    ],
  );
  assert.match(work.sample.textContent, /2 rows ask this/);
});

test("what is searched for is what the digits take then", async () => {
  const { edits, key, work } = await desk(NAMES);
  const search = work.middle.querySelector("input[type=search]");
  search.value = "pea";
  search.dispatchEvent(new Event("input", { bubbles: true }));
  await soon(350);
  await key("1");
  assert.deepEqual(edits[0].rows, [["bay gm", "v9 Fen Pea"]]);
});

test("what was searched for in one question is nothing to the next, and a key held down answers one", async () => {
  const { edits, key, title, work } = await desk(NAMES);
  const search = work.middle.querySelector("input[type=search]");
  search.value = "pea";
  search.dispatchEvent(new Event("input", { bubbles: true }));
  await soon(295);
  await key("l");
  await soon(100);
  await key("1");
  assert.equal(title(), "xyz", "nothing is known that is like it");
  await key("n");
  assert.equal(title(), "dael");
  const held = { key: "Enter", repeat: true, bubbles: true, cancelable: true };
  work.going.list
    .querySelector(".is-chosen button")
    .dispatchEvent(new KeyboardEvent("keydown", held));
  assert.equal(edits.length, 2);
  await key("1");
  assert.deepEqual(edits.at(-1).rows, [["dael", "v4 Dale"]]);
  assert.match(work.middle.textContent, /Every question here is answered/);
});

test("a pair is taken as proposed, typed, or left; an answer given is shown and taken back", async () => {
  const pair = (key, there) =>
    question(key, { proposal: there, why: "88 %", fields: [field(key, there)] });
  const { work, edits, button, title } = await desk([pair("Fenn", "Fen"), pair("Dael", "Dale")], {
    given: [["Moor", "Moor End"]],
    remote: false,
  });
  assert.equal(work.middle.querySelector(".pair-fields mark").textContent, "n");
  work.middle.querySelector("#another-answer").value = "Fen Hub";
  button("Take it").click();
  await soon();
  button("Leave it").click();
  await soon();
  assert.deepEqual(
    edits.map(({ rows }) => rows[0]),
    [
      ["Fenn", "Fen Hub"],
      ["Dael", "Dael"],
    ],
  ); // prettier-ignore
  work.going.shows = "decided";
  work.going.choose(work.going.items.find(({ key }) => key === "Moor"));
  assert.equal(title(), "Moor");
  assert.match(work.middle.textContent, /It is Moor End/);
  button("Take the answer back").click();
  await soon();
  assert.deepEqual(edits.at(-1), { op: "undecide", keys: ["Moor"], id: "s1" });
});

test("all that have a proposal can be taken at once; what could not be kept is asked again", async () => {
  const { edits, button } = await desk(NAMES);
  button("Take what is proposed for these 2").click();
  await soon();
  assert.deepEqual(edits[0].rows, [
    ["bay gm", "v1 Bay Gem"],
    ["dael", "v4 Dale"],
  ]); // prettier-ignore
  const lost = await desk(NAMES, { fails: true });
  await lost.key("1");
  await soon();
  assert.equal(lost.work.going.progress.textContent, "0 of 3 decided");
});
