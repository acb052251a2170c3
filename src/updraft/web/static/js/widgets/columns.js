/** Widgets that choose columns of the table that comes in. */
import { h, icon } from "../dom.js";
import { choice, group, labelled, removeButton, select, columnsOf } from "./basic.js";
import { sieve } from "./sieve.js";

/** @typedef {import("../contract.d.ts").ColumnThere} Column */

/**
 * Columns to choose from: those of a type that the step cannot work on are there, and cannot be
 * chosen.
 * @param {Column[]} columns
 * @param {import("../forms.js").Field} field
 * @returns {import("./basic.js").Option[]}
 */
function fitting(columns, field) {
  const kinds = field.property.kinds ?? [];
  return columns.map(({ name, kind }) => {
    const fits = !kinds.length || !kind || kinds.includes(kind);
    return [name, fits ? name : `${name} (${kind.replace("_", "/")})`, !fits];
  });
}

/** @param {{name: string}[]} columns @returns {import("./basic.js").Option[]} */
export const columnOptions = (columns) => columns.map(({ name }) => [name, name]);

/**
 * A list of names with check boxes, to be searched when long. Names that are gone stay visible
 * until unchecked.
 * @param {(Column & {gone?: boolean})[]} columns
 * @param {string[]} chosen
 * @param {string | undefined} label
 * @param {(names: string[]) => void} change
 * @param {((name: string) => any) | null} beside what stands beside a name that is chosen
 */
export function checkList(columns, chosen, label, change, beside = null) {
  const picked = new Set(chosen);
  const names = columns.map((column) => column.name);
  const gone = chosen.filter((name) => !names.includes(name));
  const all = [...gone.map((name) => ({ name, kind: "not here", gone: true })), ...columns];
  const list = h("div", { class: "checks", role: "group", "aria-label": label });
  const tell = () =>
    change([
      ...names.filter((name) => picked.has(name)),
      ...gone.filter((name) => picked.has(name)),
    ]);
  const draw = () =>
    list.replaceChildren(
      ...all.filter(found.fits).map((column) => {
        const more = beside?.(column.name);
        if (more) more.hidden = !picked.has(column.name);
        const box = h("input", {
          type: "checkbox",
          class: "form-check-input",
          checked: picked.has(column.name),
          "aria-label": column.name,
          onchange: () => {
            if (box.checked) picked.add(column.name);
            else picked.delete(column.name);
            if (more) more.hidden = !box.checked;
            tell();
          },
        });
        const row = h(
          "label",
          {},
          box,
          h(
            "span",
            { class: `name${column.gone ? " gone" : ""}`, title: column.name },
            column.name,
          ),
          more ? null : h("span", { class: "tag" }, column.kind.replace("_", "/")),
        );
        return more ? h("div", { class: "bring-row" }, row, more) : row;
      }),
    );
  const found = sieve(columns, label ?? "", draw, (yes, fits) => {
    for (const { name } of all.filter(fits)) yes ? picked.add(name) : picked.delete(name);
    draw();
    tell();
  });
  draw();
  return h("div", {}, found.element, list);
}

/** @type {Record<string, import("../forms.js").Widget>} */
export const columnWidgets = {
  column(field) {
    return labelled(
      field,
      select(fitting(columnsOf(field), field), field.value, field.property.title, field.set, {
        id: field.id,
      }),
    );
  },

  names(field) {
    if (field.property.port !== "self")
      return group(
        field,
        orderedNames(columnsOf(field), field.value ?? [], field.property.title, field.set),
      );
    const place = h("div", {}, h("span", { class: "muted" }, "Reading the names…"));
    queueMicrotask(() =>
      field.form.element.addEventListener("detected", ({ detail: found }) => {
        if (place.dataset.names === found.columns.join("\n")) return;
        place.dataset.names = found.columns.join("\n");
        const chosen = field.form.settings.columns ?? [];
        place.replaceChildren(
          checkList(
            found.columns.map((/** @type {string} */ name) => ({ name, kind: "" })),
            chosen.length ? chosen : found.columns,
            field.property.title,
            (names) => field.set(names.length === found.columns.length ? [] : names),
          ),
        );
      }),
    );
    return group(
      field,
      h(
        "details",
        { open: (field.value ?? []).length > 0 || null },
        h("summary", { class: "linkish" }, "Choose some"),
        place,
      ),
    );
  },

  columns(field) {
    const value = { by: "names", names: [], pattern: "", types: [], but: [], ...field.value };
    const columns = columnsOf(field).filter(
      (column) =>
        !field.property.kind ||
        column.kind === field.property.kind ||
        value.names.includes(column.name),
    );
    const place = h("div", { class: "mt-2" });
    const set = (/** @type {object} */ change) => {
      Object.assign(value, change);
      field.set({ ...value });
    };
    const draw = () => {
      if (value.by === "names")
        place.replaceChildren(
          checkList(columns, value.names, field.property.title, (names) => set({ names })),
        );
      else if (value.by === "pattern")
        place.replaceChildren(
          h("input", {
            type: "text",
            class: "form-control form-control-sm font-monospace",
            "aria-label": "Pattern of the names",
            placeholder: "^Region|Variety$",
            value: value.pattern,
            oninput: (event) => set({ pattern: event.target.value }),
          }),
        );
      else
        place.replaceChildren(
          h(
            "details",
            { open: value.but.length > 0 || null },
            h("summary", { class: "linkish" }, "All but…"),
            checkList(columns, value.but, "Left out", (but) => set({ but })),
          ),
        );
    };
    draw();
    const ways = [
      ["names", "names"],
      ["pattern", "pattern"],
      field.property.kind ? ["types", `all ${field.property.kind}`] : ["all", "all"],
    ];
    return group(
      field,
      choice(
        ways,
        value.by === "all" && field.property.kind ? "types" : value.by,
        "Choose columns by",
        (by) => {
          set({ by, types: by === "types" ? [field.property.kind] : value.types });
          draw();
        },
      ),
      place,
    );
  },

  chosen(field) {
    const known = columnsOf(field);
    const columns = known.map((column) => column.name);
    const kinds = new Map(known.map((column) => [column.name, column.kind]));
    const { settings } = field.form;
    const listed = (field.value ?? []).map((/** @type {Record<string, any>} */ item) => ({
      column: item.column,
      name: item.name ?? "",
      kept: true,
    }));
    const dropped = new Set(settings.drop ?? []);
    const keepsOthers = () => (field.form.settings.others ?? "keep") === "keep";
    const seen = new Set(listed.map((/** @type {Record<string, any>} */ item) => item.column));
    const rows = [
      ...listed,
      ...columns
        .filter((name) => !seen.has(name))
        .map((column) => ({ column, name: "", kept: keepsOthers() && !dropped.has(column) })),
    ];
    const list = h("div", { class: "rows chosen-list" });
    const tell = () => {
      const drop = rows
        .filter((row) => !row.kept && columns.includes(row.column))
        .map((row) => row.column);
      const kept = rows
        .filter((row) => row.kept)
        .map(({ column, name }) => ({ column, name: name === column ? "" : name }));
      field.form.change({ drop, [field.name]: kept });
    };
    const move = (/** @type {number} */ from, /** @type {number} */ to) => {
      if (to < 0 || to >= rows.length) return;
      rows.splice(to, 0, rows.splice(from, 1)[0]);
      draw();
      tell();
      list.children[to].querySelector(".grip")?.focus();
    };
    const here = (/** @type {any} */ row) =>
      found.fits({ name: row.column, kind: kinds.get(row.column) });
    const draw = () =>
      list.replaceChildren(
        ...rows.map((row, n) => {
          const box = h("input", {
            type: "checkbox",
            class: "form-check-input",
            checked: row.kept,
            "aria-label": `Keep ${row.column}`,
            onchange: () => {
              row.kept = box.checked;
              draw();
              tell();
              list.children[n].querySelector("input")?.focus();
            },
          });
          const grip = h(
            "button",
            {
              type: "button",
              class: "grip",
              title: "Drag, or use the arrow keys, to reorder",
              "aria-label": `Place of ${row.column}, ${n + 1} of ${rows.length}; arrow keys move it`,
              onkeydown: (event) => {
                const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
                if (by) {
                  event.preventDefault();
                  move(n, n + by);
                }
              },
            },
            icon("grip-vertical"),
          );
          const item = h(
            "div",
            { class: `row-item${row.kept ? "" : " is-dropped"}`, hidden: !here(row) },
            grip,
            box,
            h(
              "span",
              { class: `name${columns.includes(row.column) ? "" : " gone"}`, title: row.column },
              row.column,
            ),
            row.kept
              ? h("input", {
                  type: "text",
                  class: "form-control form-control-sm",
                  placeholder: "same name",
                  "aria-label": `New name of ${row.column}`,
                  value: row.name,
                  oninput: (event) => {
                    row.name = event.target.value;
                    tell();
                  },
                })
              : null,
            columns.includes(row.column)
              ? null
              : removeButton(row.column, () => {
                  rows.splice(n, 1);
                  draw();
                  tell();
                }),
          );
          return item;
        }),
      );
    const found = sieve(known, field.property.title ?? "", draw, (yes) => {
      for (const row of rows.filter(here)) row.kept = yes;
      draw();
      tell();
    });
    draw();
    if (/** @type {any} */ (window).Sortable)
      /** @type {any} */ (window).Sortable.create(list, {
        handle: ".grip",
        animation: 120,
        onEnd: (/** @type {{oldIndex: number, newIndex: number}} */ { oldIndex, newIndex }) =>
          move(oldIndex, newIndex),
      });
    return group(field, h("div", {}, found.element, list));
  },
};

/**
 * Names in a chosen order: a list for each, one more by the button, away with ✕.
 * @param {Column[]} columns
 * @param {string[]} chosen
 * @param {string | undefined} label
 * @param {(names: string[]) => void} change
 */
export function orderedNames(columns, chosen, label, change) {
  const names = [...chosen];
  const place = h("div", { class: "rows" });
  const tell = () => change(names.filter(Boolean));
  const draw = () =>
    place.replaceChildren(
      ...names.map((name, n) =>
        h(
          "div",
          { class: "row-item" },
          select(columnOptions(columns), name, `${label}, column ${n + 1}`, (value) => {
            names[n] = value;
            tell();
          }),
          removeButton(name || "this line", () => {
            names.splice(n, 1);
            draw();
            tell();
          }),
        ),
      ),
      h(
        "div",
        { class: "add-row mt-0" },
        h(
          "button",
          {
            type: "button",
            class: "tiny-button",
            onclick: () => {
              names.push("");
              draw();
              place.children[names.length - 1].querySelector("select")?.focus();
            },
          },
          names.length ? "+ another column" : "+ column",
        ),
      ),
    );
  draw();
  return place;
}
