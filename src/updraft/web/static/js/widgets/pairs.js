/** Widgets for lists of pairs: recodes, keys, brought columns. */
import { count, freshId, h, plural } from "../dom.js";
import { group, removeButton, select, columnsOf } from "./basic.js";
import { checkList, columnOptions } from "./columns.js";
import { listEditor } from "./items.js";
import { pairsOf } from "./sheet.js";

/**
 * Pairs by which the tables would meet, with how many rows; while no key is chosen they are in
 * sight.
 * @param {import("../forms.js").Field} field
 */
function proposals(field) {
  const place = h("div", { class: "key-proposals", role: "group", "aria-label": "Likely keys" });
  const chosen = (field.value ?? []).length > 0;
  const take = (/** @type {any} */ one) => {
    const now = field.form.settings[field.name] ?? [];
    const pairs = one.pairs.map((/** @type {[string, string]} */ [column, reference]) => ({
      column,
      reference,
    }));
    const fresh = new Set(pairs.map((/** @type {any} */ pair) => pair.column));
    const others = now.filter(
      (/** @type {Record<string, any>} */ item) => item.column && !fresh.has(item.column),
    );
    field.form.change({
      [field.name]: [...others, ...pairs],
      ...(one.numbers ? { as_numbers: true } : {}),
    });
    field.form.remake(field.name);
    if (one.numbers) field.form.remake("as_numbers");
  };
  const line = (/** @type {any} */ one) =>
    h(
      "button",
      { type: "button", class: "key-proposal", onclick: () => take(one) },
      h("strong", {}, one.pairs.map((/** @type {any} */ pair) => pair.join(" = ")).join(", ")),
      h(
        "span",
        { class: "muted small" },
        [
          `${count(one.rows)} of ${plural(one.of, "row", "rows")} would meet`,
          one.unique ? "" : "some several rows",
          one.numbers ? "digits as numbers" : "",
        ]
          .filter(Boolean)
          .join(" · "),
      ),
    );
  const ask = async () => {
    const found = (await field.context.keys?.()) ?? [];
    if (!found.length) return;
    place.replaceChildren(
      h(
        "details",
        { open: chosen ? null : true },
        h("summary", { class: "linkish" }, "Likely keys"),
        found.map(line),
      ),
    );
  };
  queueMicrotask(ask);
  return place;
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const pairWidgets = {
  changes(field) {
    const items = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      ...item,
    }));
    // else the pairs are names of columns
    const ofValues = "column" in (field.schema.properties ?? {});
    const known = ofValues
      ? null
      : h(
          "datalist",
          { id: freshId("old") },
          columnsOf(field).map(({ name }) => h("option", { value: name })),
        );
    const place = h("div", { class: "rows" });
    const shown = () =>
      items.length && items.at(-1).old === "" && items.at(-1).new === ""
        ? items
        : [...items, { old: "", new: "" }];
    const tell = () =>
      field.set(
        items
          .filter((/** @type {Record<string, any>} */ item) => item.old !== "")
          .map((/** @type {Record<string, any>} */ item) => ({ ...item })),
      );
    const at = (/** @type {number} */ n) => {
      while (items.length <= n) items.push({ old: "", new: "" });
      return items[n];
    };
    const cell = (
      /** @type {number} */ n,
      /** @type {string} */ key,
      /** @type {Record<string, any>} */ item,
    ) =>
      h("input", {
        type: "text",
        class: "form-control form-control-sm",
        "aria-label": `${key === "old" ? "Old" : "New"} ${ofValues ? "value" : "name"} ${n + 1}`,
        list: key === "old" && known ? known.id : null,
        value: item[key],
        spellcheck: "false",
        placeholder: key === "new" && item.old ? (ofValues ? "empty" : "same name") : null,
        oninput: (event) => {
          const grew = n >= items.length;
          at(n)[key] = event.target.value;
          tell();
          if (grew) place.append(row({ old: "", new: "" }, items.length));
        },
        onpaste: (event) => {
          const lines = pairsOf(event);
          if (!lines) return;
          lines.forEach(([first, second = ""], m) => {
            const to = at(n + m);
            if (key === "old") {
              to.old = first;
              if (second !== "" || lines[0].length > 1) to.new = second;
            } else to.new = first;
          });
          draw();
          tell();
        },
      });
    const row = (/** @type {Record<string, any>} */ item, /** @type {number} */ n) =>
      h(
        "div",
        { class: "row-item" },
        cell(n, "old", item),
        h("span", { class: "arrow", "aria-hidden": "true" }, "→"),
        cell(n, "new", item),
        n < items.length
          ? removeButton(`line ${n + 1}`, () => {
              items.splice(n, 1);
              draw();
              tell();
            })
          : h("span", { class: "x" }),
      );
    const draw = () => place.replaceChildren(...shown().map(row));
    draw();
    const offer = h("div", { class: "add-row" });
    const suggest = async () => {
      const column = field.form.settings.column;
      const found = column ? await field.context.values(column, "") : null;
      offer.replaceChildren(
        ...(found?.values ?? [])
          .slice(-60)
          .filter((/** @type {[string | null]} */ [v]) => v !== null)
          .slice(0, 24)
          .map((/** @type {[string | null, number]} */ [v, n]) =>
            h(
              "button",
              {
                type: "button",
                class: "chip",
                title: `${n} rows; put it in as an old value`,
                onclick: () => {
                  items.push({ old: v, new: "" });
                  draw();
                  tell();
                  place.children[items.length - 1].querySelectorAll("input")[1].focus();
                },
              },
              v,
            ),
          ),
      );
    };
    /** @type {HTMLDetailsElement} */
    const details = h(
      "details",
      { ontoggle: () => details.open && suggest() },
      h("summary", { class: "linkish mt-2" }, "Rare values of the column"),
      offer,
    );
    return group(
      field,
      h(
        "div",
        { class: "changes-head", "aria-hidden": "true" },
        h("span", {}, "Old"),
        h("span"),
        h("span", {}, "New"),
      ),
      h("div", { class: "changes-scroll" }, place),
      known ?? details,
    );
  },

  keys(field) {
    const [mine, its] = [field.context.columns("table"), field.context.columns("reference")];
    const items = (field.value ?? []).length
      ? field.value.map((/** @type {Record<string, any>} */ item) => ({ ...item }))
      : [{ column: "", reference: "" }];
    const draw = (
      /** @type {Record<string, any>} */ item,
      /** @type {() => void} */ tell,
      /** @type {() => void} */ remove,
    ) =>
      h(
        "div",
        { class: "row-item" },
        select(columnOptions(mine), item.column, "Column of this table", (value) => {
          item.column = value;
          tell();
        }),
        h("span", { class: "arrow", "aria-hidden": "true" }, "="),
        select(columnOptions(its), item.reference, "Column of the other table", (value) => {
          item.reference = value;
          tell();
        }),
        removeButton("this pair", remove),
      );
    return group(
      field,
      listEditor(
        items,
        draw,
        () => ({ column: "", reference: "" }),
        "+ another key",
        (list) => field.set(list.filter((item) => item.column && item.reference)),
      ),
      proposals(field),
    );
  },

  bring(field) {
    const its = columnsOf(field);
    const items = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      name: "",
      ...item,
    }));
    const item = (/** @type {string} */ name) =>
      items.find((/** @type {any} */ one) => one.column === name);
    const tell = () => field.set(items.map((/** @type {any} */ one) => ({ ...one })));
    if (!its.length && !items.length)
      return group(
        field,
        h("span", { class: "muted p-2 d-block" }, "Choose the other table first."),
      );
    const change = (/** @type {string[]} */ names) => {
      items.splice(
        0,
        items.length,
        ...names.map((/** @type {string} */ name) => item(name) ?? { column: name, name: "" }),
      );
      tell();
    };
    const beside = (/** @type {string} */ name) =>
      h("input", {
        type: "text",
        class: "form-control form-control-sm",
        placeholder: "same name",
        "aria-label": `Name of ${name} here`,
        value: item(name)?.name ?? "",
        oninput: (event) => {
          item(name).name = event.target.value;
          tell();
        },
      });
    const chosen = items.map((/** @type {any} */ one) => one.column);
    return group(field, checkList(its, chosen, "Columns to bring", change, beside));
  },
};
