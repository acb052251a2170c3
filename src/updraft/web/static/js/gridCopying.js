/** Cells of the grid on the clipboard. */
import { api, attempt, notice } from "./api.js";
import { count } from "./dom.js";
import { isFormula, quoted } from "./gridCells.js";

/** Copy the selected cells as tab-separated text, the way a spreadsheet takes them. */
export async function copyCells(owner, asIs = false) {
  const range = owner.grid.getSelectionModel().getSelectedRanges()[0];
  if (!range) return;
  const columns = owner.grid
    .getColumns()
    .slice(range.fromCell, range.toCell + 1)
    .filter((c) => c.id !== owner.rowId);
  const rows = range.toRow - range.fromRow + 1;
  if (rows * columns.length > 500000) {
    notice(
      `${count(rows)} rows are more than a clipboard takes well. Add a step “Write file” instead.`,
      "problem",
    );
    return;
  }
  const lines = [];
  let marked = 0;
  const cell = (value) => {
    const risky = !asIs && isFormula(value);
    if (risky) marked++;
    return quoted(risky ? `'${value}` : value);
  };
  const pages = []; // named before the first is fetched: another table may be shown meanwhile
  for (let at = range.fromRow; at <= range.toRow; at += 2000)
    pages.push(owner.address(at, Math.min(2000, range.toRow - at + 1)));
  for (const page of pages) {
    const answer = await attempt(() => api(page));
    if (!answer) return;
    for (const cells of answer.rows)
      lines.push(columns.map((c) => cell(cells[c.index])).join("\t"));
  }
  await navigator.clipboard.writeText(lines.join("\n"));
  const told = marked
    ? `. ${count(marked)} that a spreadsheet would take for a formula got an apostrophe; Shift with the keys copies them as they are`
    : "";
  notice(`${count(rows)} × ${count(columns.length)} cells copied${told}`);
}
