/** A file of the flow, besides those that become tables: a template, say. */
import { h } from "../dom.js";
import { labelled, select } from "./basic.js";

const NONE = "";

/** @type {Record<string, import("../forms.js").Widget>} */
export const flowFileWidgets = {
  flow_file(field) {
    const { ending = "", none = "" } = field.property;
    const place = h("div", {});
    const draw = async (/** @type {string} */ now) => {
      const files = (await field.context.files()) ?? [];
      const names = files
        .map((/** @type {{path: string}} */ file) => file.path)
        .filter((/** @type {string} */ name) => name.endsWith(ending));
      const options = [[NONE, none], ...names.map((/** @type {string} */ name) => [name, name])];
      place.replaceChildren(
        select(options, now ?? NONE, field.property.title, field.set, { id: field.id }),
      );
    };
    const file = h("input", {
      type: "file",
      accept: ending,
      class: "visually-hidden",
      id: `${field.id}-upload`,
      onchange: async () => {
        const path = file.files?.length ? await field.context.upload(file.files[0], true) : null;
        if (!path) return;
        field.set(path);
        await draw(path);
      },
    });
    place.append(
      h("select", { class: "form-select form-select-sm", id: field.id, disabled: true }),
    );
    draw(field.value);
    return labelled(
      field,
      place,
      h(
        "div",
        { class: "field-detected" },
        file,
        h("label", { for: file.id, class: "linkish" }, "Bring one in"),
      ),
    );
  },
};
