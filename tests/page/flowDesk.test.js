/** The desk of the flow itself: where its runs are computed. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { answerBy, asked, JS } from "./world.js";

const { FlowDesk } = await import(`${JS}desk/flow.js`);

/**
 * The desk of a flow that is computed there, as it shows with these clusters; and the edits it
 * makes.
 */
async function shown(computed_on, clusters, gathered = []) {
  const edits = [];
  const body = document.querySelector("main");
  const course = { stops: [] };
  const state = {
    name: "March",
    note: "",
    parameters: [],
    revision: 1,
    course,
    computed_on,
    gathered,
  };
  const studio = { state, flow: "f", act: {}, edit: (list) => edits.push(...list) };
  const show = (_, { title, body: parts }) => body.replaceChildren(title, ...parts);
  answerBy(() => ({ connections: clusters }));
  new FlowDesk(studio, { show }).show();
  await new Promise((done) => setTimeout(done, 5));
  const list = body.querySelector("#flow-computed-on");
  return { list, body, edits, options: [...(list?.options ?? [])].map((one) => one.textContent) };
}

const BARN = { name: "Barn", kind: "cluster", where: "spark://barn:7077" };

test("where there is no cluster, nothing is asked of the person", async () => {
  const { list } = await shown("", []);
  assert.equal(list, null);
  assert.equal(asked.at(-1)[1], "/api/connections?kind=cluster");
});

test("clusters are offered beside this machine, and the choice becomes one edit", async () => {
  const { list, edits, options } = await shown("", [BARN]);
  assert.deepEqual(options, ["this machine", "Barn (spark://barn:7077)"]);
  assert.equal(list.value, "");
  assert.ok(!list.closest("[hidden]"));
  list.value = "Barn";
  list.dispatchEvent(new window.Event("change", { bubbles: true }));
  assert.deepEqual(edits, [{ op: "describe", computed_on: "Barn" }]);
});

test("steps that the cluster cannot help with are named before any run", async () => {
  const { body } = await shown(
    "Barn",
    [BARN],
    ["“Sorted” (Sort rows) works on all of its rows at once."],
  );
  const told = [...body.querySelectorAll(".gathered li")].map((one) => one.textContent);
  assert.deepEqual(told, ["“Sorted” (Sort rows) works on all of its rows at once."]);
  assert.equal((await shown("Barn", [BARN])).body.querySelector(".gathered"), null);
});

test("a cluster whose connection is gone stays chosen, and says so", async () => {
  const { list, edits, options } = await shown("Byre", [BARN]);
  assert.equal(list.value, "Byre");
  assert.equal(options.at(-1), "Byre (there is no such connection)");
  list.value = "";
  list.dispatchEvent(new window.Event("change", { bubbles: true }));
  assert.deepEqual(edits, [{ op: "describe", computed_on: "" }], "and this machine can be taken");
});
