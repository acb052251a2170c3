import { valuesChip } from "../focus.js";

/** @typedef {import("../contract.d.ts").ColumnThere & {index: number}} HeadOf a column, and its place */

/**
 * What course, grid, desks and bars may do: they know the studio by these alone.
 * @param {import("../studio.js").Studio} studio
 */
export const acts = (studio) => ({
  /** @type {any} which rows are new and gone since a person looked last; `shown` while those gone are */
  compared: null,

  /** @param {string} id */
  select: (id) => {
    studio.output = ""; // a stop opens at its table, not at the side that was looked at last
    return studio.select(id);
  },
  /** @param {string} id @param {string} after */
  move: (id, after) => studio.edit([{ op: "move", id, after }]),
  /** @param {string} id */
  remove: (id) => studio.remove(id),
  /** @param {string} id */
  rename: async (id) => {
    await studio.select(id);
    /** @type {HTMLInputElement | null} */ (
      studio.desk.element.querySelector("input.desk-title")
    )?.select();
  },
  /** @param {string} id @param {string} name */
  renameTo: (id, name) => studio.edit([{ op: "rename", id, name }]),
  /** @param {string} id @param {string} note */
  noteTo: (id, note) => studio.edit([{ op: "note", id, note }]),
  /** @param {string} id @param {string} port @param {string | string[]} source */
  connect: (id, port, source) =>
    studio.edit([{ op: "connect", id, port, source }]).then(() => studio.reselect()),
  /** @param {string} id */
  toggle: (id) => studio.edit([{ op: "switch", id, enabled: !studio.state.steps[id].enabled }]),
  /** @param {string} id @param {HTMLElement} element */
  menu: (id, element) => studio.menu(id, element),
  /** @param {string | null} name */
  chooseColumn: (name) => {
    studio.grid.choose(name || null);
    if (!name) return studio.reselect();
    studio.desk.fold(false);
    return studio.columnDesk.show(name);
  },
  countAll: () => studio.countAll(),
  viewChanged: () => {
    studio.shown.bar();
    studio.shown.footer();
  },
  showStep: () => studio.reselect(),
  /** @param {string} side */
  showSide: (side) => {
    studio.output = side;
    studio.look();
  },
  /**
   * @param {{text: string, rule: Record<string, any> | null}} fact a number with the rows that it
   *   counts
   */
  showRows: async ({ text, rule }) => {
    if (studio.wide.open) studio.wide.close();
    if (studio.output) {
      studio.output = "";
      await studio.look();
    }
    studio.setFocus((focus) => {
      focus.clear();
      focus.only({ label: text, column: "", rule });
    });
  },
  /** @param {string} name */
  showEmpty: (name) => studio.setFocus((focus) => focus.only(valuesChip(name, [null]))),
  /** @param {string} name */
  outputTitle: (name) => studio.table?.titles[name] ?? name,
  /** @param {string} name */
  reveal: (name) => studio.grid.reveal(name),
  /** @param {boolean} yes */
  onlyChanged: (yes) => studio.grid.setView({ changed: yes }),
  /** @param {number} from @param {number} to @param {HeadOf} column */
  openCells: (from, to, column) => studio.openCells(from, to, column),
  /** @param {number} row @param {HeadOf} column */
  openCell: (row, column) => studio.openCell(row, column),
  /** @param {number} from @param {number} to */
  pickRows: (from, to) => studio.pickRows(from, to),
  keepOrder: () => studio.keepOrder(),
  unsort: () => studio.grid.setView({ sort: "", desc: false }),
  showFindings: () => studio.findingsDesk.show(),
  showProfile: () => studio.profileDesk.show(),
  showChart: () => studio.chart.show(),
  ...studio.lookingActs(),
});
