/**
 * Fields by which rows are compared: columns, a measure and a weight; also chosen by what stands in
 * two tables.
 */
import { count, h, pausing, plural, svg } from "../dom.js";
import { resolved } from "../schema.js";
import { basics, columnsOf, group, removeButton, select } from "./basic.js";
import { columnOptions } from "./columns.js";
import { listEditor } from "./items.js";

const STEP = 5; // percent that a bar stands for

/**
 * How alike the best matches are, with what is alike enough in colour.
 * @param {number[]} counts
 * @param {number} least
 */
function scoreBars(counts, least) {
  const bars = Array.from({ length: 100 / STEP }, (_, n) => {
    const here = counts.slice(n * STEP, n === 100 / STEP - 1 ? 101 : (n + 1) * STEP);
    return here.reduce((sum, rows) => sum + rows, 0);
  });
  const most = Math.max(...bars, 1);
  return svg(
    "svg",
    {
      viewBox: "0 0 260 46",
      class: "score-bars",
      "aria-hidden": "true",
      preserveAspectRatio: "none",
    },
    ...bars.map((rows, n) =>
      svg("rect", {
        x: n * 13,
        y: 46 - (rows / most) * 42,
        width: 11,
        height: rows ? Math.max((rows / most) * 42, 1.5) : 0,
        class: (n + 1) * STEP > least ? "is-enough" : "is-less",
      }),
    ),
  );
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const alikeWidgets = {
  /**
   * The least likeness, below the true distribution of the best matches, and how many of them it
   * takes.
   */
  likeness(field) {
    const place = h("div", { class: "score-place", role: "status" });
    /** @type {any} */
    let found = null;
    let least = field.value;
    const draw = () => {
      if (!found) return place.replaceChildren();
      const taken = found.counts
        .slice(Number(least))
        .reduce((/** @type {number} */ sum, /** @type {number} */ rows) => sum + rows, 0);
      const of =
        found.rows < found.all
          ? `of ${count(found.rows)} rows looked at`
          : `of ${plural(found.all, "row", "rows")}`;
      place.replaceChildren(
        scoreBars(found.counts, least),
        h("p", { class: "muted small" }, `${count(taken)} ${of} have a match as alike as that`),
      );
    };
    const set = (/** @type {unknown} */ value) => {
      least = value;
      field.set(value);
      draw();
    };
    const ask = async () => {
      const fields = (field.form.settings.fields ?? []).filter(
        (/** @type {Record<string, any>} */ one) => one.column,
      );
      found = fields.length ? ((await field.context.scores?.(fields)) ?? null) : null;
      draw();
    };
    queueMicrotask(ask);
    return h("div", {}, basics.number({ ...field, set }), place);
  },

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
    const draw = (
      /** @type {Record<string, any>} */ item,
      /** @type {() => void} */ tell,
      /** @type {() => void} */ remove,
    ) => {
      const set = (/** @type {string} */ name) => (/** @type {unknown} */ value) => {
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
    const scored = pausing(500, () => field.form.remake?.("least"));
    const list = (/** @type {Record<string, any>[]} */ value) => {
      const items = value.length
        ? value.map((/** @type {Record<string, any>} */ item) => ({ ...fresh(), ...item }))
        : [fresh()];
      const keep = (/** @type {any[]} */ all) => {
        field.set(
          all.filter(
            (/** @type {Record<string, any>} */ item) => item.column && (!two || item.reference),
          ),
        );
        scored();
      };
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
      if (!found || !button.isConnected) return; // or the step was left meanwhile
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
