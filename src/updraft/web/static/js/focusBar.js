/**
 * The line above the grid: whose table it is, which of its outputs, and which rows are looked at,
 * as chips.
 */
import { byId, count, framed, h, icon, pausing, plural } from "./dom.js";

export function showFocusBar({ table, step, draft, view, focus, total, findings, act }) {
  const chips = [],
    place = byId("focus-bar");
  if (table) {
    const sides = Object.entries(table.sides).filter(([, n]) => n || table.output);
    if (sides.length)
      chips.push(
        ...[["", "Result"], ...sides].map(([name, n]) =>
          h(
            "button",
            {
              type: "button",
              class: `chip${name ? " chip-warn" : ""}`,
              "aria-pressed": String(table.output === name),
              onclick: () => act.showSide(name),
            },
            name ? `${act.outputTitle(name)}: ${count(n)}` : "Result",
          ),
        ),
      );
    if (findings)
      chips.push(
        h(
          "button",
          {
            type: "button",
            class: `chip chip-find${findings.list?.length ? " some" : ""}`,
            onclick: () => act.showFindings(),
          },
          findings.list === null
            ? [h("span", { class: "dots", "aria-hidden": "true" }), "Looking for problems"]
            : findings.list.length
              ? `${plural(findings.list.length, "finding", "findings")}${findings.looking ? " so far" : ""}`
              : findings.trouble
                ? "Not looked at"
                : [icon("check2"), "Nothing looks wrong"],
        ),
      );
    const changed = table.columns.reduce((sum, column) => sum + column.changed, 0);
    if (changed && table.before)
      chips.push(
        h(
          "button",
          {
            type: "button",
            class: "chip chip-fresh",
            "aria-pressed": String(view.changed),
            onclick: () => act.onlyChanged(!view.changed),
          },
          `${plural(changed, "changed cell", "changed cells")}`,
          view.changed ? icon("x-lg") : null,
        ),
      );
    if (act.compared?.new)
      chips.push(
        h(
          "button",
          { type: "button", class: "chip chip-fresh", onclick: () => act.showNew() },
          plural(act.compared.new, "new row", "new rows"),
        ),
      );
    if (act.compared?.gone)
      chips.push(
        h(
          "button",
          {
            type: "button",
            class: "chip",
            "aria-pressed": String(Boolean(act.compared.shown)),
            onclick: () => act.showGone(),
          },
          plural(act.compared.gone, "row gone", "rows gone"),
          act.compared.shown ? icon("x-lg") : null,
        ),
      );
    const brought = table.columns.filter((column) => column.origin === step?.label);
    if (brought.length && !table.output)
      chips.push(
        h(
          "button",
          {
            type: "button",
            class: "chip",
            title: brought.map((column) => column.name).join(", "),
            onclick: () => act.reveal(brought[0].name),
          },
          `+${plural(brought.length, "column", "columns")}`,
        ),
      );
    if (view.sort)
      chips.push(
        h(
          "button",
          {
            type: "button",
            class: "chip",
            title: "Back to the table's own order",
            onclick: () => act.unsort(),
          },
          `sorted by ${view.sort}`,
          icon("x-lg"),
        ),
        h(
          "button",
          {
            type: "button",
            class: "tiny-button",
            title: "Steps work on the table's own order, not on this one, unless it becomes a step",
            onclick: () => act.keepOrder(),
          },
          "Sort for good",
        ),
      );
  }
  const title = !step
    ? ""
    : table && table.step !== step.id
      ? `Before “${step.label}”`
      : draft
        ? "With these settings"
        : act.compared?.shown
          ? "Rows that are gone"
          : step.role === "source"
            ? step.label
            : `After “${step.label}”`;
  place.replaceChildren(
    title ? h("h2", { title }, title) : "",
    ...chips,
    behind,
    h("span", { class: "spacer" }),
    table ? searchBox(focus, act) : "",
    table
      ? h(
          "button",
          {
            type: "button",
            class: "chip chip-profile",
            title: "Profile",
            onclick: () => act.showProfile(),
          },
          icon("clipboard-data"),
          h("span", {}, "Profile"),
        )
      : "",
    table
      ? h(
          "button",
          {
            type: "button",
            class: "chip chip-profile chip-chart",
            title: "Chart (Alt C)",
            "aria-label": "Chart",
            onclick: () => act.showChart(),
          },
          icon("bar-chart-line"),
        )
      : "",
  );
  lined = chips;
  fitSoon();
  if (!watching) {
    watching = new ResizeObserver(fitSoon); // not within the layout that it tells of
    watching.observe(place);
  }
  sampleLine(table, act);
  focusLine({ table, focus, total, act });
}

/** That the rows are a sample, of what, and what that means for the numbers. */
function sampleLine(table, act) {
  const line = byId("sample-line");
  line.hidden = !table?.sample;
  if (line.hidden) return line.replaceChildren();
  const means =
    table.samples > 1
      ? "Rows of two samples seldom meet; a run takes all rows."
      : "Counts here are of the sample; a run takes all rows.";
  line.replaceChildren(
    h("span", {}, h("strong", {}, "Sample"), ` · ${table.sample}. ${means}`),
    h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        title: "Compute every step on all rows and tell how many there are; nothing is delivered",
        onclick: () => act.countAll(),
      },
      "Count all rows",
    ),
  );
}

/** The chips in their order, and those of them that have no room. */
let lined = [];
const folded = h("div", { class: "chips-folded" });
const behind = h(
  "details",
  {
    class: "chips-behind",
    hidden: true,
    onkeydown: (event) => {
      if (event.key !== "Escape" || !behind.open) return;
      event.stopPropagation();
      behind.open = false;
      /** @type {HTMLElement} */ (behind.firstChild).focus();
    },
  },
  h("summary", { class: "chip" }, "more"),
  folded,
);
folded.addEventListener("click", () => {
  behind.open = false;
});

/**
 * Chips that have no room go behind “more”, the last ones first, warnings and findings last, so
 * that the title keeps its own.
 */
function fit() {
  const place = byId("focus-bar");
  folded.replaceChildren();
  behind.before(...lined);
  behind.hidden = true;
  place.classList.remove("tight");
  const tight = place.classList.toggle("tight", place.scrollWidth > place.clientWidth);
  if (box) box.placeholder = tight ? "Search" : "Search the rows"; // whole words, at either width
  const stays = (chip) => chip.matches(".chip-warn, .chip-find");
  const last = [...lined.filter(stays), ...lined.filter((chip) => !stays(chip))];
  while (last.length && place.scrollWidth > place.clientWidth) {
    behind.hidden = false;
    folded.prepend(last.pop());
  }
}

const fitSoon = framed(fit);

/** @type {ResizeObserver | undefined} */
let watching;

/** One search box that stays while it is typed into. */
let box = null;
function searchBox(focus, act) {
  box ??= h("input", {
    type: "search",
    class: "form-control form-control-sm table-search",
    placeholder: "Search the rows",
    "aria-label": "Search all columns",
    oninput: pausing(250, () => box.search(box.value)),
  });
  box.search = (text) => act.search(text);
  if (document.activeElement !== box) box.value = focus.search;
  return box;
}

/** The rows in focus as chips, with what can be made of them. */
function focusLine({ table, focus, total, act }) {
  const line = byId("focus-line");
  line.hidden = !table || focus.nothing;
  if (line.hidden) {
    line.replaceChildren();
    return;
  }
  const chip = (text, away, what) =>
    h(
      "span",
      { class: "chip chip-focus", title: text },
      h("span", {}, text),
      h(
        "button",
        { type: "button", "aria-label": `Take away ${what}`, onclick: away },
        icon("x-lg"),
      ),
    );
  const more = h(
    "button",
    {
      type: "button",
      class: "tiny-button",
      "aria-haspopup": "menu",
      onclick: (event) => act.focusMenu(event.currentTarget),
    },
    "More",
    icon("chevron-down"),
  );
  line.replaceChildren(
    h(
      "strong",
      { role: "status" },
      total === null ? "…" : `${count(total)} of ${plural(table.rows, "row", "rows")}`,
    ),
    h(
      "div",
      { class: "focus-chips" },
      focus.chips.map((one) => chip(one.label, () => act.unfocus(one), one.label)),
      focus.search ? chip(`contains “${focus.search}”`, () => act.search(""), "the search") : null,
    ),
    h("span", { class: "spacer" }),
    ...(table.output || act.compared?.shown
      ? []
      : [
          h(
            "button",
            { type: "button", class: "tiny-button", onclick: () => act.focusStep("keep") },
            "Keep only these",
          ),
          h(
            "button",
            { type: "button", class: "tiny-button", onclick: () => act.focusStep("drop") },
            "Drop these",
          ),
          more,
        ]),
    h("button", { type: "button", class: "tiny-button", onclick: () => act.clearFocus() }, "Clear"),
  );
}
