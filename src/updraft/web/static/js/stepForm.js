/**
 * The form of a step, and what its widgets may ask for: the same in the panel and across the
 * window.
 */
import { post } from "./api.js";
import { Form } from "./forms.js";
import { outsideValues } from "./widgets/outside.js";

/**
 * @typedef {import("./contract.d.ts").KindShown} KindShown
 * @typedef {import("./contract.d.ts").ArrivingShown} Arriving
 * @typedef {{settings: any, change: (some: any) => void}} Model who owns the settings
 * @typedef {ReturnType<typeof contextOf>} FormContext what widgets may ask for
 */

/**
 * @param {import("./studio.js").Studio} studio
 * @param {KindShown} kind
 * @param {Record<string, Arriving>} incoming the tables at the ports
 * @param {Model} model
 * @returns {Form}
 */
export function stepForm(studio, kind, incoming, model) {
  /** @type {Form | undefined} */
  let drawn; // there is none yet while it is drawn first
  const made = new Form(
    kind.schema,
    model,
    contextOf(studio, kind, incoming, model, () => drawn),
  );
  drawn = made;
  return made;
}

/**
 * @param {import("./studio.js").Studio} studio
 * @param {KindShown} kind
 * @param {Record<string, Arriving>} incoming
 * @param {Model} model
 * @param {() => Form | undefined} form that asks
 */
function contextOf(studio, kind, incoming, model, form) {
  const main = kind.ports.find((port) => port.main)?.name ?? "";
  const source = kind.remote && kind.role === "source";
  const terms = referenceTerms(studio, incoming[main], model);
  return {
    /** @param {string} port @returns {import("./contract.d.ts").ColumnThere[]} */
    columns: (port) => (source ? form()?.outside : incoming[port]?.columns) ?? [],
    reference: terms,
    // What a reference offers follows from which it is, and from the column whose names it is asked
    // for.
    /** @param {string} name @param {Form} of */
    chosen: (name, of) => {
      if (of !== form() || !kind.remote || source) return;
      if (["connection", "column"].includes(name))
        for (const other of ["type", "evidence", "fields"]) of.remake(other);
    },
    /** @param {string} column @param {string} search */
    values: (column, search) =>
      source ? outsideValues(model, column, search) : studio.values(incoming[main], column, search),
    /** @param {string[]} columns @param {Record<string, string>} give */
    examples: (columns, give) => studio.examples(incoming[main], columns, give),
    begun: () => (studio.begun?.id === studio.selected ? studio.begun.column : ""),
    keys: () => studio.keys(incoming[main], incoming.reference),
    alikeFields: () => studio.alikeFields(incoming[main], incoming.reference),
    /** @param {any[]} fields */
    scores: (fields) => studio.alikeScores(incoming[main], incoming.reference, fields),
    /** @param {string} text */
    rules: (text) => studio.rules(incoming[main], text),
    /** @param {string} column @param {string} of */
    formats: (column, of) => studio.formats(incoming[main], column, of),
    parameters: () => studio.state.parameters ?? [],
    files: () => studio.files(),
    /** @param {File} file @param {boolean} [other] */
    upload: (file, other) => studio.uploadFile(file, other),
    flow: studio.flow,
    /** @type {((editor: any) => void) | undefined} a wide desk has functions and examples beside the editor */
    edits: undefined,
    /** @param {any[]} edits */
    edit: (edits) => studio.edit(edits),
  };
}

/**
 * What the reference calls things: kinds, proposed from some names of the column, and properties.
 * Asked once.
 * @param {import("./studio.js").Studio} studio
 * @param {Arriving | undefined} from
 * @param {Model} model
 */
function referenceTerms(studio, from, model) {
  let known = { key: "", terms: /** @type {Promise<any> | null} */ (null) };
  const ask = async ({ connection, column, type }) => {
    const names = column && from ? await studio.values(from, column, "") : null;
    const texts = (names?.values ?? []).slice(0, 20).map(([text]) => text);
    return post(`/api/connections/${encodeURIComponent(connection)}/terms`, {
      texts: texts.filter(Boolean),
      type: type ?? "",
    });
  };
  return async () => {
    const { connection, column, type } = model.settings;
    if (!connection) return null;
    const key = JSON.stringify([connection, column, type]);
    if (known.key !== key) known = { key, terms: ask({ connection, column, type }) };
    return known.terms;
  };
}

/**
 * Finds what the reference knows that is like a text.
 * @param {Pick<Model, "settings">} model
 */
export const searchedReference = (model) => (/** @type {string} */ text) => {
  const { connection, type } = model.settings;
  return post(`/api/connections/${encodeURIComponent(connection)}/search`, {
    text,
    type: type ?? "",
  });
};
