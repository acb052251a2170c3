/** Widgets for a step that uses another flow: which one, which revision, and how it is wired. */
import { api, attempt } from "../api.js";
import { h, icon } from "../dom.js";
import { checkList } from "./columns.js";
import { group, labelled, select } from "./basic.js";

const WIRED = ["revision", "source", "also", "output", "parameters"];
const flowOf = (/** @type {import("../forms.js").Form} */ form) => form.context.flow;

/**
 * Learn what there is to wire in the chosen flow, and draw the fields that need it anew.
 * @param {import("../forms.js").Form} form
 */
async function learn(form) {
  const { flow, block, revision } = form.settings;
  const key = `${flow} ${block} ${revision}`;
  if (!flow || form.partKey === key) return;
  form.partKey = key;
  const query = new URLSearchParams(block ? { block: flow } : { flow });
  if (!block && revision) query.set("revision", revision);
  const about = await api(`/api/flows/${flowOf(form)}/usable/about?${query}`).catch(() => null);
  if (form.partKey !== key) return;
  form.part = about;
  for (const name of WIRED) form.remake(name);
}

/** @param {import("../forms.js").Field} field */
const waiting = (field) =>
  group(field, h("span", { class: "muted small" }, "Choose a flow first."));

/** @type {Record<string, import("../forms.js").Widget>} */
export const partWidgets = {
  flow(field) {
    const { form } = field;
    const now = () => (form.settings.block ? `block:${form.settings.flow}` : form.settings.flow);
    const take = (/** @type {string} */ value) => {
      const anew = { revision: null, source: "", also: [], output: "", parameters: [] };
      const had = Object.entries(anew).filter(([name]) => name in form.schema.properties);
      const [block, flow] = [value.startsWith("block:"), value.replace(/^block:/, "")];
      form.change({ ...Object.fromEntries(had), block, [field.name]: flow });
      learn(form);
      draw();
    };
    const place = h("div", {});
    const draw = async () => {
      const found = await attempt(() => api(`/api/flows/${flowOf(form)}/usable`));
      if (!found) return;
      const options = [
        ...found.flows.map((/** @type {{id: string, name: string}} */ { id, name }) => [id, name]),
        ...found.blocks.map((/** @type {string} */ name) => [
          `block:${name}`,
          `${name} (kept in this flow)`,
        ]),
      ];
      const chosen = form.settings.flow;
      const keep = h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          title: "It then no longer changes with the other flow, and travels with this one",
          onclick: async () => {
            const { revision } = form.settings;
            const name = form.part?.name ?? "Block";
            const edits = [{ op: "block", of: chosen, revision, name }];
            if (!(await form.context.edit(edits))) return;
            form.change({ block: true, [field.name]: name });
            learn(form);
            draw();
          },
        },
        icon("pin-angle"),
        " Keep a copy in this flow",
      );
      place.replaceChildren(
        select(options, now(), "Flow", take, { id: field.id }),
        chosen && !form.settings.block
          ? h(
              "p",
              { class: "part-tools" },
              h(
                "a",
                { class: "tiny-button", href: `/flows/${chosen}` },
                icon("box-arrow-up-right"),
                " Open it",
              ),
              keep,
            )
          : "",
      );
    };
    draw();
    queueMicrotask(() => learn(form));
    return labelled(field, place);
  },

  revision(field) {
    const { part, settings } = field.form;
    if (!part || settings.block) return h("div", { class: "d-none" });
    const options = [
      ["", "as it is now"],
      ...part.revisions.map((/** @type {Record<string, any>} */ r) => [
        String(r.number),
        `${r.number} · ${r.sentence}`,
      ]),
    ];
    return labelled(
      field,
      select(
        options,
        field.value ? String(field.value) : "",
        field.property.title,
        (value) => {
          field.set(value ? Number(value) : null);
          learn(field.form);
        },
        { id: field.id },
      ),
    );
  },

  flow_source(field) {
    const { part } = field.form;
    if (!part) return waiting(field);
    const options = [
      ["", "its first source"],
      ...part.sources,
      ["-", "none: it gets their values as parameters"],
    ];
    return labelled(
      field,
      select(options, field.value ?? "", field.property.title, field.set, { id: field.id }),
    );
  },

  flow_sources(field) {
    const { part, settings } = field.form;
    const first = settings.source || part?.sources[0]?.[0];
    const others = (part?.sources ?? []).filter((/** @type {[string]} */ [id]) => id !== first);
    if (!others.length) return h("div", { class: "d-none" });
    const rows = others.map((/** @type {[string, string]} */ [name, kind]) => ({ name, kind }));
    return group(
      field,
      checkList(rows, field.value ?? [], field.property.title, field.set),
      h("p", { class: "muted small" }, "Each opens an input above once it is applied."),
    );
  },

  flow_step(field) {
    const { part } = field.form;
    if (!part) return waiting(field);
    const options = [["", "the table of its last step"], ...part.steps];
    return labelled(
      field,
      select(options, field.value ?? "", field.property.title, field.set, { id: field.id }),
    );
  },

  flow_parameters(field) {
    const { part } = field.form;
    if (!part?.parameters.length) return h("div", { class: "d-none" });
    const given = new Map(
      (field.value ?? []).map((/** @type {{name: string, value: string}} */ { name, value }) => [
        name,
        value,
      ]),
    );
    const tell = () => field.set([...given].map(([name, value]) => ({ name, value })));
    return group(
      field,
      part.parameters.map((/** @type {Record<string, any>} */ parameter) =>
        h(
          "label",
          { class: "row-item" },
          h("span", { class: "name" }, parameter.name),
          h("input", {
            type: "text",
            class: "form-control form-control-sm",
            "aria-label": `Value of ${parameter.name}`,
            placeholder: String(parameter.value),
            value: given.get(parameter.name) ?? "",
            oninput: (event) => {
              if (event.target.value === "") given.delete(parameter.name);
              else given.set(parameter.name, event.target.value);
              tell();
            },
          }),
        ),
      ),
    );
  },
};
