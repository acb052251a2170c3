/** What keys do in the grid: copy, choose all, open a cell, pick its rows, choose its column. */
import { SlickRange } from "../vendor/slickgrid/slickgrid.mjs";
import { copyCells } from "./gridCopying.js";

/** Do what a key says; keys that say nothing here are left to the grid itself. */
export function pressed(table, event) {
  const native = event.getNativeEvent ? event.getNativeEvent() : event;
  if (native.altKey && native.key.toLowerCase() === "c") {
    chooseColumn(table);
    native.preventDefault(); // and goes on: the key also opens a chart
    return;
  }
  const does = native.ctrlKey || native.metaKey ? withControl(table, native) : alone(table, native);
  if (!does) return;
  does();
  native.preventDefault();
  event.stopImmediatePropagation?.();
}

function withControl(table, { key, shiftKey }) {
  switch (key.toLowerCase()) {
    case "c":
      return () => copyCells(table, shiftKey);
    case "a":
      return () => chooseAll(table);
  }
}

function alone(table, { key, altKey }) {
  const cell = table.grid.getActiveCell();
  if (altKey) return;
  if (key === "Enter") return () => cell && table.openCell(cell.row, cell.cell);
  if (key === " ") return () => pickRows(table, cell);
}

function chooseAll({ grid, length }) {
  const last = grid.getColumns().length - 1;
  grid.getSelectionModel().setSelectedRanges([new SlickRange(0, 1, length - 1, last)]);
}

function chooseColumn({ grid, act }) {
  const cell = grid.getActiveCell();
  if (cell) act.chooseColumn(grid.getColumns()[cell.cell].id);
}

function pickRows({ grid, act }, cell) {
  const range = grid.getSelectionModel().getSelectedRanges()[0];
  const row = cell?.row ?? 0;
  act.pickRows(range?.fromRow ?? row, range?.toRow ?? row);
}
