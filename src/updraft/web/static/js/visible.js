/**
 * Text with what one would not see made visible: blanks at the ends, doubled or odd ones, letters
 * of another alphabet.
 */
import { h } from "./dom.js";

const HIDDEN = /^\s|\s$|\s\s|[\u00a0\u2000-\u200d\u202f\u2060\ufeff\t\r\n\u0000-\u001f\u007f]/;
const BLANKS =
  /(^\s+|\s+$|\s{2,}|[\u00a0\u2000-\u200d\u202f\u2060\ufeff\t\r\n\u0000-\u001f\u007f]+)/;
const OTHER = /[\u0370-\u03ff\u0400-\u04ff]/;
const SIGNS = {
  "\n": "↵",
  "\r": "↵",
  "\t": "→",
  "\u00a0": "⍽",
  "\u202f": "⍽",
  "\u200b": "¦",
  "\u200c": "¦",
  "\u200d": "¦",
  "\u2060": "¦",
  "\ufeff": "¦",
};
const sign = (c) => SIGNS[c] ?? (c < " " || c === "\u007f" ? "�" : "·");

/** A text, or a span of it with marks where something would not be seen. */
export function visible(text) {
  const mixed = OTHER.test(text) && /[A-Za-z]/.test(text);
  if (!HIDDEN.test(text) && !mixed) return text;
  const parts = text
    .split(BLANKS)
    .filter(Boolean)
    .flatMap((part) => {
      const edge = part === " " && (text.startsWith(" ") || text.endsWith(" "));
      if (BLANKS.test(part) && (part !== " " || edge))
        return h(
          "span",
          { class: "cell-blank", title: "a blank one would not see" },
          [...part].map(sign).join(""),
        );
      if (!mixed) return part;
      return [...part].map((c) =>
        OTHER.test(c)
          ? h(
              "span",
              {
                class: "cell-blank",
                title: `${c < "\u0400" ? "Greek" : "Cyrillic"} letter that looks like another`,
              },
              c,
            )
          : c,
      );
    });
  return h("span", {}, parts);
}
