/**
 * Widgets for how the text of a file is cut and read: widths, delimiter, encoding, signs, words for
 * nothing.
 */
import { h } from "../dom.js";
import { labelled, select } from "./basic.js";
import { whenDetected } from "./detected.js";

const ENCODINGS = [
  ["utf-8", "UTF-8"],
  ["utf-16", "UTF-16"],
  ["cp1252", "Windows, western"],
  ["cp1250", "Windows, central Europe"],
  ["cp1251", "Windows, Cyrillic"],
  ["cp1253", "Windows, Greek"],
  ["cp1254", "Windows, Turkish"],
  ["cp1257", "Windows, Baltic"],
  ["iso8859_15", "Latin 9"],
  ["mac_roman", "Mac, western"],
  ["shift_jis", "Japanese (Shift JIS)"],
  ["gb18030", "Chinese (GB 18030)"],
];

const titleOf = (/** @type {string} */ encoding) =>
  ENCODINGS.find(([key]) => key === encoding?.replace("-sig", ""))?.[1] ?? encoding;

/** @type {Record<string, import("../forms.js").Widget>} */
export const textWidgets = {
  widths(field) {
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm font-monospace",
      id: field.id,
      value: (field.value ?? []).join(", "),
      placeholder: "found by itself",
      oninput: () => {
        const widths = input.value
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number);
        const are = widths.every((width) => Number.isInteger(width) && width > 0);
        input.setAttribute("aria-invalid", String(!are));
        says.textContent = are ? "" : "Whole numbers of signs, such as 8, 24, 9. Not taken yet.";
        if (are) field.set(widths);
      },
    });
    const says = h("div", { class: "field-detected", role: "status" });
    const box = labelled(field, input, says);
    whenDetected(field, () => {
      if (document.activeElement !== input)
        input.value = (field.form.settings.widths ?? []).join(", ");
    });
    return box;
  },

  delimiter(field) {
    const usual = [
      ["", "find it"],
      [",", "comma"],
      [";", "semicolon"],
      ["\t", "tab"],
      ["|", "bar"],
      [":", "colon"],
      [" ", "blank"],
    ];
    if (field.value && !usual.some(([sign]) => sign === field.value))
      usual.push([field.value, field.value]);
    /** @type {HTMLInputElement} */
    const other = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      maxlength: 1,
      hidden: true,
      "aria-label": "Another delimiter, one character",
      oninput: () => field.set(other.value || null),
    });
    const element = select(
      [...usual, ["other", "another…"]],
      field.value ?? "",
      "Delimiter",
      (value) => {
        other.hidden = value !== "other";
        if (value === "other") other.focus();
        else field.set(value || null);
      },
      { id: field.id },
    );
    return labelled(field, element, other);
  },

  encoding(field) {
    const options = [["", "find it"], ...ENCODINGS];
    if (field.value && !options.some(([key]) => key === field.value))
      options.push([field.value, field.value]);
    const element = select(
      options,
      field.value ?? "",
      "Encoding",
      (value) => field.set(value || null),
      { id: field.id },
    );
    return Object.assign(labelled(field, element), {
      foundText: (/** @type {import("./found.d.ts").Found} */ found) =>
        found.reasons.encoding
          ? `${titleOf(found.options.encoding)}: ${found.reasons.encoding}`
          : "",
    });
  },

  sign(field) {
    const value = field.value ?? null;
    return labelled(
      field,
      select(
        field.property.signs.map((/** @type {[string, string]} */ [sign, text]) => [
          sign === null ? "find" : sign,
          text,
        ]),
        value === null ? "find" : value,
        field.property.title,
        (sign) => field.set(sign === "find" ? null : sign),
        { id: field.id },
      ),
    );
  },

  words(field) {
    /** @type {HTMLInputElement} */
    const input = h("input", {
      type: "text",
      class: "form-control form-control-sm",
      id: field.id,
      value: (field.value ?? []).join(", "),
      placeholder: "n/a, -, ?",
      oninput: () =>
        field.set(
          input.value
            .split(",")
            .map((word) => word.trim())
            .filter(Boolean),
        ),
    });
    return labelled(field, input);
  },
};
