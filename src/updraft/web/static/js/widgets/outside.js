/**
 * Widgets for what is read through a connection: which one, which table, its columns; and for SQL
 * and requests.
 */
import { api, attempt } from "../api.js";
import { h } from "../dom.js";
import { finder } from "./finder.js";
import { group, keepingFocus, labelled, removeButton, select, columnsOf } from "./basic.js";
import { checkList, columnOptions } from "./columns.js";

const path = (
  /** @type {string} */ connection,
  /** @type {string} */ what,
  /** @type {Record<string, string>} */ query,
) => `/api/connections/${encodeURIComponent(connection)}/${what}?${new URLSearchParams(query)}`;

/**
 * Get the columns of the chosen table and have the fields that need them drawn anew.
 * @param {import("../forms.js").Form} form
 */
export async function learnColumns(form) {
  const { connection } = form.settings,
    table = form.settings.table || form.settings.entity;
  const key = `${connection}\n${table}`;
  if (!connection || !table || form.outsideKey === key) return;
  form.outsideKey = key;
  const answer = await api(path(connection, "columns", { table })).catch(() => null);
  if (form.outsideKey !== key) return;
  form.outside = answer?.columns ?? [];
  for (const name of ["columns", "rule", "order", "split_field"]) form.remake(name);
}

export const outsideValues = (
  /** @type {Pick<import("../forms.js").Form, "settings">} */ form,
  /** @type {string} */ column,
  /** @type {string} */ search,
) =>
  attempt(() =>
    api(
      path(form.settings.connection, "values", {
        table: form.settings.table || form.settings.entity,
        column,
        search,
      }),
    ),
  );

/** @type {Record<string, import("../forms.js").Widget>} */
export const outsideWidgets = {
  connection(field) {
    const element = select(
      [],
      field.value,
      "Connection",
      (value) => {
        field.set(value);
        learnColumns(field.form);
      },
      { id: field.id },
    );
    const says = h("div", { class: "field-detected" });
    api(`/api/connections?kind=${field.property.of}`)
      .then(({ connections }) => {
        const now = field.form.settings.connection;
        element.replaceChildren(
          ...(connections.some((/** @type {Record<string, any>} */ c) => c.name === now)
            ? []
            : [
                h(
                  "option",
                  { value: now ?? "", selected: true },
                  now ? `${now} (not here)` : "choose…",
                ),
              ]),
          ...connections.map((/** @type {Record<string, any>} */ c) =>
            h("option", { value: c.name, selected: c.name === now }, c.name),
          ),
        );
        says.replaceChildren(
          connections.length ? "" : "There is none yet. ",
          h(
            "a",
            { href: "/connections", class: "linkish" },
            connections.length ? "All connections" : "Make one",
          ),
        );
        // A step that was left meanwhile stays as it is.
        if (!now && connections.length === 1 && element.isConnected) {
          element.value = connections[0].name;
          field.set(connections[0].name);
        }
      })
      .catch(() => {});
    queueMicrotask(() => learnColumns(field.form));
    return labelled(field, element, says);
  },

  dbtable: (field) => tableFinder(field, "Find a table", "table"),
  entity: (field) => tableFinder(field, "Find an entity set", "entity set"),

  outside_columns(field) {
    const columns = (field.form.outside ?? []).map((column) => ({
      name: column.name,
      kind: [column.label, column.type, column.key].filter(Boolean).join(" · "),
    }));
    if (!columns.length)
      return group(field, h("span", { class: "muted small" }, "Choose what to read first."));
    const names = columns.map((column) => column.name),
      chosen = field.value ?? [];
    return group(
      field,
      h(
        "details",
        { open: chosen.length > 0 || null },
        h(
          "summary",
          { class: "linkish" },
          `${chosen.length || columns.length} of ${columns.length}`,
        ),
        checkList(columns, chosen.length ? chosen : names, field.property.title, (picked) =>
          field.set(picked.length === names.length ? [] : picked),
        ),
      ),
    );
  },

  order(field) {
    const rows = (field.value ?? []).map((/** @type {Record<string, any>} */ row) => ({ ...row })),
      place = h("div", { class: "rows" });
    const tell = () =>
      field.set(rows.filter((/** @type {Record<string, any>} */ row) => row.column));
    const draw = () =>
      keepingFocus(place, () =>
        place.replaceChildren(
          ...rows.map((/** @type {Record<string, any>} */ row, /** @type {number} */ n) =>
            h(
              "div",
              { class: "row-item" },
              select(
                columnOptions(columnsOf(field)),
                row.column,
                `Order by column ${n + 1}`,
                (value) => {
                  row.column = value;
                  tell();
                },
              ),
              select(
                [
                  ["up", "up"],
                  ["down", "down"],
                ],
                row.down ? "down" : "up",
                `Direction of ${n + 1}`,
                (value) => {
                  row.down = value === "down";
                  tell();
                },
              ),
              removeButton(row.column || "this line", () => {
                rows.splice(n, 1);
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
                  rows.push({ column: "", down: false });
                  draw();
                },
              },
              "+ column",
            ),
          ),
        ),
      );
    draw();
    return group(field, place);
  },

  sql(field) {
    /** @type {HTMLTextAreaElement} */
    const area = h("textarea", {
      class: "form-control form-control-sm font-monospace",
      id: field.id,
      rows: 8,
      spellcheck: "false",
      placeholder: "select …",
      oninput: () => field.set(area.value),
    });
    area.value = field.value ?? "";
    return labelled(field, area);
  },

  long_text(field) {
    /** @type {HTMLTextAreaElement} */
    const area = h("textarea", {
      class: "form-control form-control-sm font-monospace",
      id: field.id,
      rows: 4,
      spellcheck: "false",
      oninput: () => field.set(area.value),
    });
    area.value = field.value ?? "";
    return labelled(field, area);
  },

  /** Pairs of a name and a value. */
  binds(field) {
    const rows = (field.value ?? []).map((/** @type {Record<string, any>} */ row) => ({ ...row })),
      place = h("div", { class: "rows" });
    const tell = () => field.set(rows.filter((/** @type {Record<string, any>} */ row) => row.name));
    const cell = (
      /** @type {Record<string, any>} */ row,
      /** @type {string} */ name,
      /** @type {string} */ label,
    ) =>
      h("input", {
        type: "text",
        class: "form-control form-control-sm",
        "aria-label": label,
        placeholder: name,
        value: row[name],
        spellcheck: "false",
        oninput: (event) => {
          row[name] = event.target.value;
          tell();
        },
      });
    const draw = () =>
      keepingFocus(place, () =>
        place.replaceChildren(
          ...rows.map((/** @type {Record<string, any>} */ row, /** @type {number} */ n) =>
            h(
              "div",
              { class: "row-item" },
              cell(row, "name", `${field.property.title}: name ${n + 1}`),
              cell(row, "value", `${field.property.title}: value ${n + 1}`),
              removeButton(row.name || "this line", () => {
                rows.splice(n, 1);
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
                  rows.push({ name: "", value: "" });
                  draw();
                  place.children[rows.length - 1].querySelector("input")?.focus();
                },
              },
              "+ value",
            ),
          ),
        ),
      );
    draw();
    return group(field, place);
  },
};

/**
 * A box to find a table of the chosen connection.
 * @param {import("../forms.js").Field} field
 * @param {string} hint
 * @param {string} what
 */
function tableFinder(field, hint, what) {
  const find = (/** @type {string} */ search) => {
    const { connection } = field.form.settings;
    return connection
      ? api(path(connection, "tables", { search })).then((found) => found.tables)
      : null;
  };
  return finder(field, { hint, what, sign: "table", find, took: () => learnColumns(field.form) });
}
