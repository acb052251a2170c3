/**
 * The library's grid, made once: its settings, what it tells its owner, and what it lacks for
 * keyboards and readers.
 */
import { pressed } from "./gridKeys.js";
import { SlickCellSelectionModel, SlickGrid } from "../vendor/slickgrid/slickgrid.mjs";

/** @param {import("./grid.js").TableGrid} owner */
export function makeGrid(owner) {
  /** @type {any} the library tells less of it than it has */
  const grid = new SlickGrid(owner.element, owner.source, owner.heads(), {
    rowHeight: 25,
    enableCellNavigation: true,
    enableColumnReorder: true,
    frozenColumn: owner.frozen,
    forceFitColumns: false,
    enableTextSelectionOnCells: false,
    headerRowHeight: 0,
    explicitInitialization: false,
    enableHtmlRendering: false,
    editable: false,
    autoEdit: false,
    fullWidthRows: true,
    suppressCssChangesOnHiddenInit: false,
    syncColumnCellResize: true,
  });
  owner.grid = grid;
  grid.setSelectionModel(new SlickCellSelectionModel({ selectActiveCell: true }));
  grid.onViewportChanged.subscribe(() => {
    const { top, bottom } = grid.getViewport();
    owner.fetch(top, bottom);
  });
  grid.onColumnsResized.subscribe(() =>
    grid.getColumns().forEach((c) => {
      if (c.id !== owner.rowId && owner.laid.get(c.id) !== c.width)
        owner.widths.own.set(c.id, c.width);
    }),
  );
  grid.onColumnsReordered.subscribe(() => {
    owner.order = grid
      .getColumns()
      .map((c) => c.id)
      .filter((id) => id !== owner.rowId);
  });
  grid.onKeyDown.subscribe((event) => pressed(owner, event));
  // Arrow keys move between cells; Tab leaves the table, though the library would take it to the
  // next cell.
  const leave = (event) => event.key === "Tab" && event.stopPropagation();
  owner.element.addEventListener("keydown", leave, true);
  grid.onDblClick.subscribe((_, { row, cell }) => owner.openCell(row, cell));
  grid.onHeaderCellRendered.subscribe((_, { node, column }) =>
    node.classList.toggle("chosen", column.id === owner.chosen),
  );
  // The library makes every pane a tab stop and leaves its focus sinks without a role: one stop is
  // enough, and a named one.
  for (const pane of owner.element.querySelectorAll(".slick-pane, .slick-viewport, .grid-canvas"))
    pane.removeAttribute("tabindex");
  for (const view of owner.element.querySelectorAll(".slick-viewport"))
    view.setAttribute("role", "rowgroup");
  const sinks = [...owner.element.children].filter((child) => child.tabIndex === 0);
  sinks.forEach((sink, n) => {
    sink.setAttribute("role", "rowgroup");
    sink.setAttribute("aria-label", "Cells: arrow keys move, Shift and arrows select");
    if (n) sink.tabIndex = -1;
  });
  owner.element.setAttribute("aria-label", "Rows of the table");
  // A name that gets the focus scrolls the header alone: the rows follow.
  for (const [head, body] of [
    [".slick-header-right", ".slick-viewport-top.slick-viewport-right"],
    [".slick-header-left", ".slick-viewport-top.slick-viewport-left"],
  ]) {
    const top = owner.element.querySelector(head),
      rows = owner.element.querySelector(body);
    top?.addEventListener("scroll", () => {
      if (rows && Math.abs(rows.scrollLeft - top.scrollLeft) > 1) rows.scrollLeft = top.scrollLeft;
    });
  }
}
