/**
 * The desk of findings: what is left out of a repair stays out of it, taken alone or with all, and
 * is said.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, asked, JS, notices } from "./world.js";

const { FindingsDesk } = await import(`${JS}desk/findings.js`);

const soon = (ms = 10) => new Promise((done) => setTimeout(done, ms));
const CHANGES = [
  { old: "fen", new: "Fen" },
  { old: "FEN", new: "Fen" },
];
const step = (changes) => ({
  kind: "recode_values",
  name: "",
  settings: { column: "Hub", changes },
});
const FOUND = [
  {
    key: "variants Hub",
    code: "variants",
    sentence: "2 spellings of Hub are another's",
    why: "Case.",
    count: 4,
    open: false,
    columns: ["Hub"],
    rows: [1, 2],
    rule: { of: [] },
    examples: ["fen"],
    repairs: [{ sentence: "Give them one spelling", steps: [step(CHANGES)] }],
  },
  {
    key: "blank Lot",
    sentence: "3 cells of Lot hold only blanks",
    why: "",
    count: 3,
    open: false,
    columns: ["Lot"],
    rows: [],
    examples: [],
    repairs: [{ sentence: "Make them empty", steps: [{ kind: "tidy_text", settings: {} }] }],
  },
  {
    key: "far Kg",
    sentence: "1 number of Kg is far from the others",
    why: "",
    count: 1,
    open: true,
    columns: ["Kg"],
    rows: [9],
    examples: ["9000"],
    repairs: [
      { sentence: "Make it empty", steps: [] },
      { sentence: "Drop the row", steps: [] },
    ],
  },
]; // prettier-ignore

function page({ found = FOUND, pending = [false] } = {}) {
  document.querySelector("main").innerHTML = `<div id="place"></div><dialog id="dialog"></dialog>`;
  const dialog = document.getElementById("dialog");
  dialog.showModal = () => dialog.setAttribute("open", "");
  const place = document.getElementById("place");
  const done = { added: [], edits: [], focus: null, shown: null };
  let asks = 0;
  answerBy((path) => {
    if (path.endsWith("/effect")) return { effect: "4 cells change" };
    if (path.endsWith("/all"))
      return {
        steps: [step(CHANGES), { kind: "tidy_text", name: "", settings: {} }],
        of: ["variants Hub", "blank Lot"],
        done: FOUND.slice(0, 2).map((one) => ({
          sentence: one.sentence,
          repair: one.repairs[0].sentence,
          effect: "4 cells change",
          finding: one.key,
        })),
        left: [{ sentence: FOUND[2].sentence, reason: "a person decides" }],
      };
    const more = pending[Math.min(asks, pending.length - 1)];
    asks += 1;
    return {
      pending: more,
      findings: more ? found.slice(0, asks - 1) : found,
      dismissed: [{ key: "d", sentence: "old one", reason: "is so" }],
    };
  });
  const studio = {
    flow: 4,
    selected: "s1",
    table: { key: "k", output: "", rows: 10 },
    state: { steps: { s1: { label: "Orders" } } },
    drafts: new Set(),
    grid: { reveal: () => {} },
    act: { chooseColumn: () => {}, clearFocus: () => (done.focus = null) },
    shown: { bar: () => {}, busy: () => {} },
    setFocus: (change) => {
      const focus = { chips: [], clear: () => {} };
      change(focus);
      done.focus = focus.chips;
    },
    addSteps: async (steps, sentence) => done.added.push([structuredClone(steps), sentence]),
    edit: async (edits) => done.edits.push(...edits),
  };
  const made = new FindingsDesk(studio, {
    view: "findings",
    element: place,
    fold: () => {},
    show: (_, parts) => {
      done.shown = parts;
      place.replaceChildren(...[...parts.body, ...(parts.foot ?? [])].flat().filter(Boolean));
    },
  });
  const button = (text) =>
    [...document.querySelectorAll("main button")].find((one) =>
      (one.getAttribute("aria-label") ?? one.textContent).startsWith(text),
    );
  return { made, studio, done, place, button };
}

test("findings are told as they are found, and repairs of all are offered once that is all", async () => {
  const { made, done, button } = page({ pending: [true, true, false] });
  await made.follow();
  assert.equal(done.shown.title, "Looking for what is wrong");
  await soon(400);
  assert.equal(done.shown.eyebrow, "Findings · 1 in this table so far");
  assert.equal(button("Repair all"), undefined, "more may come, and one may go");
  await soon(400);
  assert.equal(done.shown.eyebrow, "Findings · 3 in this table");
  assert.ok(button("Repair all 2"), "the one that a person decides is none of them");
});

test("values that are left out of a repair are not changed by it, and its effect says so", async () => {
  const { made, done, place, button } = page();
  await made.follow();
  await soon();
  const effect = () => place.querySelector('[data-effect="variants Hub 0"]').textContent;
  assert.equal(effect(), "4 cells change");
  place.querySelector(".finding-open").click();
  await soon();
  assert.equal(done.focus.length, 1, "its rows are looked at");
  const ticks = () => [...place.querySelectorAll(".finding-cells input")];
  ticks()[1].click();
  assert.equal(effect(), "4 cells change with all values; 1 is left as it is");
  button("Repair: Give them one spelling").click();
  await soon();
  assert.deepEqual(done.added[0][0][0].settings.changes, [CHANGES[0]]);
  assert.equal(done.added[0][0][0].name, "Give them one spelling");
  ticks()[0].click();
  button("Repair: Give them one spelling").click();
  await soon();
  assert.equal(done.added.length, 1);
  assert.ok(notices().some((one) => one.startsWith("All its values are left out")));
  ticks()[0].click();
  ticks()[1].click();
  assert.equal(effect(), "4 cells change");
});

test("what is left out stays out of all repairs, too; a repair with nothing left is none of their steps", async () => {
  const { made, done, place, button } = page();
  await made.follow();
  place.querySelector(".finding-open").click();
  await soon();
  [...place.querySelectorAll(".finding-cells input")][0].click();
  const dialog = document.getElementById("dialog");
  const all = async () => {
    button("Repair all").click();
    await soon();
    const said = dialog.textContent;
    dialog.returnValue = "take";
    await dialog.onclose();
    return said;
  };
  assert.match(
    await all(),
    /4 cells changewithout 1 value left out.*Left to you:.*\(a person decides\)/,
  );
  assert.deepEqual(done.added[0][0][0].settings.changes, [CHANGES[1]]);
  assert.equal(done.added[0][0].length, 2);
  assert.equal(done.added[0][1], "Repaired 2 findings");
  made.open = "variants Hub";
  made.draw();
  [...place.querySelectorAll(".finding-cells input")][1].click();
  assert.match(await all(), /^1 repair, one after anotherThey become 1 step behind “Orders”/);
  assert.deepEqual(
    done.added[1][0].map(({ kind }) => kind),
    ["tidy_text"],
  );
});

test("all repairs that are looked at and not taken change nothing", async () => {
  const { made, done, button } = page();
  await made.follow();
  button("Repair all").click();
  await soon();
  const dialog = document.getElementById("dialog");
  dialog.returnValue = "";
  await dialog.onclose();
  assert.equal(done.added.length, 0);
});

test("a finding that is fine is dismissed with its reason, and brought back", async () => {
  const { made, done, place, button } = page();
  await made.follow();
  place.querySelectorAll(".finding-open")[2].click();
  await soon();
  button("Dismiss…").click();
  place.querySelector("[aria-label='Why it is fine as it is']").value = "the largest lot";
  place.querySelector(".dismiss-form").dispatchEvent(new Event("submit", { cancelable: true }));
  await soon();
  assert.deepEqual(done.edits[0], {
    op: "dismiss",
    id: "s1",
    finding: "far Kg",
    reason: "the largest lot",
  });
  assert.match(place.textContent, /1 dismissed.*old one.*is so/);
  button("Bring back").click();
  await soon();
  assert.deepEqual(done.edits[1], { op: "dismiss", id: "s1", finding: "d", restore: true });
});

test("findings of a table that is looked at no more are not told of another", async () => {
  const { made, studio, done } = page();
  const first = made.follow();
  studio.selected = "s2";
  studio.table = { key: "other", output: "", rows: 3 };
  await first;
  assert.notEqual(done.shown?.title, "What looks wrong");
  studio.drafts.add("s2");
  await made.follow();
  assert.equal(made.list, undefined, "a draft is not what was looked at");
  assert.ok(asked.length);
});
