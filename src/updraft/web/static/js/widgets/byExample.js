/**
 * A formula by example: type what one or two rows should give, and choose among what that may mean.
 */
import { freshId, h, pausing } from "../dom.js";
import { columnsOf } from "./basic.js";

/**
 * @param {any} field the formula's field
 * @param {(formula: string) => void} take writes the chosen formula
 */
export function byExample(field, take) {
  const columns = columnsOf(field);
  /** @type {Record<string, string>} what rows should give */
  const given = {};
  /** @type {Set<string>} rows of which nothing is to come: an empty box alone says that nobody has said */
  const empty = new Set();
  const first = columns.find((column) => column.kind === "text") ?? columns[0];
  const chosen = [field.prefers ?? first?.name ?? ""];
  let asked = 0;
  const rows = h("div", { class: "examples" });
  const found = h("div", { class: "readings", role: "group", "aria-label": "What it may mean" });
  const says = h("p", { class: "small muted", role: "status" });

  const ask = async () => {
    const give = Object.fromEntries(
      Object.entries(given).filter(([row, value]) => value !== "" || empty.has(row)),
    );
    asked += 1;
    const turn = asked;
    const answer = await field.context.examples(chosen.filter(Boolean), give);
    if (!answer || turn !== asked) return; // other columns were chosen, or more was said, meanwhile
    drawRows(answer);
    drawReadings(answer, Object.keys(give).length > 0);
  };
  const soon = pausing(250, ask);

  /**
   * Each row with what stands there and a place for what it should give; the one asked for stands
   * out.
   */
  const drawRows = (
    /** @type {{rows: any[], question: number | null}} */ { rows: all, question },
  ) => {
    for (const { row, from } of all) {
      const known = rows.querySelector(`[data-row="${row}"]`);
      if (known) known.classList.toggle("asked", row === question);
      else rows.append(line(row, from, row === question));
    }
  };
  const line = (
    /** @type {number} */ row,
    /** @type {(string | null)[]} */ from,
    /** @type {boolean} */ asked,
  ) => {
    const id = freshId("gives");
    const input = h("input", {
      type: "text",
      id,
      class: "form-control form-control-sm",
      placeholder: "should give",
      spellcheck: "false",
      oninput: () => {
        given[row] = input.value;
        none.setAttribute("aria-pressed", "false");
        empty.delete(String(row));
        soon();
      },
    });
    const none = h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        "aria-pressed": "false",
        title: "Nothing comes of this row",
        onclick: () => {
          const yes = !empty.has(String(row));
          none.setAttribute("aria-pressed", String(yes));
          if (yes) empty.add(String(row));
          else empty.delete(String(row));
          input.value = given[row] = "";
          ask();
        },
      },
      "empty",
    );
    return h(
      "div",
      { class: `example${asked ? " asked" : ""}`, dataset: { row } },
      h("label", { for: id, dir: "auto" }, from.map((text) => text ?? "empty").join(" · ")),
      input,
      none,
    );
  };

  const drawReadings = (
    /** @type {{readings: {sentence: string, formula: string}[], question: number | null, rows: any[]}} */ {
      readings,
      question,
      rows: shown,
    },
    /** @type {boolean} */ some,
  ) => {
    says.textContent = !some
      ? ""
      : !readings.length
        ? "Nothing known here gives this. Give another row, or write the formula."
        : question === null
          ? ""
          : "In doubt: say what the marked row should give, or choose one.";
    found.replaceChildren(
      ...readings.map((reading, n) =>
        h(
          "button",
          { type: "button", class: "reading", onclick: () => take(reading.formula) },
          h("strong", {}, reading.sentence),
          h("span", {}, shown.map((row) => row.values[n] || "empty").join(" · ")),
        ),
      ),
    );
  };

  const begin = () => {
    for (const row of Object.keys(given)) delete given[row];
    empty.clear();
    rows.replaceChildren();
    found.replaceChildren();
    return ask();
  };
  const source = (/** @type {number} */ n) =>
    h(
      "select",
      {
        class: "form-select form-select-sm",
        "aria-label": n ? "and" : "Made from",
        onchange: (event) => {
          chosen[n] = event.target.value;
          begin();
        },
      },
      n ? h("option", { value: "" }, "and no other") : null,
      columns.map((column) =>
        h("option", { value: column.name, selected: chosen[n] === column.name }, column.name),
      ),
    );
  return h(
    "details",
    {
      class: "more by-example",
      ontoggle: (event) => event.target.open && !rows.children.length && begin(),
    },
    h("summary", {}, "By example"),
    h("div", { class: "row-item" }, source(0), source(1)),
    rows,
    says,
    found,
  );
}
