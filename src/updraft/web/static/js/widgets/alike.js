/** Fields by which rows are compared: columns, a measure and a weight; also chosen by what stands in two tables. */
import { h } from "../dom.js";
import { resolved } from "../schema.js";
import { columnsOf, group, removeButton, select } from "./basic.js";
import { columnOptions } from "./columns.js";
import { listEditor } from "./items.js";

export const alikeWidgets = {
  alike(field) {
    const { properties } = resolved(field.property.items, field.schema);
    const two = "reference" in properties;
    const mine = field.context.columns("table");
    const its = two ? columnsOf(field) : [];
    const fresh = () => ({
      column: "",
      ...(two ? { reference: "" } : {}),
      measure: properties.measure.default,
      weight: properties.weight.default,
    });
    const draw = (item, tell, remove) => {
      const set = (name) => (value) => {
        item[name] = value;
        tell();
      };
      const weight = h("input", {
        type: "number",
        class: "form-control form-control-sm figure slim",
        min: "0.1",
        step: "any",
        "aria-label": "How much it counts",
        value: item.weight,
        oninput: () => {
          if (Number(weight.value) > 0) set("weight")(Number(weight.value));
        },
      });
      return h(
        "div",
        { class: "alike-field" },
        h(
          "div",
          { class: "row-item" },
          select(columnOptions(mine), item.column, "Column of this table", set("column")),
          two ? h("span", { class: "arrow", "aria-hidden": "true" }, "≈") : "",
          two
            ? select(
                columnOptions(its),
                item.reference,
                "Column of the other table",
                set("reference"),
              )
            : "",
          removeButton(item.column ? `field ${item.column}` : "this field", remove),
        ),
        h(
          "div",
          { class: "row-item" },
          select(
            properties.measure.labels,
            item.measure ?? properties.measure.default,
            "Compared by",
            set("measure"),
          ),
          h(
            "label",
            { class: "row-item counts" },
            h("span", { class: "muted small" }, "counts"),
            weight,
          ),
        ),
      );
    };
    const list = (value) => {
      const items = value.length ? value.map((item) => ({ ...fresh(), ...item })) : [fresh()];
      const keep = (all) =>
        field.set(all.filter((item) => item.column && (!two || item.reference)));
      return listEditor(items, draw, fresh, "+ another field", keep, () => false);
    };
    let place = list(field.value ?? []);
    if (!two) return group(field, place);
    const label = "Choose them by the two tables";
    const button = h("button", { type: "button", class: "tiny-button" }, label);
    button.addEventListener("click", async () => {
      button.disabled = true;
      button.textContent = "Comparing the tables…";
      const found = await field.context.alikeFields?.();
      button.disabled = false;
      button.textContent = label;
      if (!found) return;
      field.form.change({ [field.name]: found.fields, least: found.least });
      const drawn = list(found.fields);
      place.replaceWith(drawn);
      place = drawn;
      field.form.remake("least");
      button.focus();
    });
    return group(field, place, button);
  },
};
