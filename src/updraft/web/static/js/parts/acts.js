import { valuesChip } from "../focus.js";

/**
 * What course, grid, desks and bars may do: they know the studio by these alone.
 * @param {import("../studio.js").Studio} studio
 */
export const acts = (studio) => ({
  /** @type {any} which rows are new and gone since a person looked last; `shown` while those gone are */
  compared: null,

  select: (id) => {
    studio.output = ""; // a stop opens at its table, not at the side that was looked at last
    return studio.select(id);
  },
  move: (id, after) => studio.edit([{ op: "move", id, after }]),
  remove: (id) => studio.remove(id),
  rename: async (id) => {
    await studio.select(id);
    /** @type {HTMLInputElement | null} */ (
      studio.desk.element.querySelector("input.desk-title")
    )?.select();
  },
  renameTo: (id, name) => studio.edit([{ op: "rename", id, name }]),
  noteTo: (id, note) => studio.edit([{ op: "note", id, note }]),
  connect: (id, port, source) =>
    studio.edit([{ op: "connect", id, port, source }]).then(() => studio.reselect()),
  toggle: (id) => studio.edit([{ op: "switch", id, enabled: !studio.state.steps[id].enabled }]),
  menu: (id, element) => studio.menu(id, element),
  chooseColumn: (name) => {
    studio.grid.choose(name || null);
    if (!name) return studio.reselect();
    studio.desk.fold(false);
    return studio.columnDesk.show(name);
  },
  viewChanged: () => {
    studio.shown.bar();
    studio.shown.footer();
  },
  showStep: () => studio.reselect(),
  showSide: (side) => {
    studio.output = side;
    studio.look();
  },
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
  showEmpty: (name) => studio.setFocus((focus) => focus.only(valuesChip(name, [null]))),
  outputTitle: (name) => studio.table?.titles[name] ?? name,
  reveal: (name) => studio.grid.reveal(name),
  onlyChanged: (yes) => studio.grid.setView({ changed: yes }),
  openCells: (from, to, column) => studio.openCells(from, to, column),
  openCell: (row, column) => studio.openCell(row, column),
  pickRows: (from, to) => studio.pickRows(from, to),
  keepOrder: () => studio.keepOrder(),
  unsort: () => studio.grid.setView({ sort: "", desc: false }),
  showFindings: () => studio.findingsDesk.show(),
  showProfile: () => studio.profileDesk.show(),
  showChart: () => studio.chart.show(),
  ...studio.lookingActs(),
});
