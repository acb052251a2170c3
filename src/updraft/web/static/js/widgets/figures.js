/**
 * The widget of figures over groups: what is reckoned, of which column, and what more is said of
 * it.
 */
import { h } from "../dom.js";
import { resolved } from "../schema.js";
import { columnsOf, group, removeButton, select } from "./basic.js";
import { columnOptions } from "./columns.js";
import { listEditor } from "./items.js";
import { ruleWidgets } from "./rule.js";

const LIKE = "\0like"; // a choice that no column's name can be
const RECKONED = new Set([
  "sum",
  "mean",
  "median",
  "percentile",
  "deviation",
  "range",
  "weighted",
  "share",
]);
const ADDED = ["whole", "number", "yes_no"];
const OF_ROWS = new Set(["rows", "rows_share"]);
const WITHOUT_EMPTIES = new Set(["rows", "rows_share", "filled", "share"]);

/**
 * Tick boxes that say more of a figure: which stand there depends on it.
 * @param {Record<string, any>} item
 * @param {() => void} tell
 */
function figureOptions(item, tell) {
  /** @type {[string, string, () => boolean][]} */
  const known = [
    ["empty", "empty cells count, too", () => !WITHOUT_EMPTIES.has(item.figure)],
    ["sorted", "in order", () => item.figure === "list"],
    ["every", "each as often as it comes", () => item.figure === "list"],
  ];
  const boxes = known.map(([name, label, fits]) => {
    const box = h("input", {
      type: "checkbox",
      class: "form-check-input",
      checked: Boolean(item[name]),
      onchange: () => {
        item[name] = box.checked;
        tell();
      },
    });
    return { fits, element: h("label", { class: "small figure-option" }, box, ` ${label}`) };
  });
  return {
    elements: boxes.map(({ element }) => element),
    follow: () => {
      for (const { fits, element } of boxes) element.hidden = !fits();
    },
  };
}

/**
 * The column that a figure is of; or each whose name is like something, where that may be.
 * @param {Record<string, any>} item
 * @param {import("../contract.d.ts").ColumnThere[]} columns
 * @param {boolean} some
 * @param {() => void} tell
 */
function ofColumn(item, columns, some, tell) {
  const of = h("span", { class: "of-column" });
  const like = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    "aria-label": "Names like",
    placeholder: "names like Score *",
    value: item.like ?? "",
    hidden: !item.like,
    oninput: () => {
      item.like = like.value;
      tell();
    },
  });
  const fits = () =>
    RECKONED.has(item.figure)
      ? columns.filter((c) => ADDED.includes(c.kind) || c.name === item.column)
      : columns;
  const choose = (/** @type {string} */ value) => {
    like.hidden = value !== LIKE;
    item.column = value === LIKE ? "" : value;
    if (like.hidden) item.like = like.value = "";
    tell();
  };
  const follow = () => {
    const options = [...columnOptions(fits()), ...(some ? [[LIKE, "each column like…"]] : [])];
    of.replaceChildren(
      OF_ROWS.has(item.figure)
        ? ""
        : select(options, like.hidden ? item.column : LIKE, "of column", choose),
    );
  };
  return { of, like: some ? like : null, follow };
}

/**
 * Of a percentile the share, of first and last the order, of a weighted mean the weight: shown
 * where it fits.
 * @param {Record<string, any>} item
 * @param {import("../contract.d.ts").ColumnThere[]} columns
 * @param {() => void} tell
 */
function details(item, columns, tell) {
  const share = h(
    "label",
    { class: "row-item" },
    h("input", {
      type: "number",
      class: "form-control form-control-sm slim figure",
      min: 0,
      max: 100,
      step: "any",
      "aria-label": "Share of the values at or below it, in %",
      value: item.share ?? 90,
      oninput: (event) => {
        if (event.target.value === "") return;
        item.share = Number(event.target.value);
        tell();
      },
    }),
    "% are at or below it",
  );
  const chosen = (
    /** @type {string} */ words,
    /** @type {string} */ label,
    /** @type {string} */ name,
    /** @type {import("./basic.js").Option[]} */ options,
  ) =>
    h(
      "label",
      { class: "row-item" },
      h("span", {}, words),
      select(options, item[name] ?? "", label, (value) => {
        item[name] = value;
        tell();
      }),
    );
  const names = columns.map((one) => [one.name, one.name]);
  const rows = ["", "the rows as they stand"];
  const along = chosen("in the order of", "In the order of", "along", [rows, ...names]);
  const numbers = columns.filter((one) => ["whole", "number"].includes(one.kind));
  const weight = chosen("weighted by", "Weighted by", "weight", columnOptions(numbers));
  const follow = () => {
    share.hidden = item.figure !== "percentile";
    along.hidden = !["first", "last"].includes(item.figure);
    weight.hidden = item.figure !== "weighted";
  };
  return { elements: [share, along, weight], follow };
}

/**
 * The rule that rows must meet to count, folded away until it is wanted.
 * @param {import("../forms.js").Field} field
 * @param {Record<string, any>} item
 * @param {() => void} tell
 */
function onlySome(field, item, tell) {
  const place = h(
    "details",
    { class: "more", open: Boolean(item.where?.of.length) },
    h("summary", {}, "Only rows where…"),
  );
  const drawn = () => {
    if (!place.open || place.children.length > 1) return;
    const set = (/** @type {object} */ rule) => {
      item.where = rule;
      tell();
    };
    const property = { title: "Rows that count", optional: true };
    place.append(ruleWidgets.rule({ ...field, property, value: item.where, set }));
  };
  place.addEventListener("toggle", drawn);
  drawn();
  return place;
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const figureWidgets = {
  figures(field) {
    const columns = columnsOf(field);
    const items = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      name: "",
      column: "",
      ...item,
    }));
    const some = "like" in (resolved(field.property.items, field.schema).properties ?? {});
    const draw = (
      /** @type {Record<string, any>} */ item,
      /** @type {() => void} */ tell,
      /** @type {() => void} */ remove,
    ) => {
      const { of, like, follow } = ofColumn(item, columns, some, tell);
      const parts = [details(item, columns, tell), figureOptions(item, tell)];
      const offer = () => {
        follow();
        for (const part of parts) part.follow();
      };
      const figure = select(field.property.figures, item.figure, "Figure", (value) => {
        item.figure = value;
        if (OF_ROWS.has(value)) item.column = "";
        offer();
        tell();
      });
      offer();
      return h(
        "div",
        { class: "card-item" },
        h("div", { class: "row-item" }, figure, of, removeButton("this figure", remove)),
        like,
        ...parts.flatMap(({ elements }) => elements),
        h("input", {
          type: "text",
          class: "form-control form-control-sm",
          placeholder: "name of the new column",
          "aria-label": "Name of the figure",
          value: item.name,
          oninput: (event) => {
            item.name = event.target.value;
            tell();
          },
        }),
        onlySome(field, item, tell),
      );
    };
    const fresh = () => ({ figure: items.length ? "sum" : "rows", column: "", name: "" });
    const whole = (/** @type {Record<string, any>} */ one) => OF_ROWS.has(one.figure);
    return group(field, listEditor(items, draw, fresh, "+ figure", field.set, whole));
  },
};
