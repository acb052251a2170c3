/**
 * Charts and bands: what is drawn is what was counted, and what is clicked is the mark that is
 * drawn there.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS } from "./world.js";

const { drawChart, ticks, figure } = await import(`${JS}charts.js`);
const { bandsPicture } = await import(`${JS}wide/join_bands.js`);

function draw(asked, found) {
  const opened = [];
  const drawn = drawChart(asked, { series: [""], ...found }, (mark) => opened.push(mark));
  document.querySelector("main").replaceChildren(drawn);
  const marks = [...drawn.querySelectorAll("[data-mark]")];
  return { drawn, marks, opened };
}
const numbers = (element, ...names) => names.map((name) => Number(element.getAttribute(name)));
const titles = (marks) => marks.map((mark) => mark.querySelector("title").textContent);
const click = (element) => element.dispatchEvent(new window.MouseEvent("click", { bubbles: true }));

test("ticks are round, rise, lie within, and are few", () => {
  let seed = 3;
  const next = () => {
    seed = (seed * 1103515245 + 12345) % 2147483648;
    return seed / 2147483648;
  };
  for (let round = 0; round < 500; round += 1) {
    const low = (next() - 0.5) * 10 ** Math.floor(next() * 12 - 4);
    const high = low + next() * 10 ** Math.floor(next() * 12 - 4);
    if (!(high > low)) continue;
    const found = ticks(low, high);
    assert.ok(found.length && found.length <= 7, `${low} to ${high}: ${found}`);
    if (high - low > Math.abs(low) / 1e9)
      assert.ok(found.length > 1, `${low} to ${high}: ${found}`);
    const step = (high - low) / 1e6;
    assert.ok(
      found.every((at) => at >= low - step && at <= high + step),
      `${found}`,
    );
    assert.ok(found.every((at, n) => !n || at > found[n - 1]));
  }
  assert.deepEqual(ticks(0, 10), [0, 2, 4, 6, 8, 10]);
  assert.deepEqual(ticks(-3, 7), [-2, 0, 2, 4, 6]);
  assert.deepEqual(ticks(4, 4), [4], "of one value there is one");
  assert.ok(ticks(2 ** 60, 2 ** 60 + 512).length, "numbers that hardly differ come to an end");
});

test("figures have the digits that were counted", () => {
  assert.equal(figure(1234567.5), "1,234,567.5");
  assert.equal(figure(0.1 + 0.2), "0.3");
  assert.equal(figure(1234567890123), "1,234,567,890,123");
  assert.equal(figure(0.00012), "0.00012");
  assert.equal(figure(null), "empty");
  assert.equal(figure(-3), "-3");
});

test("bars are as long as what they stand for, to both sides of zero, and say it", () => {
  const marks = [
    { label: "Fen", y: 40, rows: 4 },
    { label: "Dale", y: -20, rows: 1 },
    { label: "Bay", y: 0, rows: 2 },
    { label: "Moor", y: null, rows: 3 },
  ];
  const { marks: drawn, opened } = draw(
    { shape: "bars", figure: "sum", x: "Hub", y: "Kg" },
    { marks },
  );
  const [fen, dale, bay, moor] = drawn.map((bar) => numbers(bar, "x", "width"));
  assert.ok(Math.abs(fen[1] - 2 * dale[1]) < 0.01, "twice as much is twice as long");
  assert.ok(Math.abs(dale[0] + dale[1] - fen[0]) < 0.01, "both begin at zero");
  assert.deepEqual([bay[1], moor[1]], [1, 1], "nothing is still to be seen, and to be clicked");
  assert.deepEqual(titles(drawn), [
    "Fen: 40 (4 rows)",
    "Dale: -20 (1 row)",
    "Bay: 0 (2 rows)",
    "Moor: empty (3 rows)",
  ]);
  click(drawn[1]);
  assert.equal(opened[0], marks[1]);
});

test("a histogram's columns stand side by side, as high as their rows", () => {
  const marks = [
    { label: "0 to 10", x: 0, to: 10, y: 6, rows: 6 },
    { label: "10 to 20", x: 10, to: 20, y: 0, rows: 0 },
    { label: "20 to 40", x: 20, to: 40, y: 3, rows: 3 },
  ];
  const { marks: drawn, opened } = draw(
    { shape: "histogram", figure: "rows", x: "Kg" },
    { marks, kind: "number", upward: "number" },
  );
  const [a, b, c] = drawn.map((bar) => numbers(bar, "x", "width", "height", "y"));
  assert.ok(Math.abs(a[2] - 2 * c[2]) < 0.01);
  assert.equal(b[2], 0, "where no row is, nothing stands");
  assert.ok(Math.abs(a[3] + a[2] - (c[3] + c[2])) < 0.01, "all stand on one line");
  assert.ok(Math.abs(c[1] + 1 - 2 * (a[1] + 1)) < 0.01, "twice the range is twice as wide");
  click(drawn[2]);
  assert.equal(opened[0], marks[2]);
});

test("points lie where their values are; those far from the others are marked otherwise", () => {
  const marks = [
    { label: "1, 1", x: 1, y: 1, rows: 1, series: 0 },
    { label: "3, 5", x: 3, y: 5, rows: 2, series: 1 },
    { label: "2, 3", x: 2, y: 3, rows: 1, series: 0, far: true },
  ];
  const {
    drawn,
    marks: dots,
    opened,
  } = draw(
    { shape: "scatter", x: "Sown", y: "Kg", by: "Hub" },
    { marks, series: ["Fen", ""], kind: "number", upward: "number" },
  );
  const [one, two, far] = dots.map((dot) => numbers(dot, "cx", "cy"));
  assert.ok(Math.abs((one[0] + two[0]) / 2 - far[0]) < 0.01 && two[1] < far[1] && far[1] < one[1]);
  assert.notEqual(dots[2].getAttribute("stroke"), "none");
  assert.deepEqual(titles(dots), ["1, 1: 1 row", "3, 5: 2 rows", "2, 3: 1 row"]);
  const words = [...drawn.querySelectorAll("text")].map((one) => one.textContent);
  assert.ok(words.includes("Fen") && words.includes("empty"), "each series is named");
  for (const dot of dots) click(dot);
  assert.deepEqual(opened, marks);
});

test("lines pass by what is empty, and each dot opens its own mark", () => {
  const day = 86400;
  const marks = [
    { label: "1 May", x: 0, y: 5, rows: 2, series: 0 },
    { label: "1 May", x: 0, y: 1, rows: 1, series: 1 },
    { label: "2 May", x: day, y: null, rows: 1, series: 0 },
    { label: "3 May", x: 2 * day, y: 7, rows: 2, series: 0 },
  ];
  const {
    drawn,
    marks: dots,
    opened,
  } = draw(
    { shape: "line", figure: "mean", x: "Sown", y: "Kg" },
    { marks, series: ["Fen", "Dale"], kind: "date", upward: "number" },
  );
  const paths = [...drawn.querySelectorAll("path")].filter(
    (one) => !one.getAttribute("d").includes(",7 L"),
  );
  assert.equal(paths[0].getAttribute("d").match(/[ML]/g).join(""), "ML");
  assert.equal(dots.length, 3);
  for (const dot of dots) click(dot);
  assert.deepEqual(opened, [marks[0], marks[3], marks[1]]);
  assert.notEqual(
    paths[0].getAttribute("stroke-dasharray"),
    paths[1].getAttribute("stroke-dasharray"),
  );
  assert.equal(drawn.getAttribute("aria-label"), "mean of Kg by Sown");
});

test("what is one value, or none, is drawn without a fault", () => {
  for (const shape of ["bars", "line", "scatter", "histogram"]) {
    const one = { label: "5", x: 5, to: 5, y: 5, rows: 1, series: 0 };
    for (const marks of [[one], []]) {
      const { drawn } = draw({ shape, figure: "rows", x: "Kg", y: "Kg" }, { marks });
      assert.ok(!drawn.outerHTML.includes("NaN") && !drawn.outerHTML.includes("Infinity"), shape);
    }
  }
});

const MET = {
  left: 100,
  right: 60,
  met: 80,
  met_other: 45,
  pairs: 130,
  several: 20,
  several_other: 5,
  worst: [
    [["Fen", "a"], 4, 9],
    [["Dale", "b"], 2, 3],
  ],
}; // prettier-ignore

function bands(met = {}, ticks = [1, 1, 0]) {
  const ticked = [];
  const made = bandsPicture(
    { ...MET, ...met },
    { names: ["Orders", "Lots"], ticks, tick: (at) => ticked.push(at) },
  );
  document.querySelector("main").replaceChildren(made);
  const label = (place) => made.querySelector(`.band-label.at-${place}`).textContent;
  return { made, ticked, label };
}

test("the bands say how many rows of each side meet, and what comes out of them", () => {
  const { made, ticked, label } = bands();
  assert.equal(label("middle"), "80 meet 45 130 rows come out");
  assert.equal(label("left"), "20 without a partner come out");
  assert.equal(label("right"), "15 without a partner left out");
  assert.match(
    made.textContent,
    /20 rows meet several, most by Fen, a \(4 × 9\); Dale, b \(2 × 3\)/,
  );
  made.querySelectorAll("input")[1].click();
  assert.equal(ticked.length, 1);
  const boxes = [...made.querySelectorAll("input")].map((one) => [one.dataset.tick, one.checked]);
  assert.deepEqual(Object.fromEntries(boxes)["2"], false);
});

test("bars are as high as their rows, and a few rows are still seen", () => {
  const { made } = bands({ met: 99, met_other: 59, right: 60 });
  const bars = [...made.querySelectorAll("rect")].map((bar) => numbers(bar, "height")[0]);
  assert.ok(bars.every((high) => high >= 12));
  assert.ok(Math.max(...bars) <= 150);
  const none = bands({ met: 0, met_other: 0, pairs: 0, several: 0 });
  assert.equal(
    none.made.querySelectorAll("path").length,
    0,
    "where nothing meets there is no band",
  );
  assert.equal(none.label("middle"), "0 meet 0 0 rows come out");
  const empty = bands({ left: 0, right: 0, met: 0, met_other: 0, pairs: 0, several: 0 });
  assert.ok(!empty.made.outerHTML.includes("NaN"));
});
