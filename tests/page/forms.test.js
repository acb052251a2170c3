/** The form of every kind of step there is, drawn from the schema that the app sends. */
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { answerBy, JS } from "./world.js";

const { Form, widgets } = await import(`${JS}forms.js`);

/**
 * From tests/page/test_page_modules.py: kind → its schema, the settings that a new step has, its
 * ports.
 */
const KINDS = JSON.parse(readFileSync(process.env.UPDRAFT_KINDS, "utf8"));
const COLUMNS = [
  { name: "Hub", kind: "text" },
  { name: "Grams", kind: "number" },
  { name: "Sown", kind: "date" },
  { name: "a \u202eb", kind: "text" },
];
const context = () => ({
  columns: () => COLUMNS,
  values: async () => ({ values: [["Fen", 3]], total: 1 }),
  formats: async () => [],
  files: () => [{ path: "lots.csv", size: 5 }],
  parameters: () => [{ name: "least", kind: "whole", value: 3 }],
  begun: () => "",
  keys: async () => [],
  rules: async () => ({ rules: [] }),
  reference: async () => null,
  examples: async () => ({ readings: [] }),
  upload: async () => {},
  chosen: () => {},
  edit: async () => {},
  flow: { now: { steps: {} } },
});

answerBy((path) => (path.endsWith("/usable") ? { flows: [], blocks: [] } : {}));

function drawn(kind, settings = KINDS[kind].settings) {
  const changes = [];
  const model = {
    settings: structuredClone(settings),
    change(some) {
      changes.push(some);
      Object.assign(model.settings, structuredClone(some));
    },
  };
  const form = new Form(KINDS[kind].schema, model, context());
  document.querySelector("main").replaceChildren(form.element);
  return { form, model, changes };
}

const named = (control) =>
  control.labels?.length ||
  control.getAttribute("aria-label") ||
  control.getAttribute("aria-labelledby") ||
  control.closest("label") ||
  control.textContent.trim() ||
  control.title;

for (const [kind, { schema }] of Object.entries(KINDS)) {
  test(`${kind}: every widget that it names is there`, () => {
    for (const [name, property] of Object.entries(schema.properties ?? {}))
      if (property.widget && property.widget !== "hidden")
        assert.ok(property.widget in widgets, `${name} wants “${property.widget}”`);
  });

  test(`${kind}: drawing its form changes nothing, and every control has a name`, async () => {
    const { form, model, changes } = drawn(kind);
    await new Promise((done) => setTimeout(done));
    assert.deepEqual(changes, []);
    assert.deepEqual(model.settings, KINDS[kind].settings);
    for (const control of form.element.querySelectorAll(
      "input:not([type=hidden]), select, textarea, button",
    ))
      assert.ok(named(control), control.outerHTML.slice(0, 200));
    const ids = [...form.element.querySelectorAll("[id]")].map((one) => one.id);
    assert.equal(new Set(ids).size, ids.length, "no id twice");
  });

  test(`${kind}: a setting that is changed changes alone, and is shown when the form is drawn anew`, () => {
    for (const [name, property] of Object.entries(schema.properties ?? {})) {
      if (!["text", "flag"].includes(property.widget)) continue;
      const { form, model, changes } = drawn(kind);
      const input = form.fields.get(name).field.querySelector("input");
      const wanted = property.widget === "flag" ? !input.checked : "Larkmoor";
      if (property.widget === "flag") input.checked = wanted;
      else input.value = wanted;
      input.dispatchEvent(new Event("input", { bubbles: true }));
      input.dispatchEvent(new Event("change", { bubbles: true }));
      assert.ok(changes.length, name);
      assert.deepEqual(
        { ...model.settings, [name]: null },
        { ...KINDS[kind].settings, [name]: null },
      );
      assert.equal(model.settings[name], wanted);
      const again = drawn(kind, model.settings).form.fields.get(name).field.querySelector("input");
      assert.equal(property.widget === "flag" ? again.checked : again.value, wanted);
    }
  });

  test(`${kind}: a problem stands at its field, is said, and goes`, () => {
    const { form } = drawn(kind);
    for (const name of form.fields.keys()) {
      assert.ok(form.say({ field: name, text: "It is <so>." }), name);
      const says = form.element.querySelector(`[id="${name}-says"]`);
      assert.ok(!says.hidden && says.textContent.includes("It is <so>."));
      assert.equal(form.element.querySelectorAll(".field-problem").length, 1);
      form.say(null);
      assert.ok(says.hidden);
    }
    assert.ok(!form.say({ field: "gone", text: "x" }), "one that is nowhere is for others to say");
  });
}

test("fields that do not matter for what is chosen are hidden, and come back", () => {
  for (const [kind, { schema }] of Object.entries(KINDS))
    for (const [name, property] of Object.entries(schema.properties ?? {}))
      for (const [other, values] of Object.entries(property.when ?? {})) {
        const { form } = drawn(kind);
        const field = form.fields.get(name)?.field;
        if (!field || Object.keys(property.when).length > 1) continue;
        form.change({ [other]: values[0] });
        assert.ok(!field.hidden, `${kind}.${name} with ${other} ${values[0]}`);
        form.change({ [other]: "none of these" });
        assert.ok(field.hidden, `${kind}.${name} without`);
      }
});

test("every needed field that is shown and empty is told, not only the one that the problem names", () => {
  const { form, model } = drawn("rows_to_columns");
  const says = (name) => form.fields.get(name).field.querySelector(":scope > .field-says");
  const problem = {
    field: "names",
    code: "unfinished",
    text: "“Names come from”: none is chosen yet.",
  };
  assert.equal(form.say(problem), true);
  assert.equal(says("names").textContent, problem.text);
  assert.equal(says("values").textContent, "There is none yet. Add one.");
  assert.ok(form.fields.get("values").field.classList.contains("unfinished"));
  assert.equal(says("stay").hidden, true);
  model.change({ values: [{ figure: "rows" }] });
  form.say(problem);
  assert.equal(says("values").hidden, true, "no longer empty");
  form.say({ field: "names", code: "gone", text: "It is gone." });
  assert.equal(says("values").hidden, true, "another problem is not one of filling in");
  form.say(null);
  assert.equal(says("names").hidden, true);
});

test("a field that the choices hide is not asked for, and a blank counts where it may", () => {
  const { form, model } = drawn("take_rows", { by: "first" });
  assert.equal(form.needed("column"), "");
  model.change({ by: "largest" });
  form.showWhen();
  assert.match(form.needed("column"), /Choose one/);
  const find = drawn("find_and_replace", { find: " " });
  assert.equal(find.form.needed("find"), "");
  find.model.change({ find: "" });
  assert.match(find.form.needed("find"), /Type it/);
});

test("what a formula gives is said of the rows that were looked at", async () => {
  const { triedSentence } = await import(`${JS}wide/calculate.js`);
  assert.equal(
    triedSentence(20000, 3, 1000000),
    "19,997 of the first 20,000 rows have a result; 3 stay empty.",
  );
  assert.equal(triedSentence(2, 1, 2), "1 of 2 rows has a result; 1 stays empty.");
});
