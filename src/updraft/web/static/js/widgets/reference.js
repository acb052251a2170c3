/**
 * Widgets for references: the kind of thing that names are of, and what a reference knows of
 * things.
 */
import { api } from "../api.js";
import { freshId, h } from "../dom.js";
import { finder } from "./finder.js";
import { labelled } from "./basic.js";

/**
 * A text box that offers what a reference calls kinds or properties; `offers` gets them once they
 * are known.
 * @param {import("../forms.js").Field} field
 * @param {(found: any, list: HTMLElement, below: HTMLElement, input: HTMLInputElement) => void}
 *   offers
 */
function termBox(field, offers) {
  const list = h("datalist", { id: freshId("terms") });
  /** @type {HTMLInputElement} */
  const input = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    id: field.id,
    list: list.id,
    value: field.value ?? "",
    spellcheck: "false",
    oninput: () => field.set(input.value),
  });
  const below = h("div", { class: "term-offers" });
  Promise.resolve() // the form that is asked for its connection is whole by then
    .then(() => field.context.reference?.())
    .then((known) => {
      if (known) offers(known, list, below, input);
    })
    .catch(() => {});
  return labelled(field, input, list, below);
}

const option = (/** @type {Record<string, any>} */ term, said = "") =>
  h("option", { value: term.id }, said ? `${term.name} · ${said}` : term.name);

/**
 * A box to find a term of known vocabularies; one that is none of them may be typed.
 * @param {import("../forms.js").Field} field
 * @param {"yes" | "no"} classes
 * @param {string} hint
 */
function vocabularyFinder(field, classes, hint) {
  const find = (/** @type {string} */ search) =>
    api(`/api/vocabularies?${new URLSearchParams({ search, classes })}`).then(({ terms }) => terms);
  return finder(field, { hint, what: "known term", sign: "tag", find, free: true });
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const referenceWidgets = {
  thing(field) {
    return termBox(field, ({ types }, list, below, input) => {
      list.replaceChildren(...types.map((/** @type {Record<string, any>} */ term) => option(term)));
      const proposed = types.filter((/** @type {Record<string, any>} */ term) => term.names > 0);
      if (!proposed.length) return;
      below.replaceChildren(
        h("span", { class: "muted small" }, "Most likely: "),
        ...proposed.slice(0, 3).map((/** @type {Record<string, any>} */ term) =>
          h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              title: `${term.names} of ${term.of} names tried`,
              onclick: () => {
                input.value = term.id;
                field.set(term.id);
              },
            },
            `${term.name} (${term.names} of ${term.of})`,
          ),
        ),
      );
    });
  },

  class_term: (field) => vocabularyFinder(field, "yes", "Find a kind of thing"),
  property_term: (field) => vocabularyFinder(field, "no", "Find a property"),

  property: (field) =>
    termBox(field, ({ properties }, list) =>
      list.replaceChildren(
        ...properties.map((/** @type {Record<string, any>} */ term) => option(term)),
      ),
    ),
};
