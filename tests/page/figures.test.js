/**
 * What is said in figures: no number but zero is 0, only all is 100 %, and a count opens what it
 * counts.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, JS } from "./world.js";

const { writer } = await import(`${JS}numbers.js`);
const { share } = await import(`${JS}dom.js`);
const { exact, short } = await import(`${JS}desk/profile.js`);
const { ColumnDesk } = await import(`${JS}desk/column.js`);
const { Focus } = await import(`${JS}focus.js`);

const soon = (ms = 5) => new Promise((done) => setTimeout(done, ms));

test("a number near zero keeps its figures, and a large one all of them", () => {
  const plain = writer(12, false);
  assert.equal(plain(3.2e-14), "0.000000000000032");
  assert.equal(plain(-4e-9), "-0.000000004");
  assert.equal(plain(0), "0");
  assert.equal(plain(1234567.25), "1234567.25");
  assert.equal(writer(12, true)(1234567.25), "1,234,567.25");
  assert.equal(plain(0.1 + 0.2), "0.3");
  assert.equal(exact(5e-17), "0.00000000000000005");
  assert.equal(exact(null), "none");
  assert.equal(short(undefined), "none");
  assert.equal(short(0.0000012345678), "0.00000123457");
  let seed = 5;
  for (let round = 0; round < 2000; round += 1) {
    seed = (seed * 1103515245 + 12345) % 2147483648;
    const number = ((seed % 20001) - 10000) * 10 ** (((seed >> 8) % 22) - 14);
    for (const written of [plain(number), exact(number), short(number)]) {
      assert.equal(written === "0" || written === "-0", number === 0, `${number}: ${written}`);
      assert.ok(
        Math.abs(Number(written) - number) <= Math.abs(number) * 1e-5,
        `${number}: ${written}`,
      );
    }
  }
});

test("only nothing is 0 % and only all is 100 %", () => {
  assert.deepEqual(
    [0, 0.00001, 0.0123, 0.25, 0.994, 0.99951, 1].map((one) => share(one)),
    ["0 %", "<0.1 %", "1.2 %", "25 %", "99.4 %", ">99.9 %", "100 %"],
  );
  for (let n = 1; n < 5000; n += 1) {
    for (const said of [share(n / 5000), share(n / 5000, true)])
      assert.ok(!["0 %", "0.0 %", "100 %", "100.0 %"].includes(said), `${n} of 5000: ${said}`);
  }
});

const WAYS = [
  { key: "empty", label: "empty", rows: 20, rule: { of: ["empty"] } },
  { key: "odd", label: "odd", rows: 0, rule: { of: [] } },
  { key: "zeros", label: "zero", rows: 3, rule: { of: ["zero"] } },
];
const FOUND = {
  rows: 1020,
  distinct: 40,
  ways: WAYS,
  patterns: [
    { pattern: "A9", words: "letter, digit", test: "shape", rows: 10, example: "A1" },
    { pattern: "a", words: "letters", test: "shape", rows: 490, example: "fen" },
  ],
};

async function desk(kind, found, pair = null) {
  const focus = new Focus();
  const shown = [];
  const studio = {
    flow: 4,
    table: {
      key: "k",
      output: "",
      columns: [
        { name: "Hub", kind, kind_title: kind },
        { name: "Lot", kind: "text", kind_title: "text" },
      ],
    },
    focus,
    grid: { apart: () => false, setApart: () => {}, sort: () => {}, freeze: () => {} },
    act: { chooseColumn: () => {} },
    setFocus: (change) => {
      change(focus);
      shown.push(structuredClone(focus.chips));
    },
  };
  answerBy((path) => {
    if (path.includes("/pair?")) return pair;
    if (path.includes("/dependencies?"))
      return {
        columns: [
          { column: "Lot", determines: 0.9997, against: 3, determined: 0.5, against_it: 9 },
        ],
      };
    if (path.includes("/values?"))
      return { values: [], found: 0, distinct: 0, highest: 0, rows: 0 };
    return structuredClone(found);
  });
  const place = document.querySelector("main");
  const made = new ColumnDesk(studio, {
    view: "column",
    show: (_, parts) => place.replaceChildren(...parts.body),
  });
  await made.show("Hub");
  await soon();
  const button = (label) =>
    [...place.querySelectorAll("button")].find((one) =>
      (one.getAttribute("aria-label") ?? one.textContent).includes(label),
    );
  return { made, place, button, shown, focus };
}

test("a count opens its rows, and closes them when it is asked again; a count of none opens nothing", async () => {
  const { place, button, shown, focus, made } = await desk("text", FOUND);
  assert.match(place.querySelector(".figures").textContent, /rows1,020distinct40empty20/);
  button("empty: 20 rows").click();
  assert.deepEqual(
    shown.at(-1).map(({ column, rule }) => [column, rule]),
    [["Hub", WAYS[0].rule]],
  );
  await made.refresh();
  assert.equal(button("empty: 20 rows").getAttribute("aria-pressed"), "true");
  button("empty: 20 rows").click();
  assert.equal(focus.chips.length, 0);
  assert.equal(button("odd: 0"), undefined);
});

test("patterns are shares of all texts, also where not all patterns are listed", async () => {
  const { made, place } = await desk("text", FOUND);
  made.open("patterns");
  await soon();
  const said = [...place.querySelectorAll(".pattern .n")].map((one) => one.textContent);
  assert.deepEqual(said, ["10 · 1 %", "490 · 49 %"]);
  assert.match(place.textContent, /500 rows are of other patterns/);
  const whole = { ...FOUND, rows: 520 };
  const other = await desk("text", whole);
  other.made.open("patterns");
  await soon();
  assert.ok(!other.place.textContent.includes("of other patterns"));
});

test("a figure that has rows opens them; one that has none is 0", async () => {
  const found = {
    ...FOUND,
    patterns: undefined,
    numbers: {
      min: 0,
      max: 1e-9,
      q05: 0,
      q25: 0,
      median: 0,
      mean: 2e-10,
      q75: 0,
      q95: 0,
      spread: null,
    },
  };
  const { made, place, button, shown } = await desk("number", found);
  made.open("figures");
  await soon();
  const facts = place.querySelector(".facts").textContent;
  assert.match(facts, /Largest0\.000000001/);
  assert.match(facts, /Negatives0/);
  assert.ok(!facts.includes("Spread"), "what there is none of is not told");
  button("zero: 3 rows").click();
  assert.deepEqual(shown.at(-1)[0].rule, WAYS[2].rule);
});

test("beside another column each cell opens its rows, and exceptions are never of 100 %", async () => {
  const cross = {
    rows: ["Fen", null],
    columns: ["a", "b"],
    counts: [
      [4, 0],
      [1, 2],
    ],
    row_totals: [9, 3],
    more_columns: 2,
    more_rows: 1,
  };
  const { made, place, button, shown } = await desk("text", FOUND, { cross, scatter: null });
  made.open("pair");
  await soon();
  made.other = "Lot";
  await made.refresh();
  await soon();
  assert.match(place.textContent, /Hub determines Lot in >99\.9 % of the rows; not in 3 rows/);
  assert.ok(!/Lot determines Hub/.test(place.textContent), "half of the rows say nothing");
  const rows = [...place.querySelectorAll(".cross tbody tr")].map((one) => one.textContent);
  assert.deepEqual(rows, ["Fen459", "empty1203"]);
  assert.match(place.textContent, /and 1 value of Hub more/);
  button("Hub empty and Lot b: 2 rows").click();
  const chosen = shown.at(-1);
  assert.deepEqual(
    chosen.map(({ label }) => label),
    ["Hub empty", "Lot “b”"],
  );
  button("3 rows").click();
  assert.equal(JSON.parse(shown.at(-1)[0].finding.replace("against:", ""))[1], "Lot");
});
