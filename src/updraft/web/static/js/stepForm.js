/** The form of a step, and what its widgets may ask for: the same in the panel and across the window. */
import { post } from "./api.js";
import { Form } from "./forms.js";
import { outsideValues } from "./widgets/outside.js";

/** @param {{settings: any, change: (some: any) => void}} model who owns the settings */
export function stepForm(studio, kind, incoming, model) {
  const main = kind.ports.find((port) => port.main)?.name;
  const source = kind.remote && kind.role === "source";
  const terms = referenceTerms(studio, incoming[main], model);
  /** @type {Form | undefined} */
  let made;
  const context = {
    columns: (port) => (source ? made?.outside : incoming[port]?.columns) ?? [],
    reference: terms,
    // What a reference offers follows from which it is, and from the column whose names it is asked for.
    chosen: (name, form) => {
      if (form !== made || !kind.remote || source) return;
      if (["connection", "column"].includes(name))
        for (const other of ["type", "evidence", "fields"]) form.remake(other);
    },
    values: (column, search) =>
      source ? outsideValues(made, column, search) : studio.values(incoming[main], column, search),
    examples: (columns, give) => studio.examples(incoming[main], columns, give),
    begun: () => (studio.begun?.id === studio.selected ? studio.begun.column : ""),
    keys: () => studio.keys(incoming[main], incoming.reference),
    alikeFields: () => studio.alikeFields(incoming[main], incoming.reference),
    scores: (fields) => studio.alikeScores(incoming[main], incoming.reference, fields),
    rules: (text) => studio.rules(incoming[main], text),
    formats: (column, of) => studio.formats(incoming[main], column, of),
    parameters: () => studio.state.parameters ?? [],
    files: () => studio.files(),
    upload: (file, other) => studio.uploadFile(file, other),
    flow: studio.flow,
    edit: (edits) => studio.edit(edits),
  };
  made = new Form(kind.schema, model, context);
  return made;
}

/**
 * What the reference calls things: kinds, proposed from some names of the column, and properties. Asked once.
 * @param {import("./studio.js").Studio} studio
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

/** Finds what the reference knows that is like a text. */
export const searchedReference = (model) => (text) => {
  const { connection, type } = model.settings;
  return post(`/api/connections/${encodeURIComponent(connection)}/search`, {
    text,
    type: type ?? "",
  });
};
