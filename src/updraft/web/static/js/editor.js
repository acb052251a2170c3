/** The editor of formulas: columns and functions at hand, what is wrong marked where it stands. */
import {
  autocompletion,
  bracketMatching,
  closeBrackets,
  closeBracketsKeymap,
  completionKeymap,
  Decoration,
  defaultKeymap,
  EditorState,
  EditorView,
  history,
  historyKeymap,
  keymap,
  placeholder,
  StateEffect,
  StateField,
  ViewPlugin,
} from "../vendor/codemirror/codemirror.js";
import { data, h } from "./dom.js";

const TOKEN =
  /`[^`\n]*`?|'(?:\\.|[^'\\\n])*'?|"(?:\\.|[^"\\\n])*"?|\d+(?:\.\d+)?|[\p{L}_][\p{L}\p{N}_.]*(?:\s*\()?/gu;
const WORDS = new Set(["and", "or", "not", "in", "if", "else", "True", "False", "None"]);

/** A column's name as a formula writes it. */
export const written = (name) => {
  if (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) && !WORDS.has(name)) return name;
  return /[`\n]/.test(name) ? `column(${JSON.stringify(name)})` : `\`${name}\``;
};

/** Marks of the parts of a formula: columns, functions, texts, numbers. */
const coloured = (columns) => {
  const names = () => new Set(columns().map((column) => written(column.name)));
  const marks = (view) => {
    const known = names(),
      found = [];
    for (const match of view.state.doc.toString().matchAll(TOKEN)) {
      const text = match[0];
      const kind = /^['"]/.test(text)
        ? "text"
        : /^\d/.test(text)
          ? "number"
          : text.endsWith("(")
            ? "call"
            : WORDS.has(text)
              ? "word"
              : known.has(text) || text.startsWith("`")
                ? "column"
                : "";
      const size = kind === "call" ? text.replace(/\s*\($/, "").length : text.length;
      if (kind)
        found.push(Decoration.mark({ class: `f-${kind}` }).range(match.index, match.index + size));
    }
    return Decoration.set(found);
  };
  return ViewPlugin.define(
    (view) => ({
      marks: marks(view),
      update(change) {
        if (change.docChanged) this.marks = marks(change.view);
      },
    }),
    { decorations: (plugin) => plugin.marks },
  );
};

/** Where the formula is wrong. */
const setWrong = StateEffect.define();
const wrong = StateField.define({
  create: () => Decoration.none,
  update(marks, change) {
    let now = change.docChanged ? Decoration.none : marks;
    for (const effect of change.effects) if (effect.is(setWrong)) now = effect.value;
    return now;
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** What the word before the cursor may become: columns first, then functions with their example. */
const offers = (columns) => (context) => {
  const word = context.matchBefore(/`[^`\n]*|[\p{L}_][\p{L}\p{N}_]*/u);
  if (!word && !context.explicit) return null;
  const names = columns().map((column) => ({
    label: written(column.name),
    detail: column.kind.replace("_", "/"),
    type: "column",
    boost: 2,
  }));
  const calls = data("functions").map((one) => ({
    label: one.name,
    detail: one.signature.slice(one.name.length),
    type: "call",
    apply: `${one.name}(`,
    info: () =>
      h(
        "div",
        { class: "f-info" },
        h("code", {}, one.signature),
        h("p", {}, one.help),
        one.example[0] ? h("code", {}, `${one.example[0]} → ${one.example[1] || "empty"}`) : null,
      ),
  }));
  return {
    from: word?.from ?? context.pos,
    options: [...names, ...calls],
    validFor: /^[\p{L}\p{N}_`]*$/u,
  };
};

/**
 * @param {{value: string, label: string, id: string, columns: () => any[], change: (text: string)
 *   => void}} how
 */
export function formulaEditor({ value, label, id, columns, change }) {
  const view = new EditorView({
    state: EditorState.create({
      doc: value,
      extensions: [
        history(),
        bracketMatching(),
        closeBrackets(),
        wrong,
        coloured(columns),
        autocompletion({
          override: [offers(columns)],
          icons: false,
          interactionDelay: 0,
          maxRenderedOptions: 40,
        }),
        placeholder("such as round(price * packets, 2)"),
        EditorView.lineWrapping,
        EditorView.editorAttributes.of({ class: "formula-editor" }),
        EditorView.contentAttributes.of({ "aria-label": label, id, spellcheck: "false" }),
        EditorView.updateListener.of(
          (update) => update.docChanged && change(update.state.doc.toString()),
        ),
        keymap.of([
          ...closeBracketsKeymap,
          ...completionKeymap,
          ...historyKeymap,
          ...defaultKeymap.filter(({ key }) => !["Escape", "Mod-Enter"].includes(key ?? "")),
        ]),
      ],
    }),
  });
  // Esc closes the list of offers; only without one it is the desk's. The list is gone by the time
  // the key bubbles up.
  let offered = false;
  const looks = () => {
    offered = Boolean(view.dom.querySelector(".cm-tooltip-autocomplete"));
  };
  view.dom.addEventListener("keydown", looks, true);
  view.dom.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && offered) event.stopPropagation();
  });
  return {
    element: view.dom,
    focus: () => view.focus(),
    set(text) {
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    },
    insert(text) {
      view.dispatch(view.state.replaceSelection(text));
      view.focus();
    },
    /** Mark what is wrong; without a place nothing is. */
    mark(place, length = 1) {
      const size = view.state.doc.length;
      const from = Math.min(place ?? 0, size);
      const to = Math.min(from + Math.max(length, 1), size);
      const marks =
        place === undefined || from === to
          ? Decoration.none
          : Decoration.set([Decoration.mark({ class: "f-wrong" }).range(from, to)]);
      view.dispatch({ effects: setWrong.of(marks) });
    },
  };
}
