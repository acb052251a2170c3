/**
 * What is asked and answered: an answer is about its own question, and what a line shows is what is
 * taken.
 */
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import { answer, asked, answerBy, JS } from "./world.js";

const { Decisions, differing } = await import(`${JS}decisions.js`);
const { ValueList } = await import(`${JS}desk/valueList.js`);

const soon = (ms = 5) => new Promise((done) => setTimeout(done, ms));
const type = (control, text, event = "input") => {
  control.value = text;
  control.dispatchEvent(new Event(event, { bubbles: true }));
};
const button = (element, text) =>
  [...element.querySelectorAll("button")].find((one) => one.textContent.trim() === text);
const labelled = (element, label) => element.querySelector(`[aria-label="${label}"]`);

/** Questions of a step as the server tells them. */
const told = (more = {}) => ({
  open: [],
  open_count: 0,
  given: [],
  decided: 0,
  found: more.decided ?? 0,
  answers: [],
  ...more,
});

function decisions(found, find = null) {
  const told = typeof found === "function" ? found : () => found;
  const edits = [];
  const studio = {
    flow: 4,
    edit: async (some) => edits.push(...structuredClone(some)),
    look: async () => {},
    flowState: { take: async () => {} },
  };
  answerBy(told);
  const made = new Decisions(studio, { id: "s1" }, find);
  document.querySelector("main").replaceChildren(made.element);
  if (found === told) made.load();
  else made.draw(found);
  return { made, edits, element: made.element };
}

const question = (key, rows, proposal = null, why = null, fields = [], candidates = null) => ({
  key,
  rows,
  proposal,
  why,
  fields,
  candidates,
});

const OPEN = [question("Fenn", 3, "Fen", "one letter"), question("Dael", 1, "Dale", "")];

test("what is proposed can be taken, typed over, or left, each for itself", async () => {
  const { element, edits } = decisions(told({ open: OPEN, open_count: 2 }));
  labelled(element, "take: Fenn").click();
  type(labelled(element, "What “Dael” becomes"), "Dale End");
  labelled(element, "take: Dael").click();
  labelled(element, "leave: Dael").click();
  await soon();
  assert.deepEqual(
    edits.map(({ op, id, rows }) => [op, id, ...rows]),
    [
      ["decide", "s1", ["Fenn", "Fen"]],
      ["decide", "s1", ["Dael", "Dale End"]],
      ["decide", "s1", ["Dael", "Dael"]],
    ],
  );
});

test("all are taken as their lines stand, also what was typed over", async () => {
  const { element, edits } = decisions(told({ open: OPEN, open_count: 2 }));
  type(labelled(element, "What “Fenn” becomes"), "Fen Hub");
  button(element, "Take all").click();
  await soon();
  assert.deepEqual(edits[0].rows, [
    ["Fenn", "Fen Hub"],
    ["Dael", "Dale"],
  ]);
});

test("what is typed or opened in a question stays while another is answered, and the focus stays there", async () => {
  let open = OPEN;
  const { made, element } = decisions(() => told({ open, open_count: open.length }));
  await soon();
  const box = labelled(element, "What “Dael” becomes");
  type(box, "Dale End");
  box.focus();
  open = OPEN.slice(1);
  await made.load();
  assert.equal(labelled(element, "What “Fenn” becomes"), null);
  assert.equal(labelled(element, "What “Dael” becomes").value, "Dale End");
  assert.equal(document.activeElement, box);
  open = [question("Dael", 1, "Deal", "")]; // what is proposed for it now is another
  await made.load();
  assert.equal(labelled(element, "What “Dael” becomes").value, "Deal");
});

test("an answer of the server that comes late is not drawn over a newer one", async () => {
  const waiting = [];
  const { made, element } = decisions(() => new Promise((done) => waiting.push(done)));
  made.load();
  await soon();
  waiting[1](told({ open: OPEN.slice(1), open_count: 1 }));
  waiting[0](told({ open: OPEN, open_count: 2 }));
  await soon();
  assert.match(element.textContent, /1 open question/);
  assert.equal(labelled(element, "take: Fenn"), null);
});

test("what is typed to find an answer keeps its box, also where no answer is about it", async () => {
  const given = Array.from({ length: 30 }, (_, n) => [`name ${n}`, "same", "", null]);
  const { element } = decisions((path) => {
    const search = new URL(path, "http://x").searchParams.get("search");
    const fits = given.filter(([key]) => key.includes(search));
    return told({ given: fits, found: fits.length, decided: 30, answers: ["same"] });
  });
  await soon();
  const box = labelled(element, "Find an answer");
  box.focus();
  type(box, "name 7");
  await soon(350);
  assert.ok(labelled(element, "Answer for name 7") && !labelled(element, "Answer for name 8"));
  assert.match(element.textContent, /30 answers given/);
  assert.equal(document.activeElement, box);
  type(box, "fen");
  await soon(350);
  assert.match(element.textContent, /No answer is about this/);
  assert.equal(document.activeElement, box);
});

test("where more are open than are shown, only those shown are taken, and the button says so", () => {
  const { element } = decisions(told({ open: OPEN, open_count: 40 }));
  assert.ok(button(element, "Take these 2") && !button(element, "Take all"));
  assert.match(element.textContent, /40 open questions/);
});

test("one answer of several is given to one question, or to all that are shown", async () => {
  const { element, edits } = decisions(
    told({ open: OPEN, open_count: 2, answers: ["same", "different"], decided: 1, given: [] }),
  );
  labelled(element, "different: Fenn").click();
  [...element.querySelectorAll("p.small button")].find((one) => one.textContent === "same").click();
  await soon();
  assert.deepEqual(edits[0].rows, [["Fenn", "different"]]);
  assert.deepEqual(edits[1].rows, [
    ["Fenn", "same"],
    ["Dael", "same"],
  ]);
});

test("while nothing is settled, all names that there are can be settled, not only those shown", async () => {
  const all = told({
    open: [...OPEN, question("Bay", 2)],
    open_count: 3,
    answers: ["known", "new"],
  });
  const { element, edits } = decisions(all);
  assert.match(element.textContent, /3 names now/);
  button(element, "Settle these names").click();
  await soon();
  assert.match(asked.at(-2)?.[1] ?? asked.at(-1)[1], /most=1000000|search=/);
  assert.deepEqual(edits[0].rows, [
    ["Fenn", "known"],
    ["Dael", "known"],
    ["Bay", "known"],
  ]);
});

test("an answer that was given can be changed and taken back; those not shown are counted", async () => {
  const { element, edits } = decisions(
    told({
      given: [
        ["Fenn", "same", "", "2026-03-01T10:00"],
        ["Dael", "different", "", null],
      ],
      decided: 30,
      answers: ["same", "different"],
    }),
  );
  assert.match(element.textContent, /30 answers given/);
  assert.match(element.textContent, /and 28 more; search for one/);
  assert.ok(labelled(element, "Find an answer"));
  const select = labelled(element, "Answer for Dael");
  assert.equal(select.value, "different");
  type(select, "same", "change");
  labelled(element, "Remove the answer for Fenn").click();
  button(element, "Take all back").click();
  await soon();
  assert.deepEqual(edits[0], { op: "decide", id: "s1", rows: [["Dael", "same"]] });
  assert.deepEqual(edits[1], { op: "undecide", id: "s1", keys: ["Fenn"] });
  assert.deepEqual(edits[2], { op: "undecide", id: "s1" });
});

const MEANT = [
  { id: "v1", name: "Bay Gem", about: "lettuce", score: 81.26 },
  { id: "v2", name: "Bay Gold", about: "", score: 70 },
];

test("a name means the likeliest, another, one that is searched for, none, or is new", async () => {
  const found = told({ open: [question("bay gm", 2, "v1 Bay Gem", "", [], MEANT)], open_count: 1 });
  const { element, edits } = decisions(found, async (text) => ({
    candidates: text === "gold" ? [] : [{ id: "v9", name: "Fen Pea", about: "", score: 12 }],
  }));
  assert.match(element.textContent, /means Bay Gem\?/);
  assert.match(element.textContent, /lettuce · v1 · score 81\.3/);
  labelled(element, "Yes: bay gm means Bay Gem").click();
  labelled(element, "Take: bay gm means Bay Gold").click();
  await soon(); // the questions are drawn anew after each answer
  type(labelled(element, "Search the reference for bay gm"), "pea");
  await soon(400);
  labelled(element, "Take: bay gm means Fen Pea").click();
  await soon();
  type(labelled(element, "Search the reference for bay gm"), "gold");
  await soon(400);
  assert.match(element.textContent, /Nothing is found by this/);
  type(labelled(element, "Search the reference for bay gm"), "");
  await soon(400);
  assert.ok(labelled(element, "Take: bay gm means Bay Gold"), "the others are there again");
  labelled(element, "It is new: bay gm").click();
  labelled(element, "Leave it without: bay gm").click();
  await soon();
  assert.deepEqual(
    edits.map(({ rows }) => rows[0][1]),
    ["v1 Bay Gem", "v2 Bay Gold", "v9 Fen Pea", "(new)", "(left)"],
  );
});

test("the first of several are taken only where there is one", async () => {
  const open = [
    question("bay gm", 2, "v1 Bay Gem", "", [], MEANT),
    question("xyz", 1, "", "", [], []),
    question("bay gd", 1, "v2 Bay Gold", "", [], MEANT),
  ];
  const { element, edits } = decisions(told({ open, open_count: 3 }), async () => null);
  assert.match(element.textContent, /The reference knows nothing like it/);
  button(element, "Take the first of these 2").click();
  button(element, "Leave these 3").click();
  await soon();
  assert.deepEqual(edits[0].rows, [
    ["bay gm", "v1 Bay Gem"],
    ["bay gd", "v2 Bay Gold"],
  ]);
  assert.equal(edits[1].rows.length, 3);
});

// The list of a column's values

const WORDS = Array.from({ length: 450 }, (_, n) => [n === 3 ? null : `v${n}`, 450 - n]);
let fails = false;
let late = 0; // milliseconds that an answer takes

function values(kind = "text", words = WORDS) {
  const done = { focus: null, recoded: [] };
  const studio = {
    flow: 4,
    table: { key: "k", output: "" },
    focus: { text: "", chips: [] },
    setFocus: (change) => {
      const focus = {
        chips: [
          { column: "Hub", conditions: [{ column: "Hub" }] },
          { column: "Kg", conditions: [{ column: "Kg" }] },
        ],
      };
      change(focus);
      done.focus = focus;
    },
    recode: async (column, pairs) => done.recoded.push([column, pairs]),
  };
  answerBy((path) => {
    if (fails) throw new TypeError("gone");
    const query = new URL(path, "http://x").searchParams;
    const [offset, most] = [Number(query.get("offset")), Number(query.get("most"))];
    const fitting = words.filter(([text]) => String(text).includes(query.get("search")));
    const said = {
      values: fitting.slice(offset, offset + most),
      found: fitting.length,
      distinct: words.length,
      highest: words[0]?.[1] ?? 0,
      rows: words.reduce((sum, [, n]) => sum + n, 0),
    };
    return late ? new Promise((done) => setTimeout(done, late, said)) : said;
  });
  const made = new ValueList(studio, "Hub", kind);
  document.querySelector("main").replaceChildren(made.element);
  return { made, done, element: made.element };
}

beforeEach(() => {
  fails = false;
  late = 0;
  answer();
});

test("values stand with their rows and their share of all, and those found are counted", async () => {
  const { made, element } = values();
  await made.load();
  assert.equal(made.says.textContent, "450 values");
  const line = element.querySelector(".value");
  assert.equal(line.querySelector(".n").textContent, "450");
  const all = (450 * 451) / 2;
  assert.equal(line.querySelector(".share").textContent, `${((100 * 450) / all).toFixed(1)} %`);
  assert.ok(element.querySelectorAll(".value").length < 20, "only what is in sight is drawn");
  assert.match(element.textContent, /empty/);
  made.search = "v44";
  await made.load();
  assert.equal(made.says.textContent, "11 of 450 values");
  made.search = "nothing such";
  await made.load();
  assert.match(element.textContent, /No value contains that/);
});

test("a part of the list that could not be had is asked for again when it comes into sight", async () => {
  const { made, element } = values();
  await made.load();
  fails = true;
  await made.fetch(1);
  assert.ok(!made.pages.has(1));
  fails = false;
  Object.defineProperty(made.scroll, "clientHeight", { value: 280 });
  made.scroll.scrollTop = 250 * 28;
  made.draw();
  await soon();
  assert.ok(
    [...element.querySelectorAll(".value .v")].some((one) => one.textContent === "v255"),
    element.textContent,
  );
});

test("an answer that comes after another was asked for is not shown", async () => {
  const { made } = values();
  await made.load();
  late = 30;
  const first = made.fetch(1);
  late = 0;
  made.search = "v7";
  await made.load();
  await first;
  assert.equal(made.says.textContent, "11 of 450 values");
});

test("chosen values become a selection, which takes the place of others of its column", async () => {
  const { made, done, element } = values();
  await made.load();
  assert.ok(button(element, "Only these").disabled);
  labelled(element, "Choose v0").click();
  labelled(element, "Choose empty").click();
  button(element, "Only these").click();
  const kept = done.focus.chips;
  assert.equal(kept.length, 2);
  assert.equal(kept[0].column, "Kg", "a selection of another column stays");
  assert.equal(kept[1].label, "Hub “v0”, empty");
  button(element, "All but these").click();
  assert.equal(done.focus.chips[1].label, "Hub not “v0”, empty");
  assert.ok(!button(element, "Make one of them"), "an empty cell has no spelling");
});

test("chosen spellings become the most frequent of them, or what is typed", async () => {
  const { made, done, element } = values();
  await made.load();
  for (const name of ["Choose v2", "Choose v1", "Choose v5"]) labelled(element, name).click();
  button(element, "Make one of them").click();
  const input = labelled(element, "The one spelling");
  assert.equal(input.value, "v1", "the most frequent is proposed");
  element.querySelector("form").dispatchEvent(new Event("submit", { cancelable: true }));
  assert.deepEqual(done.recoded[0], [
    "Hub",
    [
      ["v2", "v1"],
      ["v5", "v1"],
    ],
  ]);
});

test("a value is changed in its place, Esc leaves it, and what has no text is not changed", async () => {
  const { made, done, element } = values();
  await made.load();
  labelled(element, "Change v1 everywhere").click();
  const input = labelled(element, "New value for v1");
  type(input, "other");
  input.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true }));
  assert.ok(labelled(element, "Choose v1"), "the line is back");
  labelled(element, "Change v1 everywhere").click();
  type(labelled(element, "New value for v1"), "other");
  labelled(element, "New value for v1").dispatchEvent(
    new KeyboardEvent("keydown", { key: "Enter", bubbles: true, cancelable: true }),
  );
  await soon();
  assert.deepEqual(done.recoded, [["Hub", [["v1", "other"]]]]);
  assert.equal(labelled(element, "Change empty everywhere"), null);
  const lists = values("list");
  await lists.made.load();
  assert.equal(lists.element.querySelectorAll(".icon-button").length, 0);
});

const pair = (given, first, town, there) => [
  { column: "given", other: "first", here: given, there: first },
  { column: "town", other: "town", here: town, there },
];
const PAIRS = {
  open: [
    question("Jon · Fen", 1, "John · Fenn", "88 %", pair("Jon", "John", "Fen", "Fenn")),
    question("Ada", 2, "Ida · Moor", "80 %", pair("Ada", "Ida", null, "Moor")),
  ],
  open_count: 2,
};

test("rows that may be one stand side by side, field by field, with what differs marked", async () => {
  const { element, edits } = decisions(told(PAIRS));
  const lines = [...element.querySelectorAll(".pair-fields tbody tr")].map((row) =>
    [...row.children].map((cell) => cell.innerHTML),
  );
  assert.deepEqual(lines, [
    ["given", "Jon", "Jo<mark>h</mark>n"],
    ["town", "Fen", "Fen<mark>n</mark>"],
    ["given", "<mark>A</mark>da", "<mark>I</mark>da"],
    ["town", "empty", "<mark>Moor</mark>"],
  ]);
  assert.equal(element.querySelector(".pair-fields th[title]").title, "given, there first");
  labelled(element, "take: Jon · Fen").click();
  labelled(element, "leave: Ada").click();
  await soon();
  assert.deepEqual(
    edits.map(({ rows }) => rows[0]),
    [
      ["Jon · Fen", "John · Fenn"],
      ["Ada", "Ada"],
    ],
  );
});

test("texts in parts are the texts, and what is not marked is alike in both", () => {
  const signs = "aéb ";
  let seed = 7;
  const next = (most) => (seed = (seed * 1103515245 + 12345) % 2147483648) % most;
  const text = () => Array.from({ length: next(7) }, () => signs[next(4)]).join("");
  for (let n = 0; n < 400; n += 1) {
    const [one, other] = [text(), text()];
    const [a, b] = differing(one, other);
    assert.deepEqual(
      [a, b].map((parts) => parts.map(([part]) => part).join("")),
      [one, other],
    );
    const same = (parts) =>
      parts
        .filter(([, differs]) => !differs)
        .map(([part]) => part)
        .join("");
    assert.equal(same(a), same(b));
    assert.equal(a.some(([, d]) => d) || b.some(([, d]) => d), one !== other);
  }
});
