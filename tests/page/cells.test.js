/**
 * Cells of the grid: shown as they are, with what they were; copied so that a spreadsheet has them
 * again.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { isFormula, quoted, shownCell } = await import(`${JS}gridCells.js`);
const { headOf, saidOf } = await import(`${JS}gridHeads.js`);
const { cellsOf } = await import(`${JS}widgets/sheet.js`);

const text = (made) => (typeof made === "string" ? made : (made.html ?? made).textContent);
const TEXT = { name: "Hub", kind: "text", index: 0, kind_title: "text" };
const NUMBER = { name: "Kg", kind: "number", index: 1, kind_title: "number" };

test("a cell is shown as it is: numbers in full, blanks and nothing to be seen, long texts cut", () => {
  const item = { cells: ["Fen", 1234.5] };
  assert.equal(text(shownCell(TEXT, item, false)), "Fen");
  assert.equal(text(shownCell(NUMBER, item, false)), "1234.5");
  assert.equal(text(shownCell(NUMBER, item, true)), "1,234.5");
  assert.equal(text(shownCell(NUMBER, { cells: ["", 2e-9] }, false)), "0.000000002");
  assert.equal(text(shownCell(TEXT, { cells: [null, 0] }, false)), "empty");
  assert.equal(text(shownCell(TEXT, { cells: [" Fen", 0] }, false)), "·Fen");
  assert.equal(text(shownCell(TEXT, { cells: ["x".repeat(999), 0] }, false)).length, 401);
  assert.equal(text(shownCell({ ...TEXT, kind: "yes_no" }, { cells: [true, 0] }, false)), "yes");
  assert.equal(shownCell(TEXT, {}, false).className, "cell-waiting");
  const tag = shownCell(TEXT, { cells: ["<b>x</b>", 0] }, false);
  assert.equal(tag, "<b>x</b>", "a text, which the grid writes as text");
});

test("a changed cell shows what it was, also where it was nothing", () => {
  const made = shownCell(NUMBER, { cells: ["a", 2], was: { Kg: 1 } }, false);
  assert.equal(text(made), "21");
  assert.equal(made.addClasses, "changed");
  assert.equal(made.toolTip, "before: 1");
  const filled = shownCell(TEXT, { cells: ["Fen", 2], was: { Hub: null } }, false);
  assert.equal(text(filled), "Fenwas empty");
  const typed = shownCell(NUMBER, { cells: ["a", 1200], was: { Kg: " 1,2k " } }, true);
  assert.equal(text(typed), "1,200·1,2k·", "what was text is shown as the text it was");
  assert.equal(text(shownCell(TEXT, { cells: ["Fen", 2], was: { Kg: 1 } }, false)), "Fen");
});

test("what is copied comes back cell by cell", () => {
  const signs = ["a", '"', "\t", "\n", " ", "'", "=", "ß", ""];
  let seed = 23;
  const next = (most) => {
    seed = (seed * 1103515245 + 12345) % 2147483648;
    return (seed >> 7) % most;
  };
  for (let round = 0; round < 400; round += 1) {
    const rows = Array.from({ length: 1 + next(3) }, () =>
      Array.from({ length: 2 }, () =>
        Array.from({ length: next(4) }, () => signs[next(9)]).join(""),
      ),
    );
    const copied = rows.map((row) => row.map(quoted).join("\t")).join("\n");
    assert.deepEqual(cellsOf(`${copied}\n`), rows, JSON.stringify(copied));
  }
  assert.deepEqual([null, true, false, 12.5].map(quoted), ["", "yes", "no", "12.5"]);
});

test("only what a spreadsheet would take for a formula is marked", () => {
  for (const risky of ["=1+1", "+cmd", "-x", "@SUM(A1)", "\t=1", "\r=1", "-1+2", "- "])
    assert.ok(isFormula(risky), risky);
  for (const plain of [
    "-5",
    "+3.5",
    "-1,234.50",
    "-.5",
    "-2e+10",
    "+49 171 5",
    "a=b",
    "",
    "-5 %",
    -3,
    null,
    true,
  ])
    assert.ok(!isFormula(plain), String(plain));
});

test("a head says its type and the one fact, sorts in three turns, and opens its column and its empty cells", () => {
  const done = [];
  const grid = {
    view: { sort: null, desc: false },
    act: {
      chooseColumn: (name) => done.push(["column", name]),
      showEmpty: (name) => done.push(["empty", name]),
    },
    sort: (name, way) => done.push([way, name]),
  };
  const facts = { fact: "3 empty", alert: true, bars: [0, 0.5, 1] };
  const head = headOf(grid, NUMBER, facts);
  document.querySelector("main").replaceChildren(head);
  assert.equal(head.querySelector(".head-fact").textContent, "3 empty · number");
  assert.deepEqual(
    [...head.querySelectorAll(".head-bars span")].map((one) => one.style.height),
    ["4%", "50%", "100%"],
  );
  head.querySelector(".head-sort").click();
  grid.view = { sort: "Kg", desc: false };
  headOf(grid, NUMBER, facts).querySelector(".head-sort").click();
  grid.view = { sort: "Kg", desc: true };
  headOf(grid, NUMBER, facts).querySelector(".head-sort").click();
  assert.deepEqual(done.splice(0), [
    ["up", "Kg"],
    ["down", "Kg"],
    ["off", "Kg"],
  ]); // prettier-ignore
  head.querySelector(".head-fact").click();
  assert.deepEqual(done.splice(0), [
    ["empty", "Kg"],
    ["column", "Kg"],
  ]); // prettier-ignore
  head.querySelector(".head-name").click();
  assert.deepEqual(done.splice(0), [["column", "Kg"]], "once, though it lies in the head");
  assert.notEqual(saidOf(grid, NUMBER, facts), saidOf(grid, NUMBER, { ...facts, fact: "2 empty" }));
  assert.equal(saidOf(grid, NUMBER, facts), saidOf(grid, { ...NUMBER, index: 4 }, { ...facts }));
});
