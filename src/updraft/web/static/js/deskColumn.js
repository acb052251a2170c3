/** The desk of a column: values, figures, patterns, and the column beside another. Looking changes nothing. */
import { api, attempt } from "./api.js";
import { count, h, icon, plural, share } from "./dom.js";
import { exact, short } from "./deskProfile.js";
import { condition } from "./focus.js";
import { rangeHistogram, scatterPicture } from "./pictures.js";
import { ValueList } from "./valueList.js";
import { select } from "./widgets/basic.js";

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const ORDERED = new Set(["whole", "number", "date", "datetime"]);

export class ColumnDesk {
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
    this.bins = 24;
    this.log = false;
    this.fine = false;
  }

  async show(name) {
    const { table } = this.studio,
      column = table.columns.find((c) => c.name === name);
    if (!column) return;
    if (this.name !== name || this.kind !== column.kind) {
      this.tab = "values";
      this.range = null;
      this.other = "";
    }
    this.name = name;
    this.kind = column.kind;
    this.column = column;
    const { grid } = this.studio;
    const way = (text, sign, value) =>
      h(
        "button",
        { type: "button", class: "chip", onclick: () => grid.sort(name, value) },
        icon(sign),
        text,
      );
    this.figures = h("dl", { class: "figures" });
    this.body = h("div");
    const tabs = [
      ["values", "Values"],
      ["figures", ORDERED.has(column.kind) ? "Histogram" : "Figures"],
      ...(column.kind === "text" ? [["patterns", "Patterns"]] : []),
      ["pair", "Pairs"],
    ];
    this.tabs = h(
      "div",
      {
        class: "tabs",
        role: "tablist",
        "aria-label": "Ways to look",
        onkeydown: (event) => this.keys(event),
      },
      tabs.map(([key, text]) =>
        h(
          "button",
          {
            type: "button",
            role: "tab",
            id: `tab-${key}`,
            "aria-selected": String(this.tab === key),
            "aria-controls": "column-tab",
            tabindex: this.tab === key ? null : "-1",
            onclick: () => this.open(key),
          },
          text,
        ),
      ),
    );
    this.body = h("div", {
      id: "column-tab",
      role: "tabpanel",
      "aria-labelledby": `tab-${this.tab}`,
    });
    this.desk.show("column", {
      eyebrow: `Column · ${column.kind_title}`,
      title: name,
      summary: column.origin
        ? `Brought by “${column.origin}”`
        : column.evidence
          ? `${column.kind_title.replace(/^./, (c) => c.toUpperCase())}: ${column.evidence}`
          : "Looking changes nothing in the data",
      tools: h(
        "button",
        {
          type: "button",
          class: "icon-button",
          "aria-label": "Back to the step",
          title: "Back to the step (Esc)",
          onclick: () => this.studio.act.chooseColumn(null),
        },
        icon("x-lg"),
      ),
      body: [
        this.figures,
        h(
          "div",
          { class: "add-row mb-2" },
          way("Sort up", "sort-up", "up"),
          way("Sort down", "sort-down", "down"),
          column.kind === "whole" || column.kind === "number" ? this.thousands(grid) : null,
          h(
            "button",
            {
              type: "button",
              class: "chip",
              title: "Keep the columns up to here in sight while scrolling",
              onclick: () => grid.freeze(name),
            },
            icon("pin-angle"),
            "Freeze",
          ),
        ),
        this.tabs,
        this.body,
      ],
    });
    this.drawTab();
    await this.refresh();
  }

  keys(event) {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    const all = [...this.tabs.children],
      to = all[(all.indexOf(document.activeElement) + by + all.length) % all.length];
    to.click();
    to.focus();
  }

  open(tab) {
    this.tab = tab;
    for (const button of this.tabs.children) {
      const on = button.id === `tab-${tab}`;
      button.setAttribute("aria-selected", String(on));
      button.tabIndex = on ? 0 : -1;
    }
    this.body.setAttribute("aria-labelledby", `tab-${tab}`);
    this.drawTab();
    this.refresh();
  }

  drawTab() {
    if (this.tab === "values") {
      this.list = new ValueList(this.studio, this.name, this.kind);
      this.body.replaceChildren(this.list.element);
      this.list.load();
    } else {
      this.list = null;
      this.body.replaceChildren(h("p", { class: "muted", role: "status" }, "Working it out…"));
    }
  }

  address(what, more = {}) {
    const { table, flow, focus } = this.studio;
    return `/api/flows/${flow}/tables/${table.key}/${what}?${new URLSearchParams({ column: this.name, output: table.output, ...(focus.text ? { focus: focus.text } : {}), ...more })}`;
  }

  /** Get the figures anew: the table, the focus or the way to look has changed. */
  async refresh() {
    const asked = (this.asked = {});
    const found = await attempt(() =>
      api(
        this.address("column", {
          bins: this.bins,
          log: this.log ? "1" : "0",
          fine: this.fine ? "1" : "0",
        }),
      ),
    );
    if (!found || asked !== this.asked || this.desk.view !== "column") return;
    this.found = found;
    this.ways = new Map(found.ways.map((way) => [way.key, way]));
    const figure = (term, number) => h("div", {}, h("dt", {}, term), h("dd", {}, number));
    const way = (term, key) => {
      const one = this.ways.get(key);
      return one ? figure(term, this.opens(one, count(one.rows))) : null;
    };
    this.figures.replaceChildren(
      ...[
        figure("rows", count(found.rows)),
        figure("distinct", count(found.distinct ?? 0)),
        way("empty", "empty"),
        way("blanks only", "blank"),
        way(this.kind === "text" ? "odd" : "infinite", "odd"),
        way("no number", "no_number"),
      ].filter(Boolean),
    );
    if (this.tab === "figures") this.drawFigures(found);
    if (this.tab === "patterns") this.drawPatterns(found);
    if (this.tab === "pair") this.drawPair();
  }

  /** A count that shows its rows: the rule that it was counted by becomes the selection. */
  opens(way, text) {
    const { studio, name } = this;
    const chip = { label: `${name}: ${way.label}`, column: name, rule: way.rule };
    if (!way.rows) return text;
    return h(
      "button",
      {
        type: "button",
        class: "count-way",
        "aria-label": `${way.label}: ${plural(way.rows, "row", "rows")}, show them`,
        "aria-pressed": String(studio.focus.has(chip)),
        onclick: () =>
          studio.setFocus((focus) => (focus.has(chip) ? focus.remove(chip) : focus.only(chip))),
      },
      text,
    );
  }

  /** A count of the figures, which opens its rows; 0 where there is none. */
  counted(key) {
    const way = this.ways.get(key);
    return way ? this.opens(way, count(way.rows)) : "0";
  }

  /** Bars with their counts, each the way to its rows. */
  bars(title, pairs) {
    const most = Math.max(...pairs.map(([, way]) => way?.rows ?? 0), 1);
    const line = ([text, way]) => {
      const bar = h("span");
      bar.style.width = `${(100 * (way?.rows ?? 0)) / most}%`;
      return h(
        "li",
        {},
        h("span", { class: "v" }, text),
        h("span", { class: "bar-cell", "aria-hidden": "true" }, bar),
        h("span", { class: "n" }, way ? this.opens(way, count(way.rows)) : "0"),
      );
    };
    return h(
      "div",
      { class: "section-line" },
      h("h3", { class: "field-title" }, title),
      h("ul", { class: "plain bars" }, pairs.map(line)),
    );
  }

  /** Whether thousands stand apart: a way of showing, kept for this flow in this browser. */
  thousands(grid) {
    const button = h(
      "button",
      {
        type: "button",
        class: "chip",
        title: "Show thousands apart; the data stays as it is",
        "aria-label": "1,234: thousands apart",
        "aria-pressed": String(grid.apart(this.name)),
        onclick: () => {
          grid.setApart(this.name, !grid.apart(this.name));
          this.refresh();
          button.setAttribute("aria-pressed", String(grid.apart(this.name)));
        },
      },
      "1,234",
    );
    return button;
  }

  /** The focus changed: everything follows. */
  focused() {
    this.list?.load(true);
    return this.refresh();
  }

  drawFigures(found) {
    const rows = (pairs) =>
      h(
        "dl",
        { class: "facts" },
        pairs
          .filter(([, value]) => value !== null && value !== undefined)
          .map(([term, value]) => [h("dt", {}, term), h("dd", {}, value)]),
      );
    const n = found.numbers ?? {},
      parts = [];
    if (found.histogram) parts.push(...this.histogram(found.histogram));
    const apart = this.studio.grid.apart(this.name);
    const figure = (number) => short(number, apart);
    if (ORDERED.has(this.kind) && n.min !== undefined)
      parts.push(
        rows([
          ["Smallest", exact(n.min, apart)],
          ["5 %", figure(n.q05)],
          ["Lower quartile", figure(n.q25)],
          ["Median", figure(n.median)],
          ["Mean", figure(n.mean)],
          ["Upper quartile", figure(n.q75)],
          ["95 %", figure(n.q95)],
          ["Largest", exact(n.max, apart)],
          ["Spread", n.spread === null ? null : figure(n.spread)],
          ["Zeros", this.counted("zeros")],
          ["Negatives", this.counted("negatives")],
        ]),
      );
    else if (n.longest !== undefined)
      parts.push(
        rows([
          ["Shortest", plural(n.shortest, "character", "characters")],
          ["Mean length", short(n.mean_length)],
          ["Longest", plural(n.longest, "character", "characters")],
        ]),
      );
    if (found.days) {
      parts.push(
        rows([
          ["First", found.days.first],
          ["Last", found.days.last],
          ["Days without a row", count(found.days.missing_days)],
          ["Longest gap", plural(found.days.longest_gap, "day", "days")],
        ]),
      );
      parts.push(
        this.bars(
          "By weekday",
          DAYS.map((day) => [day.slice(0, 3), this.ways.get(`weekday:${day}`)]),
        ),
        this.bars(
          "By month",
          found.ways.filter(({ key }) => key.startsWith("month:")).map((way) => [way.label, way]),
        ),
      );
    }
    const list = (title, pairs) =>
      pairs?.length
        ? h(
            "div",
            { class: "section-line" },
            h("h3", { class: "field-title" }, title),
            h(
              "ul",
              { class: "plain" },
              pairs.map(([text, number]) =>
                h(
                  "li",
                  {},
                  h("span", { class: "v" }, text),
                  h("span", { class: "n" }, count(number)),
                ),
              ),
            ),
          )
        : null;
    parts.push(list("Most frequent", found.most), list("Least frequent", found.least));
    this.body.replaceChildren(...parts.filter(Boolean));
  }

  histogram(found) {
    const { studio, name } = this;
    const beside = [
      ["empty", "empty"],
      ["no_number", "no number"],
      this.log ? ["not_above_0", "not above 0"] : ["odd", "infinite or undefined"],
    ]
      .filter(([key]) => this.ways.has(key) && (key !== "odd" || this.kind !== "text"))
      .map(([key, label]) => [this.ways.get(key), label])
      .filter(([way]) => way.rows);
    const tool = (text, on, act) =>
      h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          "aria-pressed": on === null ? null : String(on),
          onclick: act,
        },
        text,
      );
    const text = this.kind === "text",
      numeric = text || this.kind === "whole" || this.kind === "number";
    const tools = h(
      "div",
      { class: "add-row" },
      numeric
        ? [
            tool("linear", !this.log, () => {
              this.log = false;
              this.refresh();
            }),
            tool("logarithmic", this.log, () => {
              this.log = true;
              this.refresh();
            }),
          ]
        : null,
      tool("coarser", null, () => {
        this.bins = Math.max(6, Math.round(this.bins / 2));
        this.refresh();
      }),
      tool("finer", null, () => {
        this.bins = Math.min(96, this.bins * 2);
        this.refresh();
      }),
    );
    const integers = (this.kind === "whole" || this.kind === "date") && !found.log,
      steps = integers || this.kind === "datetime",
      scale = `${this.bins} ${this.log}`;
    if (!studio.focus.chips.some((chip) => chip.column === name)) this.range = null;
    if (!found.counts.length)
      return [h("p", { class: "muted" }, "There is no value to draw."), tools];
    const from = h("input", {
        type: "text",
        class: "form-control form-control-sm",
        "aria-label": "From",
        value: this.range?.from ?? found.labels[0],
      }),
      to = h("input", {
        type: "text",
        class: "form-control form-control-sm",
        "aria-label": "To",
        value:
          this.range?.to ??
          (integers ? before(found.edges.at(-1), this.kind) : found.labels.at(-1)),
      });
    const take = (conditions) => {
      const low = from.value.trim(),
        high = to.value.trim();
      if (low && high)
        studio.setFocus((focus) =>
          focus.only({
            label: `${name} ${low} to ${high}`,
            column: name,
            rule: {
              match: "all",
              of: conditions ?? [condition(name, "between", { value: low, to: high })],
            },
          }),
        );
    };
    const chosen = (a, b) => {
      from.value = found.labels[a];
      // The last bin holds its upper edge too; those of whole numbers and days end before the next one begins.
      to.value = integers ? before(found.edges[b], this.kind) : found.labels[b];
      this.range = { bins: [a, b], scale, from: from.value, to: to.value };
      // As the bins are counted: each with its lower edge, the last of numbers with its upper one too.
      const last = b === found.counts.length && !steps ? "at_most" : "less";
      take([
        condition(name, "at_least", { value: found.labels[a] }),
        condition(name, last, { value: found.labels[b] }),
      ]);
    };
    const picture = rangeHistogram(
      found,
      this.range?.scale === scale ? this.range.bins : null,
      text ? null : chosen,
      integers ? before(found.edges.at(-1), this.kind) : null,
    );
    return [
      tools,
      picture,
      text
        ? h("p", { class: "muted small" }, "Set the column to number to choose a range.")
        : h(
            "form",
            {
              class: "range-form",
              onsubmit: (event) => {
                event.preventDefault();
                take(null);
              },
            },
            from,
            h("span", { class: "arrow" }, "to"),
            to,
            h("button", { class: "btn btn-quiet btn-small" }, "Only these"),
          ),
      beside.length
        ? h(
            "div",
            { class: "add-row" },
            beside.map(([way, label]) => {
              const button = this.opens(way, `${count(way.rows)} ${label}`);
              button.className = "chip chip-warn";
              return button;
            }),
          )
        : null,
    ];
  }

  drawPatterns(found) {
    const { studio, name } = this,
      list = Array.isArray(found.patterns) ? found.patterns : [];
    const told = list.reduce((sum, p) => sum + p.rows, 0);
    const all = Math.max(found.rows - (this.ways.get("empty")?.rows ?? 0), told, 1);
    const tool = (text, fine) =>
      h(
        "button",
        {
          type: "button",
          class: "tiny-button",
          "aria-pressed": String(this.fine === fine),
          onclick: () => {
            this.fine = fine;
            this.refresh();
          },
        },
        text,
      );
    this.body.replaceChildren(
      h(
        "div",
        { class: "add-row" },
        tool("coarse", false),
        tool("fine", true),
        h("span", { class: "muted small" }, "the rare ones first"),
      ),
      list.length
        ? h(
            "ul",
            { class: "patterns" },
            list.map((p) => {
              const chip = {
                label: `${name}: ${p.words.length > 40 ? `${p.words.slice(0, 39)}…` : p.words}`,
                column: name,
                conditions: [condition(name, p.test, { value: p.pattern })],
              };
              return h(
                "li",
                {},
                h(
                  "button",
                  {
                    type: "button",
                    class: "pattern",
                    "aria-pressed": String(studio.focus.has(chip)),
                    onclick: () => studio.setFocus((focus) => focus.toggle(chip)),
                  },
                  h("span", { class: "pattern-words" }, p.words),
                  h("span", { class: "n" }, `${count(p.rows)} · ${share(p.rows / all)}`),
                  h("code", {}, p.example),
                ),
              );
            }),
          )
        : h("p", { class: "muted" }, "There is no text to draw patterns of."),
      list.length && told < all
        ? h(
            "p",
            { class: "muted small" },
            `${plural(all - told, "row is", "rows are")} of other patterns.`,
          )
        : "",
    );
  }

  async drawPair() {
    const others = this.studio.table.columns
      .filter((c) => c.name !== this.name && c.kind !== "list" && c.kind !== "record")
      .map((c) => [c.name, c.name]);
    const place = h("div");
    const pick = select(others, this.other, "Beside which column", (value) => {
      this.other = value;
      this.drawPair();
    });
    const dependencies = h(
      "div",
      { class: "section-line" },
      h("p", { class: "muted" }, "Working out which columns determine which…"),
    );
    this.body.replaceChildren(h("div", { class: "field" }, pick), place, dependencies);
    const asked = this.asked;
    const [both, known] = await Promise.all([
      this.other ? attempt(() => api(this.address("pair", { other: this.other }))) : null,
      attempt(() => api(this.address("dependencies"))),
    ]);
    if (asked !== this.asked) return;
    if (both) place.replaceChildren(...this.pair(both));
    const line = (one, other, part, against) =>
      part < 0.8
        ? null
        : h(
            "li",
            {},
            h("strong", {}, one),
            " determines ",
            h("strong", {}, other),
            ` in ${share(part)} of the rows`,
            against ? ["; not in ", this.exceptions(one, other, against)] : null,
          );
    const said = (known?.columns ?? []).flatMap((found) => [
      line(this.name, found.column, found.determines, found.against),
      line(found.column, this.name, found.determined, found.against_it),
    ]);
    dependencies.replaceChildren(
      h("h3", { class: "field-title" }, "What determines what"),
      said.filter(Boolean).length
        ? h("ul", { class: "plain-text" }, said)
        : h(
            "p",
            { class: "muted" },
            "No other column goes with this one in 80 % of the rows or more.",
          ),
    );
  }

  /** The count of rows that break what one column says of another, which opens them. */
  exceptions(one, other, many) {
    const { studio } = this;
    const chip = {
      label: `${other} unlike others of its ${one}`,
      column: "",
      finding: `against:${JSON.stringify([one, other])}`,
    };
    const show = (focus) => {
      focus.clear();
      focus.chips.push(chip);
    };
    return h(
      "button",
      { type: "button", class: "count-way", onclick: () => studio.setFocus(show) },
      plural(many, "row", "rows"),
    );
  }

  pair({ cross, scatter }) {
    const { studio, name, other } = this,
      most = Math.max(...cross.counts.flat(), 1);
    const cell = (row, column, n) => {
      const td = h(
        "td",
        {},
        n
          ? h(
              "button",
              {
                type: "button",
                "aria-label": `${name} ${row ?? "empty"} and ${other} ${column ?? "empty"}: ${n} rows`,
                onclick: () =>
                  studio.setFocus((focus) => {
                    focus.only(single(name, row));
                    focus.only(single(other, column));
                  }),
              },
              count(n),
            )
          : "",
      );
      td.style.setProperty("--heat", n ? 0.1 + 0.5 * (n / most) : 0);
      return td;
    };
    const label = (text) => text ?? "empty";
    const parts = [
      h(
        "div",
        { class: "cross-scroll", tabindex: "0", role: "region", "aria-label": "Cross table" },
        h(
          "table",
          { class: "cross" },
          h(
            "thead",
            {},
            h(
              "tr",
              {},
              h("td", {}),
              cross.columns.map((text) =>
                h("th", { scope: "col", title: label(text) }, label(text)),
              ),
              cross.more_columns
                ? h("th", { scope: "col" }, `+${count(cross.more_columns)}`)
                : null,
              h("th", { scope: "col" }, "all"),
            ),
          ),
          h(
            "tbody",
            {},
            cross.rows.map((text, at) => {
              const sum = cross.counts[at].reduce((a, b) => a + b, 0);
              return h(
                "tr",
                {},
                h("th", { scope: "row", title: label(text) }, label(text)),
                cross.counts[at].map((n, m) => cell(text, cross.columns[m], n)),
                cross.more_columns
                  ? h("td", { class: "muted" }, count(cross.row_totals[at] - sum))
                  : null,
                h("td", { class: "total" }, count(cross.row_totals[at])),
              );
            }),
          ),
        ),
      ),
    ];
    if (cross.more_rows)
      parts.push(
        h(
          "p",
          { class: "muted small" },
          `and ${plural(cross.more_rows, "value", "values")} of ${name} more`,
        ),
      );
    if (scatter?.all)
      parts.unshift(
        scatterPicture(scatter.points, name, other),
        h(
          "p",
          { class: "muted small" },
          `${name} across, ${other} up; ${scatter.points.length < scatter.all ? `${count(scatter.points.length)} of ${count(scatter.all)} points are drawn, all are counted` : `${plural(scatter.all, "point", "points")}`}. Correlation ${scatter.correlation === null ? "none" : scatter.correlation.toFixed(2)}, of ranks ${scatter.rank_correlation === null ? "none" : scatter.rank_correlation.toFixed(2)}.`,
        ),
      );
    return parts;
  }
}

const single = (column, text) => ({
  label: text === null ? `${column} empty` : `${column} “${text}”`,
  column,
  conditions: [
    text === null ? condition(column, "empty") : condition(column, "one_of", { values: [text] }),
  ],
});
function before(edge, kind) {
  if (kind === "whole") return String(edge - 1);
  return new Date((edge - 1) * 86400000).toISOString().slice(0, 10);
}
