/** Picking rows by hand in the table. Methods of the studio. */
import { api, attempt, notice } from "../api.js";
import { count, plural } from "../dom.js";

const MOST = 2000; // rows picked in one go
const KEYS = 6; // columns of a key, where none alone tells rows apart

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const picking = {
  /**
   * Pick the rows from one to another, or leave them again; a step that holds them is made where
   * there is none.
   * @param {number} from
   * @param {number} to
   */
  async pickRows(from, to) {
    const kind = this.kindFor("rows");
    const step = this.state.steps[this.selected];
    if (!this.table || !step || this.output) return;
    if (to - from + 1 > MOST) {
      notice(
        `${count(to - from + 1)} rows are more than are picked by hand; “Keep rows” takes a rule.`,
        "problem",
      );
      return;
    }
    const { columns } = this.table;
    /** @type {{rows: unknown[][]} | undefined} */
    const found = await attempt(() => api(this.grid.address(from, to - from + 1)));
    if (!found || this.selected !== step.id) return; // a pick is about the rows that were seen
    const own = step.kind === kind.kind;
    const settings = own ? this.drafts.settings(step.id) : kind.starting;
    /** @type {string[]} */
    const keys = settings.keys?.length ? settings.keys : this.keyOfRows();
    const at = keys.map((name) => columns.findIndex((column) => column.name === name));
    const picked = found.rows.map((cells) => ({ key: at.map((n) => told(cells[n])) }));
    /** @type {{key: string[]}[]} */
    const before = settings.rows ?? [];
    const marks = new Set(before.map((row) => JSON.stringify(row.key)));
    const all = picked.every((row) => marks.has(JSON.stringify(row.key)));
    const ours = new Set(picked.map((row) => JSON.stringify(row.key)));
    const others = before.filter((row) => !ours.has(JSON.stringify(row.key)));
    const rows = all ? others : [...others, ...picked];
    const next = { ...settings, keys, rows };
    if (own) {
      this.drafts.change(step.id, { keys, rows });
      await this.look();
      this.grid.focus();
      return;
    }
    await this.applyDraft();
    const made = { kind: kind.kind, settings: next };
    const insert = step.role !== "output";
    const edit = { op: "add", step: made, after: this.place(), plug: true, insert };
    await this.shownNew(await this.addOne(edit));
    this.grid.focus();
    notice(
      `${plural(picked.length, "row", "rows")} picked, known by ${keys.join(", ")}. Space picks more.`,
    );
  },

  /** Columns that tell rows apart: the first that does so alone, else several from the left. */
  keyOfRows() {
    const facts = [...(this.grid.facts?.values() ?? [])];
    const alone = facts.find((fact) => fact.distinct === this.table.rows && !fact.empty);
    if (alone) return [alone.name];
    return this.table.columns
      .filter(({ kind }) => !["list", "record"].includes(kind))
      .slice(0, KEYS)
      .map(({ name }) => name);
  },
};

/**
 * A cell as the text that a step compares.
 * @param {unknown} cell
 */
function told(cell) {
  if (cell === null) return "";
  return cell === true ? "yes" : cell === false ? "no" : String(cell);
}
