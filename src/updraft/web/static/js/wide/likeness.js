/**
 * How alike spellings must be: the ways, what is done with what nobody decided, and the slider of
 * strictness.
 */
import { h, plural } from "../dom.js";
import { choice } from "../widgets/basic.js";

/** @type {[name: string, title: string, text: string][]} */
const WAYS = [
  ["letters", "Letters", "case, blanks, marks, accents, order of words"],
  [
    "words",
    "Words",
    "the same name in other words: shortened, with or without such as Ltd, a country in any language",
  ],
  ["slips", "Slips", "a slip of the keyboard away from a frequent one"],
  ["sound", "Sound", "said alike, in several languages"],
  ["close", "Closeness", "few letters apart"],
];

const NEW = [
  ["go_on", "let the run go on"],
  ["hold", "hold it for me"],
  ["stop", "stop it"],
];

const UNDECIDED = [
  ["sure", "merge the sure ones"],
  ["merge", "merge all"],
  ["leave", "leave them"],
];

/**
 * The choices beside the families.
 * @param {import("./frame.js").WideDesk} frame
 * @param {{scale: HTMLElement, soon: () => void, sure: () => void}} acts where the slider is drawn,
 *   what a change of a way does, and deciding the sure ones
 */
export function likenessOf(frame, { scale, soon, sure }) {
  const { settings } = frame;
  /** @param {typeof WAYS[number]} way */
  const way = ([name, title, text]) =>
    h(
      "label",
      { class: "flag way" },
      h("input", {
        type: "checkbox",
        class: "form-check-input",
        checked: settings[name],
        onchange: (event) => {
          frame.set({ [name]: event.target.checked });
          soon();
        },
      }),
      h("span", {}, h("strong", {}, title), h("span", { class: "muted small" }, text)),
    );
  return h(
    "section",
    { class: "wide-right", "aria-label": "How alike" },
    h("h3", { class: "eyebrow" }, "How alike"),
    WAYS.map(way),
    scale,
    h("h3", { class: "eyebrow" }, "What nobody has decided"),
    choice(
      UNDECIDED,
      settings.undecided,
      "What nobody has decided",
      (/** @type {string} */ undecided) => frame.set({ undecided }),
    ),
    h("h3", { class: "eyebrow" }, "Next month"),
    h(
      "p",
      { class: "muted small" },
      "Decided spellings become one by themselves. Where some come that were never seen before:",
    ),
    choice(NEW, settings.new, "New look-alikes", (/** @type {string} */ fresh) =>
      frame.set({ new: fresh }),
    ),
    h(
      "button",
      { type: "button", class: "btn btn-quiet w-100 mt-2", onclick: sure },
      "Decide the sure ones at once",
    ),
  );
}

/**
 * The slider, over how many families each strictness would give.
 * @param {HTMLElement} place
 * @param {import("./answers.d.ts").Strictness[]} told
 * @param {import("./frame.js").WideDesk} frame
 * @param {() => void} soon called after a change
 */
export function drawStrictness(place, told, frame, soon) {
  const { settings } = frame;
  if (!settings.close || !told.length) return place.replaceChildren();
  const most = Math.max(1, ...told.map(([, many]) => many));
  const first = told[0][0];
  const says = h("p", { class: "muted small" });
  const tell = (/** @type {number} */ value) => {
    const near = told.reduce((best, one) =>
      Math.abs(one[0] - value) < Math.abs(best[0] - value) ? one : best,
    );
    says.textContent = `${value.toFixed(2)}: about ${plural(near[1], "family", "families")}, ${plural(near[2], "spelling becomes", "spellings become")} another.`;
  };
  const bars = told.map(([value, many]) => {
    const bar = h("span", { class: value >= settings.strictness - 1e-9 ? "is-in" : "" });
    bar.style.height = `${Math.max(3, (100 * many) / most)}%`;
    return bar;
  });
  tell(settings.strictness);
  place.replaceChildren(
    h("label", { for: "strictness", class: "field-title" }, "Strictness"),
    h("div", { class: "strictness-bars", "aria-hidden": "true" }, bars),
    h("input", {
      type: "range",
      id: "strictness",
      class: "form-range",
      min: String(first),
      max: "1",
      step: "0.01",
      value: String(Math.max(settings.strictness, first)),
      oninput: (event) => {
        const value = Number(event.target.value);
        tell(value);
        bars.forEach((bar, n) => bar.classList.toggle("is-in", told[n][0] >= value - 1e-9));
      },
      onchange: (event) => {
        frame.set({ strictness: Number(event.target.value) });
        soon();
      },
    }),
    h(
      "div",
      { class: "wide-line small muted" },
      h("span", {}, "more families"),
      h("span", {}, "fewer"),
    ),
    says,
  );
}
