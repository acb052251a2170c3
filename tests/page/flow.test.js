/**
 * The flow as the server has it: edits one after another, each on the revision that the one before
 * made.
 */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answer, asked, JS, notices } from "./world.js";

const { FlowState } = await import(`${JS}state/flow.js`);
const { api, ProblemError } = await import(`${JS}api.js`);

const state = (revision, more = {}) => ({ id: "f", revision, pending: false, ...more });
const problem = (code, text = "It is so.") => ({ problem: { code, text } });

test("two edits at once go one after another, the second on what the first made", async () => {
  const flow = new FlowState(state(3));
  let first;
  answer(new Promise((done) => (first = done)), [200, state(5)]);
  const both = [flow.edit([{ op: "one" }]), flow.edit([{ op: "two" }], "Did both")];
  await new Promise((done) => setTimeout(done, 5));
  assert.equal(asked.length, 1, "the second waits");
  first([200, state(4)]);
  await Promise.all(both);
  assert.deepEqual(
    asked.map(([, , body]) => body.revision),
    [3, 4],
  );
  assert.equal(asked[1][2].sentence, "Did both");
  assert.equal(flow.now.revision, 5);
});

test("an edit that came too late is told, the flow is taken anew, and the next edit goes", async () => {
  const flow = new FlowState(state(3));
  const shown = [];
  flow.shown = async (now) => shown.push(now.revision);
  answer([409, problem("stale", "Another window changed it.")], [200, state(7)], [200, state(8)]);
  assert.equal(await flow.edit([{ op: "one" }]), null);
  assert.ok(notices().includes("Another window changed it."));
  assert.deepEqual(shown, [7]);
  assert.equal((await flow.edit([{ op: "two" }])).revision, 8);
  assert.equal(asked.at(-1)[2].revision, 7);
});

test("an edit that is refused leaves the flow, and does not stop the next", async () => {
  const flow = new FlowState(state(3));
  answer([422, problem("bad_setting", "No such column.")], [200, state(4)]);
  assert.equal(await flow.edit([{ op: "one" }]), null);
  assert.equal(flow.now.revision, 3);
  assert.equal((await flow.edit([{ op: "two" }])).revision, 4);
});

test("while stops are computed it asks again, and takes no answer about another revision", async () => {
  const flow = new FlowState(state(3));
  const shown = [];
  flow.shown = async (now) => shown.push([now.revision, now.pending]);
  answer([200, state(2)], [200, state(3)]);
  await flow.take(state(3, { pending: true }));
  await new Promise((done) => setTimeout(done, 450));
  assert.deepEqual(shown, [[3, true]], "an old answer is not shown");
  clearTimeout(flow.timer);
});

test("what takes its time is asked for until it is there", async () => {
  answer([202, { waiting: "Two before you" }], [202, {}], [200, { rows: 5 }]);
  assert.deepEqual(await api("/api/x"), { rows: 5 });
  assert.equal(asked.length, 3);
  assert.equal(document.getElementById("busy-text").textContent, "Two before you");
});

test("what goes wrong is a sentence, whether the server says it, fails, or is gone", async () => {
  answer([422, problem("x", "No such file.")], [500, null]);
  await assert.rejects(
    api("/api/x"),
    (error) => error instanceof ProblemError && error.message === "No such file.",
  );
  await assert.rejects(api("/api/x"), /Something went wrong/);
  await assert.rejects(api("/api/x"), /does not answer.*Nothing is lost/);
});
