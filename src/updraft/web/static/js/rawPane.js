/**
 * The file as it stands, above its table: its lines or cells with what became of them, or its tree.
 */
import { byId, count, h, icon } from "./dom.js";
import { around } from "./widgets/tree.js";

const TOLD = {
  skipped: "left out",
  comment: "comment",
  header: "header",
  below: "left out",
  ragged: "other width",
};

export class RawPane {
  /** @param {import("./studio.js").Studio} studio */
  constructor(studio) {
    this.studio = studio;
    this.box = byId("raw");
    this.open = localStorage.getItem("raw") !== "closed";
  }

  hide() {
    if (this.box.hidden) return;
    this.box.hidden = true;
    this.studio.grid.resize();
  }

  show(found) {
    if (!found || found.raw.shape === "none") {
      this.hide();
      return;
    }
    this.found = found;
    const { raw } = found;
    const body = raw.shape === "tree" ? this.tree(raw.tree) : this.lines(raw);
    const top = this.box.querySelector(".raw-body")?.scrollTop ?? 0;
    const fold = h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        "aria-expanded": String(this.open),
        onclick: () => {
          this.open = !this.open;
          localStorage.setItem("raw", this.open ? "open" : "closed");
          this.show(this.found);
        },
      },
      this.open ? "Hide the file" : "Show the file",
    );
    const ends = raw.last.length
      ? [
          ["Beginning", ".raw-line", "start"],
          ["End", ".raw-line:last-child", "end"],
        ].map(([text, where, block]) =>
          h(
            "button",
            {
              type: "button",
              class: "tiny-button",
              onclick: () => {
                const all = [...this.box.querySelectorAll(where)];
                const start = block === "start";
                all.at(start ? 0 : -1)?.scrollIntoView({ block: start ? "start" : "end" });
                this.studio.grid.toEnd(block === "end");
              },
            },
            text,
          ),
        )
      : [];
    const says =
      raw.shape === "tree"
        ? "Choose the list whose elements are the rows"
        : found.format === "fixed"
          ? "Drag a border, or use its arrow keys"
          : found.format === "told"
            ? "A line, or a block of lines, is a row"
            : "The header is on another line? Choose its number";
    this.box.replaceChildren(
      h(
        "div",
        { class: "raw-head" },
        h("h3", { class: "eyebrow" }, `As it stands · ${found.files[0]}`),
        h("span", { class: "muted small" }, this.open ? says : found.title),
        h("span", { class: "spacer" }),
        ...(this.open ? ends : []),
        fold,
      ),
      this.open ? body : "",
    );
    this.box.hidden = false;
    this.box.classList.toggle("folded", !this.open);
    if (this.open && body) body.scrollTop = top;
    this.studio.grid.resize();
  }

  lines(raw) {
    const fixed = this.found.format === "fixed",
      widths = this.found.options.widths;
    const wide = raw.shape === "cells" ? cellWidths([...raw.first, ...raw.last]) : [];
    const line = (one) =>
      h(
        "div",
        { class: `raw-line raw-${one.role}` },
        one.skip === null
          ? h("span", { class: "raw-number" }, one.number ? count(one.number) : "")
          : h(
              "button",
              {
                type: "button",
                class: "raw-number",
                title: "Make this line the header",
                "aria-label": `Line ${one.number}: make it the header`,
                onclick: () => this.studio.propose({ skip: one.skip, header: "first" }),
              },
              count(one.number),
            ),
        raw.shape === "cells"
          ? one.cells.map((cell, at) => {
              const place = h("span", { class: "raw-cell", title: cell }, cell);
              place.style.width = `calc(${wide[at]}ch + 16px)`;
              return place;
            })
          : h("span", { class: "raw-text" }, shown(one.text)),
        TOLD[one.role] ? h("span", { class: "raw-told" }, TOLD[one.role]) : null,
      );
    const body = h("div", {
      class: `raw-body${raw.shape === "cells" ? " raw-cells" : ""}`,
      tabindex: 0,
      role: "region",
      "aria-label": "Lines of the file",
    });
    const sheet = h("div", { class: "raw-sheet" }, raw.first.map(line));
    if (fixed) sheet.append(this.borders(widths));
    body.append(sheet);
    const known = new Set(raw.first.map((one) => one.text));
    const last = raw.last.filter(
      (one, n) => raw.first.length >= 200 || (n === raw.last.length - 1 && !known.has(one.text)),
    );
    if (last.length)
      body.append(h("div", { class: "raw-gap" }, "… and its last lines"), ...last.map(line));
    return body;
  }

  /** Movable borders over the lines of fixed-width text. */
  borders(widths) {
    const layer = h("div", { class: "raw-borders" });
    const ends = widths
      .slice(0, -1)
      .map((_width, at) => widths.slice(0, at + 1).reduce((sum, width) => sum + width, 0));
    const total = widths.reduce((sum, width) => sum + width, 0);
    const take = (places) => {
      const sorted = [...new Set(places)]
        .filter((place) => place > 0 && place < total)
        .sort((a, b) => a - b);
      this.studio.propose({
        format: "fixed",
        widths: [...sorted, total].map((end, n) => end - (sorted[n - 1] ?? 0)),
      });
    };
    ends.forEach((end, n) => {
      const move = (to) => take(ends.map((other, m) => (m === n ? to : other)));
      const handle = h("div", {
        class: "raw-border",
        role: "slider",
        tabindex: 0,
        "aria-label": `Border ${n + 1}`,
        "aria-orientation": "horizontal",
        "aria-valuemin": 1,
        "aria-valuemax": total - 1,
        "aria-valuenow": end,
        title: "Drag to move, Delete to remove",
        onkeydown: (event) => {
          const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
          if (by) {
            event.preventDefault();
            this.focus = n;
            move(end + by);
          }
          if (event.key === "Delete") {
            event.preventDefault();
            event.stopPropagation();
            take(ends.filter((_, m) => m !== n));
          }
        },
        onpointerdown: (event) => {
          event.preventDefault();
          const start = event.clientX,
            unit = layer.querySelector(".raw-unit")?.getBoundingClientRect().width ?? 0;
          const follow = (e) => {
            handle.style.left = `${end + Math.round((e.clientX - start) / unit)}ch`;
          };
          addEventListener("pointermove", follow);
          addEventListener(
            "pointerup",
            (e) => {
              removeEventListener("pointermove", follow);
              const to = end + Math.round((e.clientX - start) / unit);
              if (to !== end) move(to);
            },
            { once: true },
          );
        },
      });
      handle.style.left = `${end}ch`;
      layer.append(handle);
    });
    const unit = h("span", { class: "raw-unit", "aria-hidden": "true" }, "0");
    const ruler = h("button", {
      type: "button",
      class: "raw-ruler",
      title: "Click to add a border",
      "aria-label": "Add a border in the middle of the widest column",
      onclick: (event) => {
        const at = event.detail
          ? Math.round(
              (event.clientX - ruler.getBoundingClientRect().left) /
                unit.getBoundingClientRect().width,
            )
          : middle(widths);
        take([...ends, at]);
      },
    });
    ruler.style.width = `${total}ch`;
    layer.append(unit, ruler);
    if (this.focus !== undefined) {
      const n = this.focus;
      delete this.focus;
      requestAnimationFrame(() => this.box.querySelectorAll(".raw-border")[n]?.focus());
    }
    return layer;
  }

  /** Whether a field that stands around the records comes along as a column. */
  bringing({ name, value }) {
    const brought = this.studio.stepDesk.settings.parent ?? [];
    const comes = brought.includes(value);
    return h(
      "button",
      {
        type: "button",
        class: "tiny-button",
        "aria-pressed": String(comes),
        "aria-label": `${name} as a column`,
        onclick: () =>
          this.studio.propose({
            columns: [],
            parent: comes ? brought.filter((one) => one !== value) : [...brought, value],
          }),
      },
      comes ? "Not as a column" : "As a column",
    );
  }

  tree(root) {
    const chosen = this.found.options.records ?? "";
    const beside = new Map(around(root, chosen).map((one) => [one.path, one]));
    const item = (node, depth) => {
      const brought = beside.get(node.path);
      const here = node.path === chosen && (node.shape === "list" || chosen !== "");
      const what =
        node.shape === "list"
          ? `${count(node.count)} ${node.fields.length ? "records" : "values"}`
          : node.shape === "record"
            ? node.count > 1
              ? `in ${count(node.count)}`
              : ""
            : node.example;
      const row = h(
        "li",
        { class: `raw-node raw-${node.shape}${here ? " chosen" : ""}` },
        h(
          "div",
          { class: "raw-node-line" },
          icon(node.shape === "list" ? "list-ul" : node.shape === "record" ? "diagram-2" : "dot"),
          h("span", { class: "name" }, node.name || "the whole file"),
          h("span", { class: "muted" }, what),
          node.shape === "list" && !here
            ? h(
                "button",
                {
                  type: "button",
                  class: "tiny-button",
                  onclick: () =>
                    this.studio.propose({ records: node.path, columns: [], parent: [] }),
                },
                "Rows are these",
              )
            : null,
          here ? h("span", { class: "chip chip-fresh" }, "the rows") : null,
          brought ? this.bringing(brought) : null,
          node.shape === "list" && !here && node.fields.length
            ? h(
                "button",
                {
                  type: "button",
                  class: "tiny-button",
                  title: "A second table, with the number of each record around as its key",
                  onclick: () => this.studio.takeAsTable(node.path, node.name),
                },
                "As a table of its own",
              )
            : null,
        ),
      );
      if (node.children.length) {
        const inner = h(
          "ul",
          {},
          node.children.slice(0, 60).map((child) => item(child, depth + 1)),
        );
        if (node.children.length > 60)
          inner.append(
            h("li", { class: "muted" }, `and ${count(node.children.length - 60)} more fields`),
          );
        row.append(inner);
      }
      return row;
    };
    return h(
      "div",
      { class: "raw-body raw-tree", tabindex: 0, role: "region", "aria-label": "Tree of the file" },
      h("ul", {}, item(root, 0)),
    );
  }
}

const middle = (widths) => {
  const n = widths.indexOf(Math.max(...widths));
  return widths.slice(0, n).reduce((sum, width) => sum + width, 0) + Math.floor(widths[n] / 2);
};
const shown = (text) => text.replaceAll("\t", "→");

const [LEAST, MOST] = [8, 22]; // characters of a cell: a date with its time stands whole

/** How many characters the cells of each column need, within bounds. */
function cellWidths(lines) {
  /** @type {number[]} */
  const widths = [];
  for (const { cells } of lines)
    (cells ?? []).forEach((cell, at) => {
      const need = Math.min(Math.max(String(cell ?? "").length, LEAST), MOST);
      widths[at] = Math.max(widths[at] ?? LEAST, need);
    });
  return widths;
}
