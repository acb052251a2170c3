/** The profile says which rows its figures are of: those of a sample, or all once a run counted them. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, asked, JS, notices } from "./world.js";

const { ProfileDesk } = await import(`${JS}desk/profile.js`);

const soon = (ms = 20) => new Promise((done) => setTimeout(done, ms));
const column = (rows) => ({
  name: "Bed",
  kind: "whole",
  rows,
  empty: 0,
  blank_only: 0,
  odd: 0,
  listed: true,
  most: [
    ["4", 0.7 * rows],
    ["2", 0.3 * rows],
  ],
});
const profile = (rows, run) => ({
  columns: ["Column"],
  rows: [["Bed"]],
  profiles: [column(rows)],
  run,
});

/** The profile of a table whose sample has 625 of 10,000 rows, and what the server knows of a run. */
async function shown(run = null, sample = "1 row in 16") {
  const server = { run };
  answerBy((path) => {
    if (path.startsWith("/api/runs/r1/values?column=Bed"))
      return { values: column(10000).most, distinct: 2, found: 2, rows: 10000, highest: 7000 };
    if (path.startsWith("/api/runs/r1/profile")) return profile(10000, server.run);
    if (path.startsWith("/api/runs/r1")) return server.run;
    if (asked.at(-1)[0] === "POST")
      server.run = { id: "r1", status: "running", progress: server.progress };
    if (asked.at(-1)[0] === "POST") return { id: "r1" };
    return profile(625, server.run?.status === "failed" ? null : server.run);
  });
  const main = document.querySelector("main");
  const desk = {
    view: "profile",
    fold() {},
    show(_view, { title, summary, body, foot }) {
      main.replaceChildren(title, " ", summary, ...body, ...(foot ?? []));
    },
  };
  const studio = {
    table: { key: "k", step: "beds", output: "", sample, columns: [column(0)] },
    focus: { nothing: true },
    grid: { length: 625 },
    state: { name: "March", steps: { beds: { label: "Beds" } } },
    selected: "beds",
    flow: "f",
    act: {},
    async applyDraft() {},
  };
  const made = new ProfileDesk(studio, desk);
  await made.show();
  const press = async (text) => {
    [...main.querySelectorAll("button")].find((one) => one.textContent === text).click();
    await soon();
  };
  return { made, main, server, press, about: () => main.querySelector(".profile-about") };
}

test("all rows of a sampled table are profiled by a run, which is watched to its end", async () => {
  const { made, main, server, press, about } = await shown();
  assert.match(main.textContent, /^The sample 625 rows/);
  assert.match(made.address("csv"), /tables\/k\/profile.*a\+sample/);
  server.progress = { total: 4, steps: { beds: { rows_out: 1 }, tidy: null } };
  await press("Profile all rows");
  assert.deepEqual(asked.find(([method]) => method === "POST").slice(1), [
    "/api/flows/f/tables/k/profile",
    { step: "beds", output: "" },
  ]);
  assert.match(about().textContent, /^Profiling all rows: 1 of 4 steps/);
  assert.match(
    main.textContent,
    /^The sample 625 rows/,
    "which is what the figures are of meanwhile",
  );
  server.run = { id: "r1", status: "ok" };
  await soon(1100);
  assert.match(main.textContent, /^The whole table 10,000 rows/);
  assert.match(main.textContent, /Most often: 4 \(7,000\), 2 \(3,000\)/);
  assert.match(made.address("csv"), /runs\/r1\/profile/);
  assert.doesNotMatch(made.address("csv"), /sample/);
  main.querySelector(".profile-open").click();
  await soon();
  assert.match(main.textContent, /^The whole table 10,000 rows/);
  assert.deepEqual(
    [...main.querySelectorAll(".value")].map((one) => one.textContent),
    ["47,00070.0 %", "23,00030.0 %"],
  );
  assert.equal(
    main.querySelector(".value-list input[type=checkbox]"),
    null,
    "nothing is chosen by it",
  );
  await press("All columns");
  await press("Show the sample");
  assert.match(main.textContent, /^The sample 625 rows/);
  assert.match(made.address("csv"), /tables\/k\/profile/);
  await press("Show all rows");
  assert.match(main.textContent, /^The whole table 10,000 rows/);
});

test("a run that does not finish is told, and can be begun again", async () => {
  const { server, about } = await shown({ id: "r1", status: "running", progress: {} });
  assert.match(about().textContent, /^Profiling all rows/, "one that is under way is watched");
  server.run = { id: "r1", status: "failed", report: { error: { text: "The disk is full." } } };
  await soon(1100);
  assert.ok(
    notices().some((text) => text.includes("Not all rows were profiled: The disk is full.")),
  );
  assert.match(about().textContent, /^Figures of the sample\. Profile all rows/);
});

test("of a table that is all there nothing is said, whatever a run counted", async () => {
  const { main, about } = await shown({ id: "r1", status: "ok" }, "");
  assert.ok(about().hidden && !about().textContent);
  assert.match(main.textContent, /^The whole table 625 rows/);
});
