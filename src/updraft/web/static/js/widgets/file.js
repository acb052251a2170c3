/**
 * Widgets for how a file is read. What was detected comes as a `detected` event on the form's
 * element.
 */
import { freshId, h } from "../dom.js";
import { checkList, columnOptions } from "./columns.js";
import { group, labelled, removeButton, select } from "./basic.js";
import { whenDetected } from "./detected.js";
import { around, lists } from "./tree.js";

const FORMATS = [
  ["delimited", "delimited text"],
  ["fixed", "fixed-width text"],
  ["told", "lines of names with values, or a log"],
  ["workbook", "workbook"],
  ["json", "JSON"],
  ["json_lines", "JSON Lines"],
  ["xml", "XML"],
  ["parquet", "Parquet"],
  ["arrow", "Arrow"],
  ["sqlite", "SQLite file"],
];

/** The sheets of a workbook that hold anything, where that is known. */
const full = (/** @type {import("./found.d.ts").Found} */ found) =>
  (found.choices.sheets ?? []).filter(
    (/** @type {unknown} */ _, /** @type {number} */ n) =>
      (found.choices.rows?.[n] ?? "empty") !== "empty",
  );

/** @type {Record<string, import("../forms.js").Widget>} */
export const fileWidgets = {
  file(field) {
    const place = h("div");
    const note = h("div", { class: "field-detected" });
    const input = h("input", {
      type: "file",
      class: "visually-hidden",
      id: freshId("file"),
      onchange: async () => {
        const path = input.files?.length ? await field.context.upload(input.files[0]) : null;
        input.value = "";
        if (path) {
          field.value = path;
          field.set(path);
          await draw();
        }
      },
    });
    const change = (/** @type {string} */ value) => {
      field.value = value;
      field.set(value);
    };
    /** @type {HTMLInputElement} */
    const typed = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      "aria-label": "File name, may hold * and {params.name}",
      spellcheck: "false",
      oninput: () => change(typed.value),
    });
    const draw = async (asText = /\{params\.|[*?]/.test(field.value ?? "")) => {
      const files = (await field.context.files()) ?? [];
      typed.value = field.value ?? "";
      place.replaceChildren(
        asText
          ? typed
          : select(
              files.map((/** @type {{path: string}} */ file) => [file.path, file.path]),
              field.value,
              "File",
              change,
              { id: field.id },
            ),
      );
      several.hidden = asText || files.length < 2;
    };
    const several = h(
      "button",
      {
        type: "button",
        class: "linkish small",
        hidden: true,
        onclick: async () => {
          const name = field.value ?? "",
            digits = name.search(/\d[\d_ -]*(?=\D*$)/);
          change(
            digits >= 0
              ? name.replace(/\d[\d_ -]*(?=\D*$)/, "*")
              : name.replace(/[^/]*(\.[^.]+)$/, "*$1"),
          );
          await draw(true);
          typed.focus();
        },
      },
      "Read several of one shape",
    );
    whenDetected(field, (found) => {
      note.textContent =
        found.files.length > 1
          ? `${found.files.length} files: ${found.files.slice(0, 4).join(", ")}${found.files.length > 4 ? " …" : ""}`
          : "";
    });
    draw();
    return labelled(
      field,
      place,
      h(
        "div",
        { class: "add-row" },
        h(
          "label",
          { for: input.id, class: "linkish small" },
          "Choose another file from this computer",
        ),
        input,
        several,
      ),
      note,
    );
  },

  format(field) {
    const element = select(
      [["", "find it"], ...FORMATS],
      field.value ?? "",
      "Format",
      (value) => field.set(value || null),
      { id: field.id },
    );
    return Object.assign(labelled(field, element), {
      foundText: (/** @type {import("./found.d.ts").Found} */ found) =>
        `${found.title}: ${found.reasons.format}`,
    });
  },

  /**
   * One of what the file holds: a sheet, a table, a file inside. Hidden where there is no choice.
   */
  among(field) {
    const property = field.property,
      open = property.open ?? "the first";
    const element = select(
      [["", open]],
      field.value ?? "",
      property.title,
      (value) => field.set(value || null),
      { id: field.id },
    );
    const box = labelled(field, element);
    whenDetected(field, (found) => {
      const names = found.choices[property.among ?? ""] ?? [],
        hidden = found.choices.hidden ?? [],
        rows = property.among === "sheets" ? (found.choices.rows ?? []) : [],
        now = field.form.settings[field.name] ?? "";
      box.hidden = names.length < 2 && !now;
      const options = [
        ["", open],
        ...names.map((/** @type {string} */ name, /** @type {number} */ n) => {
          const told = [rows[n], hidden.includes(name) ? "hidden" : ""].filter(Boolean);
          return [name, told.length ? `${name} (${told.join(", ")})` : name];
        }),
      ];
      if (property.among === "members" && names.length > 1)
        options.push(["*", "all of them, below each other"]);
      if (now && !options.some(([key]) => key === now)) options.push([now, now]);
      element.replaceChildren(
        ...options.map(([key, text]) => h("option", { value: key, selected: key === now }, text)),
      );
    });
    return box;
  },

  sheets(field) {
    const place = h("div");
    const box = group(field, place);
    whenDetected(field, (found) => {
      const names = found.choices.sheets ?? [],
        chosen = field.form.settings.sheets ?? [];
      box.hidden = names.length < 2;
      if (box.hidden || place.dataset.names === names.join("\n")) return;
      place.dataset.names = names.join("\n");
      place.replaceChildren(
        h(
          "details",
          { open: chosen.length > 0 || full(found).length > 1 || null },
          h(
            "summary",
            { class: "linkish" },
            chosen[0] === "*"
              ? "All sheets"
              : chosen.length
                ? `${chosen.length} sheets`
                : `${names.length} sheets, one is read: choose several`,
          ),
          checkList(
            names.map((name, n) => ({
              name,
              kind: [
                found.choices.rows?.[n],
                (found.choices.hidden ?? []).includes(name) ? "hidden" : "",
              ]
                .filter(Boolean)
                .join(", "),
            })),
            chosen[0] === "*" ? names : chosen,
            field.property.title,
            (picked) =>
              field.set(picked.length > 1 ? (picked.length === names.length ? ["*"] : picked) : []),
          ),
        ),
      );
    });
    return box;
  },

  range(field) {
    const list = h("datalist", { id: freshId("ranges") });
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: field.id,
      value: field.value ?? "",
      list: list.id,
      spellcheck: "false",
      placeholder: "the whole sheet",
      oninput: () => field.set(input.value.trim() || null),
    });
    whenDetected(field, (found) =>
      list.replaceChildren(
        ...(found.choices.ranges ?? []).map((name) => h("option", { value: name })),
      ),
    );
    return labelled(field, input, list);
  },

  records(field) {
    const element = select(
      [["", "find them"]],
      field.value ?? "",
      "Records",
      (value) => field.set(value === "" ? null : value),
      { id: field.id },
    );
    const box = labelled(field, element);
    whenDetected(field, (found) => {
      const now = field.form.settings.records ?? "";
      const options = [
        ["", "find them"],
        ...lists(found.raw.tree).map((node) => [
          node.path,
          `${node.path || "/"} (${node.count.toLocaleString("en")})`,
        ]),
      ];
      if (now && !options.some(([key]) => key === now)) options.push([now, now]);
      element.replaceChildren(
        ...options.map(([key, text]) => h("option", { value: key, selected: key === now }, text)),
      );
    });
    return box;
  },

  /** Fields that stand around the records: of the records and the file that hold them. */
  around(field) {
    const place = h("div");
    const box = group(field, place);
    whenDetected(field, (found) => {
      const fields = around(found.raw.tree, found.options.records ?? "");
      box.hidden = !fields.length;
      if (!fields.length) return;
      const chosen = field.form.settings.parent ?? [];
      const value = new Map(fields.map((one) => [one.name, one.value]));
      const name = new Map(fields.map((one) => [one.value, one.name]));
      const set = (/** @type {string[]} */ names) =>
        field.set(names.map((one) => value.get(one) ?? one));
      place.replaceChildren(
        h(
          "details",
          { open: chosen.length > 0 || null },
          h("summary", { class: "linkish" }, `Fields around the records (${fields.length})`),
          checkList(
            fields,
            chosen.map((/** @type {string} */ one) => name.get(one) ?? one),
            field.property.title,
            set,
          ),
        ),
      );
    });
    return box;
  },

  /** Cell formatting taken as columns. */
  marks(field) {
    const marks = (field.value ?? []).map((/** @type {Record<string, any>} */ mark) => ({
        ...mark,
      })),
      place = h("div", { class: "rows" });
    const tell = () =>
      field.set(marks.filter((/** @type {Record<string, any>} */ mark) => mark.column));
    const columns = () =>
      (field.form.found?.columns ?? [])
        .map((/** @type {string} */ name) => ({ name }))
        .filter(
          (/** @type {{name: string}} */ { name }) =>
            !marks.some((/** @type {Record<string, any>} */ mark) =>
              name.startsWith(`${mark.column}: `),
            ),
        );
    const kinds = [
      ["fill", "fill colour"],
      ["bold", "bold"],
      ["strike", "struck through"],
      ["comment", "comment"],
    ];
    const draw = () =>
      place.replaceChildren(
        ...marks.map((/** @type {Record<string, any>} */ mark, /** @type {number} */ n) =>
          h(
            "div",
            { class: "row-item" },
            select(
              columnOptions(columns()),
              mark.column,
              `Column ${n + 1} whose formatting is taken`,
              (value) => {
                mark.column = value;
                tell();
              },
            ),
            select(kinds, mark.what, `What of it, ${n + 1}`, (value) => {
              mark.what = value;
              tell();
            }),
            removeButton(mark.column || "this line", () => {
              marks.splice(n, 1);
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
                marks.push({ column: "", what: "fill" });
                draw();
                place.children[marks.length - 1].querySelector("select")?.focus();
              },
            },
            "+ formatting of a column",
          ),
        ),
      );
    draw();
    return group(field, place);
  },

  /** The columns that the file had when it was set up; a later file that differs is told of. */
  layout(field) {
    const says = h("div", { class: "field-detected" });
    const take = h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        disabled: !field.form.found,
        onclick: () => field.set([...field.form.found.columns]),
      },
      "Take them as they are now",
    );
    const forget = h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        onclick: () => {
          field.set([]);
        },
      },
      "Do not compare",
    );
    whenDetected(field, (found) => {
      take.disabled = false;
      const layout = field.form.settings.layout ?? [],
        same = JSON.stringify(layout) === JSON.stringify(found.columns);
      says.textContent = !layout.length
        ? "Not compared"
        : same
          ? `${layout.length} columns, as they are now`
          : "The file has other columns now";
      take.hidden = same;
      forget.hidden = !layout.length;
    });
    return group(field, says, h("div", { class: "add-row" }, take, forget));
  },
};
