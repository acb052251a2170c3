/**
 * Changes that join a Recode step: the table after it is as if they had been made to what is seen.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answer, answerBy, JS } from "./world.js";

const { changedAfter, changedBefore } = await import(`${JS}recoding.js`);
const { looking } = await import(`${JS}looking.js`);
const { RunDesk } = await import(`${JS}desk/run.js`);

const VALUES = ["a", "b", "c", "d", ""];
let seed = 11;
const next = (most) => {
  seed = (seed * 1103515245 + 12345) % 2147483648;
  return (seed >> 8) % most;
};
const some = (most) => {
  const old = VALUES.filter(() => next(2)).slice(0, most);
  return old.map((one) => [one, VALUES[next(VALUES.length)]]);
};
const through = (changes, value) => changes.find((one) => one.old === value)?.new ?? value;
const becomes = (pairs, value) => pairs.find(([old]) => old === value)?.[1] ?? value;
const soon = (ms = 5) => new Promise((done) => setTimeout(done, ms));

test("after the step each value is what its result was changed to, whether it came in or was made", () => {
  for (let round = 0; round < 3000; round += 1) {
    const changes = some(4).map(([old, fresh]) => ({ old, new: fresh, note: "kept" }));
    const pairs = some(3);
    const joined = changedAfter(changes, pairs);
    for (const value of VALUES)
      assert.equal(
        through(joined, value),
        becomes(pairs, through(changes, value)),
        JSON.stringify({ value, changes, pairs, joined }),
      );
    assert.equal(new Set(joined.map(({ old }) => old)).size, joined.length, "each value once");
    assert.ok(joined.every(({ old, new: fresh }) => old !== fresh));
  }
});

test("a value that the step alone makes gets no change of its own", () => {
  const changes = [{ old: "Fenn", new: "Fen" }];
  assert.deepEqual(
    changedAfter(changes, [["Fen", "Fen Hub"]], () => false),
    [{ old: "Fenn", new: "Fen Hub" }],
  );
  assert.deepEqual(
    changedAfter(changes, [["Fen", "Fenn"]], () => false),
    [],
    "taken back",
  );
});

test("before the step each value that is changed becomes this, whatever it became there before", () => {
  for (let round = 0; round < 3000; round += 1) {
    const changes = some(4).map(([old, fresh]) => ({ old, new: fresh }));
    const pairs = some(3);
    const joined = changedBefore(changes, pairs);
    for (const value of VALUES) {
      const hit = pairs.find(([old]) => old === value);
      assert.equal(through(joined, value), hit ? hit[1] : through(changes, value));
    }
  }
});

function studio(steps, selected, comes = []) {
  const made = Object.create(looking);
  const edits = [];
  Object.assign(made, {
    state: { steps },
    selected,
    edits,
    applyDraft: async () => {},
    kindFor: () => ({ kind: "recode_values", title: "Recode values" }),
    values: async (_, __, old) => ({ values: comes.includes(old) ? [[old, 3]] : [] }),
    comes: () => ({}),
    edit: async (some) => edits.push(...structuredClone(some)),
    addSteps: async (some) => edits.push(["added", ...structuredClone(some)]),
    select: async () => {},
    act: { chooseColumn: () => {}, viewChanged: () => {} },
  });
  return made;
}
const recode = (changes, more = {}) => ({
  id: "r",
  kind: "recode_values",
  enabled: true,
  settings: { column: "Hub", changes },
  ...more,
});

test("a value that is changed in the table joins the Recode step at hand, or the one behind, or a new one", async () => {
  const own = studio({ r: recode([{ old: "Fenn", new: "Fen" }]) }, "r");
  await own.recode("Hub", [["Fen", "Fen Hub"]]);
  assert.deepEqual(own.edits[0].settings.changes, [{ old: "Fenn", new: "Fen Hub" }]);
  const also = studio({ r: recode([{ old: "Fenn", new: "Fen" }]) }, "r", ["Fen"]);
  await also.recode("Hub", [["Fen", "Fen Hub"]]);
  assert.equal(
    also.edits[0].settings.changes.length,
    2,
    "where it comes in as well, both become it",
  );
  const before = {
    s: { kind: "read_file", settings: {} },
    r: recode([{ old: "Fen", new: "X" }], { main: "s" }),
  };
  const behind = studio(before, "s");
  await behind.recode("Hub", [["Fen", "Fen Hub"]]);
  assert.deepEqual(
    behind.edits[0].settings.changes,
    [{ old: "Fen", new: "Fen Hub" }],
    "what was said last holds",
  );
  const other = studio(
    { ...before, r: { ...before.r, settings: { column: "Lot", changes: [] } } },
    "s",
  );
  await other.recode("Hub", [["Fen", "Fen Hub"]]);
  assert.equal(other.edits[0][0], "added");
  const off = studio({ ...before, r: { ...before.r, enabled: false } }, "s");
  await off.recode("Hub", [["Fen", "Fen Hub"]]);
  assert.equal(off.edits[0][0], "added", "a step that is switched off changes nothing");
});

test("rows that were looked at are still looked at where the step that was made of them is refused", async () => {
  const made = studio({}, "s");
  const drawn = [];
  Object.assign(made, {
    flow: 4,
    table: { key: "k", output: "" },
    focus: {
      chips: [{ label: "Fen" }],
      search: "x",
      clear() {
        this.chips = [];
        this.search = "";
      },
    },
    grid: { refocus: () => drawn.push("grid") },
    addSteps: async () => false,
  }); // prettier-ignore
  answer([200, { kind: "keep_rows", settings: {} }]);
  await made.focusStep("keep");
  assert.deepEqual([made.focus.chips.length, made.focus.search, drawn.length], [1, "x", 1]);
  made.addSteps = async () => true;
  answer([200, { kind: "keep_rows", settings: {} }]);
  await made.focusStep("keep");
  assert.equal(made.focus.chips.length, 0);
});

const RUN = {
  id: "r1",
  status: "running",
  progress: { steps: { a: { facts: [], rows_out: 1, seconds: 0.2 } } },
};
const DONE = {
  ...RUN,
  status: "ok",
  dry: true,
  report: {
    seconds: 1.5,
    steps: [{ id: "a", facts: [], rows_out: 1, seconds: 0.2 }],
    effects: [{ to: "out.csv", rows: 1 }],
  },
};

test("a run is watched on while the server is away for a moment, and what came of it is shown", async () => {
  const place = document.querySelector("main");
  const desk = {
    view: "run",
    show: (_, parts) => {
      const { h } = desk;
      place.replaceChildren(
        h("h2", {}, parts.title),
        h("p", {}, parts.summary ?? ""),
        ...parts.body.flat().filter(Boolean),
      );
    },
  };
  desk.h = (await import(`${JS}dom.js`)).h;
  let calls = 0;
  answerBy(() => {
    calls += 1;
    if (calls === 2) throw new TypeError("away");
    return calls < 3 ? RUN : DONE;
  });
  const made = new RunDesk(
    {
      flow: 4,
      course: { order: () => ["a"] },
      state: { steps: { a: { label: "Orders", enabled: true } } },
      act: {},
    },
    desk,
  );
  const watched = made.watch("r1");
  await soon(50);
  assert.match(place.textContent, /Running/);
  assert.match(place.textContent, /1 of 1 steps/);
  await watched;
  assert.equal(calls, 3);
  assert.match(place.textContent, /Tried, nothing delivered1\.50 seconds/);
  assert.match(place.textContent, /would be written: 1 row(?!s)/);
  assert.match(place.textContent, /Orders1 row200 ms/);
});
