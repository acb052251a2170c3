/** The grid: a table of any length in windows from the server. Looking never changes data. */
import { api, attempt } from "./api.js";
import { count, h } from "./dom.js";
import { shownCell, written } from "./gridCells.js";
import { makeGrid } from "./gridMaking.js";
import { headOf, saidOf } from "./gridHeads.js";
import { Thousands } from "./thousands.js";
import { Widths } from "./widths.js";

/** @typedef {import("./contract.d.ts").ColumnShown & {index: number}} HeadShown a column, and its place */

const PAGE = 200;
const ROW_ID = " row"; // names of columns never begin with a blank
const SCROLLBAR = 16; // pixels

export class TableGrid {
  /** @type {import("./contract.d.ts").TableShown} none while nothing is shown */
  table;

  /** `act` has chooseColumn(name), viewChanged(view). */
  constructor(element, flow, act, focus) {
    /** @type {any} the library's grid, once a table is shown */
    this.grid = null;
    this.rowId = ROW_ID;
    this.focusText = focus; // gives the focus as the server takes it
    this.element = element;
    this.flow = flow;
    this.act = act;
    this.widths = new Widths();
    document.fonts.addEventListener("loadingdone", () => this.table && this.measureAgain());
    this.order = null; // names in the order a person put them, for reading only
    this.frozen = 0;
    this.thousands = new Thousands(flow);
    /** @type {Map<string, number>} the widths of columns as they are laid */
    this.laid = new Map();
    // pixels for columns; asking the page for it would have it laid out anew each time
    this.room = 0;
    this.pages = new Map();
    this.view = { sort: "", desc: false, changed: false };
    this.source = {
      getLength: () => this.length ?? 0,
      getItem: (row) => this.item(row),
      getItemMetadata: () => null,
    };
  }

  /**
   * Show a table (as `/look` describes it). The place in it is kept while its columns stay the
   * same.
   */
  show(table) {
    const same =
      this.table &&
      this.table.columns.map((c) => c.name + c.kind).join() ===
        table.columns.map((c) => c.name + c.kind).join();
    const top = same && this.grid ? this.grid.getViewport().top : 0;
    const cell = same && this.grid ? this.grid.getActiveCell() : null;
    // From step to step a column keeps its width, but for the room of values before beside it.
    this.widths.forget([...(this.table?.touched ?? []), ...table.touched]);
    this.table = table;
    this.facts = null;
    const names = table.columns.map((column) => column.name);
    if (!names.includes(this.view.sort)) this.view.sort = "";
    if (!table.touched.length) this.view.changed = false;
    this.pages.clear();
    this.known = !this.view.changed && !this.focusText();
    this.length = this.known ? table.rows : 0;
    if (!this.grid) this.make();
    else {
      const anew = this.lay();
      this.freezeAt(Math.min(this.frozen, names.length - 1));
      if (!anew) this.refresh();
    }
    this.grid.scrollRowToTop(Math.min(top, Math.max(this.length - 1, 0)));
    if (cell && cell.row < this.length) this.grid.setActiveCell(cell.row, cell.cell);
    this.fetch(top, top + 60);
    this.summarise();
  }

  make() {
    this.room = this.element.clientWidth;
    makeGrid(this);
    new ResizeObserver(() => {
      this.room = this.element.clientWidth;
      this.grid.resizeCanvas();
      this.layWidths();
    }).observe(this.element);
  }

  /** The columns with their heads drawn. */
  heads() {
    return withHeads(this.columns());
  }

  columns() {
    const known = new Map(
      this.table.columns.map((column, index) => [column.name, { ...column, index }]),
    );
    const names =
      this.order && [...known.keys()].every((n) => this.order.includes(n))
        ? this.order.filter((n) => known.has(n))
        : [...known.keys()];
    const facts = this.facts ?? new Map();
    const number = {
      id: ROW_ID,
      name: h("span", { class: "visually-hidden" }, "Row"),
      field: "row",
      width: 42 + Math.max(0, String(this.table.rows).length - 4) * 7,
      resizable: false,
      selectable: false,
      focusable: false,
      reorderable: false,
      cssClass: "row-number",
      formatter: (_row, _c, _v, _d, item) =>
        item.numbers === undefined ? "" : count(item.numbers + 1),
    };
    this.laid = this.widths.given(names, this.room - number.width - SCROLLBAR);
    return [
      number,
      ...names.map((name) => {
        const column = /** @type {HeadShown} */ (known.get(name)),
          numeric = column.kind === "whole" || column.kind === "number";
        return {
          id: name,
          name: "",
          head: () => headOf(this, column, facts.get(name)),
          says: saidOf(this, column, facts.get(name)),
          field: name,
          index: column.index,
          toolTip: `${name}, ${column.kind_title}${column.origin ? `, brought by “${column.origin}”` : ""}`,
          width: this.laid.get(name),
          minWidth: 44,
          cssClass: `${numeric ? "num" : ""} ${column.origin ? "elsewhere" : ""}`.trim(),
          headerCssClass:
            `${column.origin ? "elsewhere" : ""} ${name === this.chosen ? "chosen" : ""}`.trim(),
          formatter: (...args) => shownCell(column, args[4], this.apart(column.name)),
        };
      }),
    ];
  }

  /** Sort for reading: "up", "down" or "off". */
  sort(name, way) {
    this.setView({ sort: way === "off" ? "" : name, desc: way === "down" });
  }

  setView(change) {
    Object.assign(this.view, change);
    this.pages.clear();
    this.known = !this.view.changed && !this.focusText();
    this.length = this.known ? this.table.rows : 0;
    this.lay();
    this.refresh();
    this.grid.scrollRowToTop(0);
    this.fetch(0, 60);
    this.act.viewChanged(this.view);
  }

  /** The focus changed: rows, counts and pictures follow. */
  refocus() {
    this.setView({});
    this.summarise();
  }

  freeze(name) {
    const at = this.grid.getColumnIndex(name);
    this.frozen = this.frozen === at ? 0 : at;
    this.freezeAt(this.frozen);
    this.grid.invalidate();
  }

  freezeAt(place) {
    if (this.grid.getOptions().frozenColumn !== place)
      this.headsAnew(() => this.grid.setOptions({ frozenColumn: place }));
  }

  choose(name) {
    this.chosen = name;
    if (this.grid) this.lay();
  }

  /**
   * Give the library the columns: all anew where some came, went or moved, since it binds each head
   * again; else only the heads that say something else, and the widths. True where all was drawn
   * anew, rows included.
   */
  lay(columns = this.columns()) {
    const there = this.grid.getColumns();
    if (there.map((c) => c.id).join("\0") !== columns.map((c) => c.id).join("\0")) {
      this.headsAnew(() => this.grid.setColumns(withHeads(columns)));
      return true;
    }
    const wider = columns.some((column, n) => column.width !== there[n].width);
    columns.forEach((column, n) => {
      const said = column.says === there[n].says;
      Object.assign(there[n], column, { name: there[n].name });
      if (!said) this.grid.updateColumnHeader(column.id, column.head(), column.toolTip);
      const head = this.grid.getHeaderColumn(column.id);
      head?.classList.toggle("chosen", column.id === this.chosen);
      head?.classList.toggle("elsewhere", column.cssClass.includes("elsewhere"));
    });
    if (!wider) return false;
    this.grid.applyColumnHeaderWidths();
    this.grid.updateCanvasWidth(true);
    this.grid.invalidate();
    return true;
  }

  /**
   * The library keeps what it bound to heads that are gone, and with it the heads: it is made to
   * let them go.
   */
  headsAnew(make) {
    for (const handle of this.grid.slickResizableInstances.splice(0)) handle.destroy();
    make();
    const bound = this.grid._bindingEventService.getBoundedEvents();
    const alive = bound.filter(({ element }) => element.isConnected !== false);
    bound.splice(0, bound.length, ...alive);
  }

  address(offset, limit) {
    const table = this.table,
      query = new URLSearchParams({ output: table.output, offset, limit });
    if (this.view.sort) {
      query.set("sort", this.view.sort);
      query.set("desc", this.view.desc ? "1" : "0");
    }
    if (table.before) {
      query.set("before", table.before);
      table.touched.forEach((name) => query.append("touched", name));
    }
    if (this.view.changed) query.set("changed", "1");
    if (this.focusText()) query.set("focus", this.focusText());
    return `/api/flows/${this.flow}/tables/${table.key}/rows?${query}`;
  }

  /** Get the pages that hold rows `top` to `bottom` and one more on either side. */
  fetch(top, bottom) {
    const last = Math.max(Math.ceil((this.length || PAGE) / PAGE) - 1, 0);
    const from = Math.max(Math.floor(top / PAGE) - (top % PAGE < 40 ? 1 : 0), 0),
      to = Math.min(Math.floor((bottom + 60) / PAGE), last);
    for (let page = from; page <= to; page += 1) if (!this.pages.has(page)) this.load(page);
    while (this.pages.size > 60) this.pages.delete(this.pages.keys().next().value);
  }

  async load(page) {
    const mark = { table: this.table, view: JSON.stringify(this.view), focus: this.focusText() };
    this.pages.set(page, null);
    const answer = await attempt(() => api(this.address(page * PAGE, PAGE)));
    if (
      mark.table !== this.table ||
      mark.view !== JSON.stringify(this.view) ||
      mark.focus !== this.focusText()
    )
      return;
    if (!answer) {
      this.pages.delete(page);
      return;
    }
    this.pages.set(
      page,
      answer.rows.map((cells, n) => ({ cells, numbers: answer.numbers[n], was: answer.was[n] })),
    );
    const other = answer.total !== this.length || !this.known;
    this.known = true;
    this.length = answer.total;
    const drawn = this.fitWidths(answer.rows, answer.was);
    if (other) {
      if (!drawn) this.refresh();
      this.act.viewChanged(this.view);
    }
    if (drawn || other) return; // the rows with all others
    this.grid.invalidateRows(answer.rows.map((_, n) => page * PAGE + n));
    this.grid.render();
  }

  /**
   * Measure what is shown, and give the columns the room that it needs; true where all was drawn
   * anew for it.
   */
  fitWidths(rows, was) {
    if (!rows.length) return false;
    const texts = this.table.columns.map((column, at) => {
      const apart = this.apart(column.name);
      return rows.map((cells, n) => {
        const before = was[n]?.[column.name];
        const beside = before === undefined ? "" : `${written(before, apart)}aa`;
        return written(cells[at], apart) + beside;
      });
    });
    return this.widths.measure(this.table.columns, texts) && this.layWidths();
  }

  measureAgain() {
    for (const page of this.pages.values())
      if (page)
        this.fitWidths(
          page.map(({ cells }) => cells),
          page.map(({ was }) => was ?? {}),
        );
  }

  /** Lay the columns out anew, where that changes a width; true where all was drawn anew. */
  layWidths() {
    const before = this.laid;
    const columns = this.columns();
    if ([...this.laid].every(([name, width]) => before?.get(name) === width)) return false;
    const active = this.grid.getActiveCell();
    const drawn = this.lay(columns);
    if (active) this.grid.setActiveCell(active.row, active.cell);
    return drawn;
  }

  /** Bring a column into sight. */
  reveal(name, enter = true) {
    this.grid.scrollColumnIntoView(this.grid.getColumnIndex(name));
    if (enter) this.grid.setActiveCell(this.grid.getViewport().top, this.grid.getColumnIndex(name));
  }

  item(row) {
    return this.pages.get(Math.floor(row / PAGE))?.[row % PAGE] ?? {};
  }

  /**
   * The rows that are here from the first one on the screen: where they begin, and at most so many
   * of them.
   */
  atHand(most) {
    const first = this.grid.getViewport().top;
    const rows = [];
    while (rows.length < most && this.item(first + rows.length).cells)
      rows.push(this.item(first + rows.length));
    return { first, rows };
  }

  refresh() {
    this.grid.updateRowCount();
    this.grid.invalidate();
  }

  async summarise() {
    const table = this.table,
      focus = this.focusText(),
      query = new URLSearchParams({ output: table.output, ...(focus ? { focus } : {}) });
    const answer = await attempt(() =>
      api(`/api/flows/${this.flow}/tables/${table.key}/summary?${query}`),
    );
    if (!answer || table !== this.table || focus !== this.focusText()) return;
    this.facts = new Map(answer.columns.map((column) => [column.name, column]));
    if (!this.thousands.learn(answer.columns)) {
      // The heads alone: rows are drawn once, not with every answer about them.
      this.lay();
      return;
    }
    const active = this.grid.getActiveCell();
    this.measureAgain();
    this.lay();
    this.grid.invalidate();
    if (active) this.grid.setActiveCell(active.row, active.cell);
  }

  /** Whether thousands stand apart in a column. */
  apart(name) {
    return this.thousands.apart(name);
  }

  setApart(name, yes) {
    this.thousands.choose(name, yes);
    this.measureAgain();
    this.grid.invalidate();
  }

  openCell(row, cell) {
    const id = this.grid.getColumns()[cell]?.id;
    const index = this.table.columns.findIndex((column) => column.name === id);
    if (index < 0) return;
    const column = { ...this.table.columns[index], index };
    const range = this.grid.getSelectionModel().getSelectedRanges()[0];
    if (range && range.toRow > range.fromRow && range.fromCell === range.toCell)
      this.act.openCells(range.fromRow, range.toRow, column);
    else this.act.openCell(row, column);
  }

  /** The space around the grid changed. */
  resize() {
    this.grid?.resizeCanvas();
  }

  /** Show the last rows, or the first. */
  toEnd(last) {
    if (this.length) this.grid.scrollRowIntoView(last ? this.length - 1 : 0);
  }

  focus() {
    if (this.grid && this.length) {
      if (!this.grid.getActiveCell()) this.grid.setActiveCell(0, 1);
      this.grid.focus();
    }
  }
}

const withHeads = (columns) =>
  columns.map((column) => (column.head ? { ...column, name: column.head() } : column));
