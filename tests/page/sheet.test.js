/**
 * Cells that are typed or pasted: what stands in the sheet is what is set, and no paste moves a
 * row.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { cellsOf, Sheet } = await import(`${JS}widgets/sheet.js`);
const { Work } = await import(`${JS}wide/recode.js`);
const { widgets } = await import(`${JS}forms.js`);

function sheet(columns, rows) {
  const set = [];
  const made = new Sheet(columns, rows, (now) => set.push(structuredClone(now)));
  document.querySelector("main").replaceChildren(made.element);
  return { made, last: () => set.at(-1), set };
}

const type = (control, text) => {
  control.value = text;
  control.dispatchEvent(new Event("input", { bubbles: true }));
};

function paste(control, text) {
  const event = new Event("paste", { bubbles: true, cancelable: true });
  event.clipboardData = { getData: () => text };
  control.dispatchEvent(event);
  return event.defaultPrevented;
}

const key = (control, name, more = {}) =>
  control.dispatchEvent(
    new KeyboardEvent("keydown", { key: name, bubbles: true, cancelable: true, ...more }),
  );
const names = (made) => [...made.element.querySelectorAll("thead input")].map((one) => one.value);

test("cells come apart as a spreadsheet puts them on the clipboard", () => {
  assert.deepEqual(cellsOf("a\tb\nc\td\n"), [
    ["a", "b"],
    ["c", "d"],
  ]);
  assert.deepEqual(cellsOf("a\r\n\r\nc"), [["a"], [""], ["c"]], "an empty cell keeps its place");
  assert.deepEqual(cellsOf('"two\nlines"\t"say ""so"""'), [["two\nlines", 'say "so"']]);
  assert.deepEqual(cellsOf('5" pot\tx'), [['5" pot', "x"]], "a quote within a cell is a sign");
  assert.deepEqual(cellsOf("\t"), [["", ""]]);
  assert.deepEqual(cellsOf(""), [[""]]);
});

test("what cells hold comes back from the clipboard, whatever it is", () => {
  const signs = ["a", "ß", '"', "\t", "\n", " ", "'", ",", "\u00a0"];
  let seed = 7;
  const next = (most) => {
    seed = (seed * 1103515245 + 12345) % 2147483648;
    return seed % most;
  };
  const write = (cell) => (/["\t\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell);
  for (let round = 0; round < 300; round += 1) {
    const width = 1 + next(3);
    const rows = Array.from({ length: 1 + next(4) }, () =>
      Array.from({ length: width }, () =>
        Array.from({ length: next(5) }, () => signs[next(signs.length)]).join(""),
      ),
    );
    const copied = rows.map((row) => row.map(write).join("\t")).join("\n");
    assert.deepEqual(cellsOf(`${copied}\n`), rows, JSON.stringify(copied));
  }
});

test("what is typed is set; empty rows at the end are none, those between stay", () => {
  const { made, last } = sheet(["Hub", "Kg"], [["Fen", "2"]]);
  type(made.at(2, 1), "7");
  assert.deepEqual(last(), {
    columns: ["Hub", "Kg"],
    rows: [
      ["Fen", "2"],
      ["", ""],
      ["", "7"],
    ],
  });
  assert.equal(document.activeElement, made.at(2, 1), "the last row grew, the cursor stayed");
  type(made.at(2, 1), "");
  assert.deepEqual(last().rows, [["Fen", "2"]]);
  type(made.at(-1, 1), "Grams");
  assert.deepEqual(last().columns, ["Hub", "Grams"]);
  assert.equal(made.at(0, 1).getAttribute("aria-label"), "Grams, row 1");
});

test("a new column takes a name that none has, also where one was taken away", () => {
  const { made, last } = sheet(["Column 1", "Column 2", "Column 3"], [["a", "b", "c"]]);
  made.at(-1, 0).focus();
  key(made.at(-1, 0), "Delete", { ctrlKey: true });
  assert.deepEqual(last(), { columns: ["Column 2", "Column 3"], rows: [["b", "c"]] });
  [...made.element.querySelectorAll("button")]
    .find((one) => one.textContent === "+ column")
    .click();
  assert.deepEqual(names(made), ["Column 2", "Column 3", "Column 4"]);
  paste(made.at(0, 2), "x\ty");
  assert.equal(new Set(names(made)).size, names(made).length, "nor two that are pasted");
  assert.deepEqual(last().rows, [["b", "c", "x", "y"]]);
});

test("a row is taken away by its key, a last column is not", () => {
  const { made, last, set } = sheet(["Hub"], [["Fen"], ["Dale"], ["Bay"]]);
  key(made.at(1, 0), "Delete", { ctrlKey: true });
  assert.deepEqual(last().rows, [["Fen"], ["Bay"]]);
  const before = set.length;
  key(made.at(0, 0), "Delete");
  assert.equal(set.length, before, "Delete alone is the cell's own");
  key(made.at(-1, 0), "Delete", { ctrlKey: true });
  assert.deepEqual(last().columns, ["Hub"]);
});

test("cells are pasted from where the cursor is, and name columns where it is on the names", () => {
  const { made, last } = sheet(["Hub", "Kg"], []);
  assert.ok(!paste(made.at(0, 0), "one"), "one cell goes into the field as usual");
  assert.ok(paste(made.at(-1, 0), "Place\tGrams\tNote\nFen\t2\t\nDale\t\tlate"));
  assert.deepEqual(last(), {
    columns: ["Place", "Grams", "Note"],
    rows: [
      ["Fen", "2", ""],
      ["Dale", "", "late"],
    ],
  });
  paste(made.at(1, 1), "9\n8");
  assert.deepEqual(last().rows, [
    ["Fen", "2", ""],
    ["Dale", "9", "late"],
    ["", "8", ""],
  ]);
});

test("arrows walk from cell to cell, and within a text they stay in it", () => {
  const { made } = sheet(["Hub", "Kg"], [["Fen", "2"]]);
  made.at(0, 0).focus();
  made.at(0, 0).setSelectionRange(1, 1);
  key(made.at(0, 0), "ArrowRight");
  assert.equal(document.activeElement, made.at(0, 0), "the cursor is within the text");
  made.at(0, 0).setSelectionRange(3, 3);
  key(made.at(0, 0), "ArrowRight");
  assert.equal(document.activeElement, made.at(0, 1));
  key(made.at(0, 1), "Enter");
  assert.equal(document.activeElement, made.at(1, 1));
  key(made.at(1, 1), "ArrowUp");
  key(made.at(0, 1), "ArrowUp");
  assert.equal(document.activeElement, made.at(-1, 1), "up to the names");
  key(made.at(-1, 1), "ArrowUp");
  assert.equal(document.activeElement, made.at(-1, 1));
});

function changes(value) {
  const set = [];
  const element = widgets.changes({
    name: "changes",
    id: "changes",
    property: { title: "Changes" },
    schema: { properties: { column: {} } },
    context: { columns: () => [], values: async () => ({ values: [] }) },
    form: { settings: {}, change: () => {} },
    value,
    set: (now) => set.push(structuredClone(now)),
  });
  document.querySelector("main").replaceChildren(element);
  const cell = (label) => element.querySelector(`[aria-label="${label}"]`);
  return { cell, last: () => set.at(-1) };
}

test("a column of new values with an empty one among them stays beside its old values", () => {
  const { cell, last } = changes(["Fen", "Dael", "Bay"].map((old) => ({ old, new: "" })));
  assert.ok(paste(cell("New value 1"), "Fen Hub\n\nBay End\n"));
  assert.deepEqual(last(), [
    { old: "Fen", new: "Fen Hub" },
    { old: "Dael", new: "" },
    { old: "Bay", new: "Bay End" },
  ]);
  paste(cell("Old value 4"), 'Moor\t"Moor\nside"\n\t\nMill\t');
  assert.deepEqual(last().slice(3), [
    { old: "Moor", new: "Moor\nside" },
    { old: "Mill", new: "" },
  ]);
});

async function recode(values, { distinct = values.length, draft = [], settings = {} } = {}) {
  const { answerBy } = await import("./world.js");
  answerBy((path) => {
    const search = new URL(path, "http://x").searchParams.get("search");
    const found = values.filter(([value]) => !search || String(value).includes(search));
    return { values: found, distinct, found: found.length };
  });
  const set = [];
  const frame = {
    kind: {
      ports: [{ name: "table", main: true }],
      schema: { properties: { others: { labels: [["keep", "keep them"]] } } },
    },
    get main() {
      return this.incoming.table;
    },
    incoming: { table: { known: true, key: "k", output: "", columns: [{ name: "Hub" }] } },
    settings: { column: "Hub", changes: draft, others: "keep", ...settings },
    studio: { flow: 1 },
    about: document.createElement("p"),
    set: (now) => set.push(structuredClone(now)),
  };
  const work = new Work(frame);
  document.querySelector("main").replaceChildren(work.element);
  await new Promise((done) => setTimeout(done, 5));
  return { work, frame, last: () => set.at(-1) };
}

test("the desk of recodes says how many values have no change, of those that it looked at", async () => {
  const { frame, work } = await recode(
    [
      ["Fen", 9],
      ["Dael", 3],
      [null, 2],
      ["Bay", 1],
    ],
    { draft: [{ old: "Dael", new: "Dale" }] },
  );
  assert.equal(frame.about.textContent, "3 values. 2 have no change.", "an empty cell is no value");
  work.search = "Fen";
  await work.load();
  assert.equal(frame.about.textContent, "3 values. 2 have no change.", "whatever is searched for");
  const many = await recode(
    [
      ["Fen", 9],
      ["Dael", 3],
    ],
    { distinct: 5000 },
  );
  assert.equal(
    many.frame.about.textContent,
    "5,000 values. 2 of the 2 most frequent have no change.",
  );
});

test("a change says how many rows it meets, by the way in which values are compared", async () => {
  const { work, last } = await recode(
    [
      ["Fen", 9],
      ["Dael", 3],
    ],
    {
      draft: [
        { old: " DAEL", new: "Dale" },
        { old: "Moor", new: "" },
      ],
      settings: { ignore_case: true, ignore_blanks: true },
    },
  );
  const said = () => [...work.table.querySelectorAll("li .n")].map((one) => one.textContent);
  assert.deepEqual(said(), ["3 rows", "no row"]);
  work.frame.settings.ignore_case = false;
  work.drawChanges();
  assert.deepEqual(said(), ["no row", "no row"]);
  work.add("Fen");
  assert.equal(document.activeElement.getAttribute("aria-label"), "New value of change 3");
  type(document.activeElement, "Fen Hub");
  assert.deepEqual(last().changes.at(-1), { old: "Fen", new: "Fen Hub" });
  paste(work.table.querySelector('[aria-label="New value of change 1"]'), "Dale\n\nFen");
  assert.deepEqual(
    last().changes.map((one) => one.new),
    ["Dale", "", "Fen"],
    "an empty cell keeps its line",
  );
});
