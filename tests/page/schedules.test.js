/**
 * When a flow runs by itself: what the form says is what is asked for, and nothing is chosen that
 * nobody chose.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answer, asked, JS, notices } from "./world.js";

const { Schedules } = await import(`${JS}schedules.js`);

const soon = () => new Promise((done) => setTimeout(done, 5));
const LINES = [
  {
    id: 1,
    words: "every day at 06:00",
    active: true,
    next: "2026-05-02T04:00Z",
    next_words: "tomorrow",
    said: "held once",
  },
  { id: 2, words: "when a file comes", active: true, watch: "files" },
  { id: 3, words: "on Mondays", active: false, next: null },
]; // prettier-ignore

function page({ schedules = [], mail = [], live = 4 } = {}) {
  document.querySelector("main").innerHTML =
    `<section id="place" data-flow="7" data-revision="5"></section>
     <script type="application/json" id="schedule-state"></script>`;
  document.getElementById("schedule-state").textContent = JSON.stringify({ schedules, live, mail });
  answer();
  const made = new Schedules(document.getElementById("place"));
  const place = document.getElementById("place");
  const button = (text) =>
    [...place.querySelectorAll("button")].find(
      (one) => (one.getAttribute("aria-label") ?? one.textContent.trim()) === text,
    );
  const way = (text) =>
    [...place.querySelectorAll(".pick label")]
      .find((one) => one.textContent === text)
      .querySelector("input")
      .click();
  const field = (name) => place.querySelector(`#schedule-${name}`);
  const type = (name, text) => {
    field(name).value = text;
    field(name).dispatchEvent(new Event(name === "mail" ? "change" : "input", { bubbles: true }));
  };
  const add = async (state = { schedules: LINES }) => {
    answer([200, state]);
    place.querySelector("form").dispatchEvent(new Event("submit", { cancelable: true }));
    await soon();
    return asked.at(-1)?.[2];
  };
  return { made, place, button, way, field, type, add };
}

test("a time of every day, of some days, and a cron expression are asked for as they are shown", async () => {
  const { place, button, way, type, add, made } = page();
  button("Schedule").click();
  made.fresh.zone = "Europe/Oslo";
  type("time", "07:05");
  assert.deepEqual(await add(), { cron: "5 7 * * *", zone: "Europe/Oslo" });
  assert.equal(place.querySelectorAll(".schedules li").length, 3, "what there is now is shown");
  assert.equal(place.querySelector("form"), null);
  button("Schedule").click();
  way("on some days");
  const days = [...place.querySelectorAll(".schedule-days input")];
  days[4].click();
  days[2].click();
  days[0].click();
  assert.deepEqual(await add(), { cron: "5 7 * * 3,5", zone: "Europe/Oslo" });
  button("Schedule").click();
  way("cron");
  type("cron", "*/10 * * * *");
  assert.deepEqual(await add(), { cron: "*/10 * * * *", zone: "Europe/Oslo" });
});

test("what is not said is asked for, and nothing is added meanwhile", async () => {
  const { place, button, way, type, add, field } = page({ mail: ["Store", "Office"] });
  button("Schedule").click();
  way("on some days");
  place.querySelector(".schedule-days input").click(); // Monday is ticked at first
  assert.equal(await add(), undefined);
  assert.equal(place.querySelector("[role=alert]").textContent, "Tick the days on which it runs.");
  place.querySelectorAll(".schedule-days input")[6].click();
  type("time", "");
  await add();
  assert.equal(place.querySelector("[role=alert]").textContent, "Say at what time it runs.");
  type("time", "22:30");
  assert.equal((await add()).cron, "30 22 * * 7");
  button("Schedule").click();
  way("when mail comes");
  assert.equal(field("mail").value, "", "no folder is taken unasked");
  const before = asked.length;
  await add();
  assert.equal(asked.length, before - before, "nothing was asked of the server");
  assert.match(place.textContent, /Choose the mail folder/);
  type("mail", "Office");
  type("subject", "stock");
  assert.deepEqual(await add(), { watch: "mail:Office", sender: "", subject: "stock", name: "" });
});

test("where there is no mail folder, mail is not offered; files need nothing more", async () => {
  const { place, button, way, add } = page();
  button("Schedule").click();
  const ways = [...place.querySelectorAll(".pick label")].map((one) => one.textContent);
  assert.ok(!ways.includes("when mail comes"));
  way("when a file comes");
  assert.equal(place.querySelector("#schedule-time"), null);
  assert.deepEqual(await add(), { watch: "files" });
});

test("each line says when it runs next, and is switched off, on, and deleted by itself", async () => {
  const { place, button } = page({ schedules: LINES });
  const said = [...place.querySelectorAll(".schedules li")].map(
    (one) => one.querySelector(".small").textContent,
  );
  assert.deepEqual(said, ["next tomorrow. held once", "watching", "switched off"]);
  answer([200, { schedules: LINES }], [200, { schedules: LINES }], [200, { schedules: [] }]);
  button("Switch off: every day at 06:00").click();
  await soon();
  button("Switch on: on Mondays").click();
  await soon();
  button("Delete: when a file comes").click();
  await soon();
  assert.deepEqual(
    asked.map(([method, path, body]) => [method, path.split("/schedules")[1], body?.active]),
    [
      ["POST", "/1", false],
      ["POST", "/3", true],
      ["DELETE", "/2", undefined],
    ],
  );
  assert.match(place.textContent, /It runs when somebody runs it/);
});

test("the revision that runs by itself is said, and another is made live on request alone", async () => {
  const { place, button } = page({ schedules: LINES, live: 4 });
  assert.match(place.textContent, /Revision 4 is live/);
  answer([200, { schedules: LINES, live: 5 }]);
  button("Make revision 5 live").click();
  await soon();
  assert.deepEqual(asked.at(-1).slice(1), ["/api/flows/7/schedules/live", { revision: 5 }]);
  assert.match(place.textContent, /Revision 5 is live/);
  assert.equal(button("Make revision 5 live"), undefined);
});

test("a schedule that is refused is told, and the form keeps what was typed", async () => {
  const { place, button, way, type, field } = page();
  button("Schedule").click();
  way("cron");
  type("cron", "99 * * * *");
  answer([400, { problem: { text: "“99 * * * *”: minutes go from 0 to 59." } }]);
  place.querySelector("form").dispatchEvent(new Event("submit", { cancelable: true }));
  await soon();
  assert.equal(field("cron").value, "99 * * * *");
  assert.ok(notices().includes("“99 * * * *”: minutes go from 0 to 59."));
});
