/** Steps are added, removed, taken back and forth: what was only tried is never lost to it. */
import assert from "node:assert/strict";
import { test } from "node:test";
import { JS, notices } from "./world.js";

const { steps } = await import(`${JS}parts/steps.js`);
const { sources } = await import(`${JS}sources.js`);
const { picking } = await import(`${JS}parts/picking.js`);

function studio(more = {}) {
  const done = [];
  const open = new Map();
  const made = Object.create({ ...steps, ...sources, ...picking });
  const { edits: refuse, ...rest } = more;
  Object.assign(made, {
    done,
    selected: "b",
    output: "",
    state: {
      steps: {
        a: { id: "a", label: "Orders", role: "source", settings: {} },
        b: { id: "b", label: "Tidy", role: "step", main: "a", settings: {} },
        c: { id: "c", label: "Write", role: "output", main: "b", settings: {} },
      },
    },
    course: { order: () => ["a", "b", "c"], focus: (id) => done.push(["focus", id]) },
    drafts: {
      has: (id) => open.has(id),
      get: (id) => open.get(id),
      delete: (id) => open.delete(id),
      putBack: (id, settings) => open.set(id, settings),
      settings: (id) => open.get(id) ?? made.state.steps[id].settings,
      change: (id, some) => open.set(id, { ...open.get(id), ...some }),
      clear: () => open.clear(),
    },
    flowState: {
      go: async (where) => {
        done.push(["go", where]);
        return true;
      },
    },
    flowDesk: { revisions: () => done.push(["revisions"]) },
    desk: { view: "step", fold: () => {} },
    stepDesk: { form: null },
    kindFor: (what) => ({ kind: `kind_of_${what}`, title: what, starting: { begun: true } }),
    applyDraft: async () => {
      if (open.size) done.push(["applied", ...open.keys()]);
      open.clear();
    },
    dropDraft: () => {
      done.push(["put back"]);
      open.delete(made.selected);
    },
    takeAgain: async () => false,
    reselect: async () => done.push(["shown", made.selected]),
    adding: Promise.resolve(),
    turnTo: async (id) => {
      made.selected = id;
      done.push(["selected", id]);
      return true;
    },
    enter: async () => done.push(["shown", made.selected]),
    select: async (id) => {
      made.selected = id;
      done.push(["selected", id]);
    },
    look: async () => {},
    edit: async (some, sentence) => {
      done.push(["edit", ...structuredClone(some), ...(sentence ? [sentence] : [])]);
      return refuse ? null : { added: ["new"] };
    },
    ...rest,
  });
  return { made, done, open };
}

test("a step that is removed gives its place to the table before it; one that cannot be removed keeps what was tried", async () => {
  const { made, done } = studio();
  await made.remove("b");
  assert.deepEqual(done, [
    ["edit", { op: "remove", id: "b" }],
    ["shown", "a"],
    ["focus", "a"],
  ]); // prettier-ignore
  const refused = studio({ edits: "refused" });
  refused.open.set("b", { case: "upper" });
  await refused.made.remove("b");
  assert.equal(refused.made.selected, "b");
  assert.deepEqual(refused.open.get("b"), { case: "upper" });
  const other = studio();
  await other.made.remove("c");
  assert.equal(other.made.selected, "b", "another than the selected one is removed beside it");
});

test("undo puts back what is tried; redo and going back to a revision do not lose it", async () => {
  const { made, done, open } = studio();
  open.set("b", { case: "upper" });
  await made.step("undo");
  assert.deepEqual(done.splice(0), [["put back"]]);
  await made.step("undo");
  assert.deepEqual(done.splice(0), [
    ["go", "undo"],
    ["shown", "b"],
  ]); // prettier-ignore
  open.set("b", { case: "upper" });
  await made.step("redo");
  assert.deepEqual(done.splice(0), [], "nothing is redone over it");
  assert.ok(open.has("b"));
  assert.ok(notices().some((one) => one.startsWith("“Tidy” is only tried")));
  await made.goTo(3);
  // prettier-ignore
  assert.deepEqual(done, [["applied", "b"], ["go", "revisions/3"], ["revisions"]]);
});

test("a draft that cannot be applied stays, and no older revision takes its place", async () => {
  const { made, done, open } = studio({ applyDraft: async () => {} });
  open.set("b", { case: "upper" });
  await made.goTo(3);
  assert.deepEqual([done.length, open.has("b")], [0, true]);
});

test("a new step goes behind the selected one, before an output, or behind the side that is looked at", async () => {
  const { made } = studio();
  assert.equal(made.place(), "b");
  made.selected = "c";
  assert.equal(made.place(), "b", "nothing stands behind an output");
  made.selected = "b";
  made.output = "rejected";
  assert.equal(made.place(), "b.rejected");
  assert.equal(made.follower(), "");
  made.output = "";
  assert.equal(made.follower(), "Write");
});

const ASKS = {
  kind: "tidy",
  role: "step",
  starting: { case: "keep" },
  ports: [{ name: "table", main: true }],
  schema: {
    properties: { other: { widget: "column", port: "reference" }, columns: { widget: "columns" } },
  },
};

test("a new step begins with the column that is looked at, where it may", async () => {
  const { made, done } = studio();
  made.table = { columns: [{ name: "Hub", kind: "text" }] };
  made.desk.view = "column";
  made.columnDesk = { name: "Hub" };
  await made.add(ASKS);
  const added = done.find(([what]) => what === "edit")[1];
  assert.deepEqual(added.step.settings, { case: "keep", columns: { by: "names", names: ["Hub"] } });
  assert.deepEqual([added.after, added.insert], ["b", true]);
  const numbers = structuredClone(ASKS);
  numbers.schema.properties.columns.kind = "number";
  assert.deepEqual(made.begunWith(numbers), {}, "a column of another type is none of its own");
  made.desk.view = "step";
  assert.deepEqual(made.begunWith(ASKS), {});
});

test("of two steps that are added at once, the second goes behind the first", async () => {
  const { made, done } = studio();
  const ids = ["first", "second"];
  made.edit = async ([edit]) => {
    await new Promise((ready) => setTimeout(ready, 5));
    const id = ids.shift();
    made.state.steps[id] = { id, role: "step", main: edit.after, settings: {} };
    done.push(["edit", edit]);
    return { added: [id] };
  };
  await Promise.all([made.add(ASKS), made.add(ASKS)]);
  const added = done.filter(([what]) => what === "edit").map(([, { after }]) => after);
  assert.deepEqual(added, ["b", "first"]);
});

test("a step that is refused does not hold up the next one", async () => {
  const { made, done } = studio();
  const { edit } = made;
  made.edit = async () => null;
  await made.add(ASKS);
  made.edit = edit;
  await made.add(ASKS);
  assert.deepEqual(done.at(-1), ["shown", "new"]);
});

test("the order that is looked at becomes a step, and an output keeps its place", async () => {
  const { made, done } = studio();
  made.grid = { view: { sort: "Kg", desc: true } };
  await made.keepOrder();
  const [, edit] = done.find(([what]) => what === "edit");
  assert.deepEqual(edit.step.settings.order, [{ column: "Kg", down: true }]);
  assert.equal(edit.insert, true);
  assert.deepEqual(done.at(-1), ["selected", "new"]);
  made.selected = "c";
  await made.keepOrder();
  assert.equal(done.filter(([what]) => what === "edit")[1][1].insert, false);
});

test("pasted cells are a table; their first row names the columns where it can be names", async () => {
  const { made, done } = studio();
  const pasted = async (text) => {
    done.length = 0;
    const taken = await made.paste(text);
    return taken && done.find(([what]) => what === "edit")[1].step.settings;
  };
  assert.equal(await pasted("one"), false, "one cell is a text, not a table");
  assert.deepEqual(await pasted("Hub\tKg\nFen\t2"), {
    columns: ["Hub", "Kg"],
    rows: [["Fen", "2"]],
  });
  assert.deepEqual((await pasted("Fen\t2\nDale\t3")).columns, ["Column 1", "Column 2"]);
  assert.deepEqual(
    (await pasted("Hub\tHub\na\tb")).rows.length,
    2,
    "names that come again are none",
  );
  assert.deepEqual((await pasted("a\tb")).rows, [["a", "b"]]);
});

const KEY = { keys: ["Lot"], rows: [{ key: ["1"] }] };

function picker(settings, rows) {
  const { made, done, open } = studio();
  made.kindFor = () => ({
    kind: "pick_rows",
    title: "Pick rows",
    starting: { rows: [], keys: [] },
  });
  Object.assign(made.state.steps.b, {
    kind: settings ? "pick_rows" : "tidy",
    settings: settings ?? {},
  });
  made.table = {
    rows: 3,
    columns: [
      { name: "Lot", kind: "text" },
      { name: "Ok", kind: "yes_no" },
    ],
  };
  made.grid = {
    address: () => "/rows",
    focus: () => {},
    facts: new Map([["Ok", { name: "Ok", distinct: 2 }]]),
  };
  globalThis.fetch = async () => ({
    ok: true,
    status: 200,
    json: async () => ({ rows }),
    headers: { get: () => null },
  });
  return { made, done, open };
}

test("rows are picked by their key, left when all of them were picked, and never twice", async () => {
  const { made, open } = picker(KEY, [
    ["2", true],
    ["1", false],
  ]);
  await made.pickRows(0, 1);
  assert.deepEqual(open.get("b").rows, [{ key: ["2"] }, { key: ["1"] }]);
  await made.pickRows(0, 1);
  assert.deepEqual(open.get("b").rows, [], "picked once more they are left");
  const fresh = picker(null, [["2", true]]);
  await fresh.made.pickRows(1, 1);
  const [, edit] = fresh.done.find(([what]) => what === "edit");
  assert.deepEqual(edit.step.settings, { rows: [{ key: ["2", "yes"] }], keys: ["Lot", "Ok"] });
  fresh.made.selected = "b";
  await fresh.made.pickRows(0, 5000);
  assert.ok(notices().some((one) => one.startsWith("5,001 rows are more than are picked by hand")));
});

test("of several files those that can be taken are brought in, and each that cannot is told", async () => {
  const { made, done } = studio();
  made.shown = { busy: (yes) => done.push(["busy", yes]) };
  const asked = [];
  globalThis.fetch = async (_, { body }) => {
    const { name } = body.get("file");
    asked.push(name);
    const ok = name !== "b.xlsx";
    const said = ok
      ? { path: name, columns: [name] }
      : { problem: { text: "“b.xlsx” is damaged.", code: "" } };
    return { ok, status: ok ? 200 : 400, json: async () => said, headers: { get: () => null } };
  };
  const files = ["a.csv", "b.xlsx", "c.csv"].map((name) => new File(["x"], name));
  assert.equal(await made.bringIn(files), "c.csv");
  assert.deepEqual(asked, ["a.csv", "b.xlsx", "c.csv"]);
  const added = done.filter(([what]) => what === "edit").map(([, edit]) => edit.step.settings.path);
  assert.deepEqual(added, ["a.csv", "c.csv"]);
  assert.ok(notices().includes("“b.xlsx” is damaged."));
  done.length = 0;
  assert.equal(await made.bringIn([files[1]]), null);
  assert.deepEqual(done, [
    ["busy", true],
    ["busy", false],
  ]); // prettier-ignore
});
