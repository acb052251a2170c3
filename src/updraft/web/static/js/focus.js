/** The focus: selections that combine, as the server takes them. Looking never changes data. */

export class Focus {
  constructor() {
    this.chips = [];
    this.search = "";
  }

  get nothing() {
    return !this.chips.length && !this.search;
  }

  /** What goes to the server, or "" for no focus. */
  get text() {
    return this.nothing ? "" : JSON.stringify({ chips: this.chips, search: this.search });
  }

  has(chip) {
    return this.chips.some((other) => same(other, chip));
  }

  /** Put a selection in, or take it out where it is there already. */
  toggle(chip) {
    if (this.has(chip)) this.remove(chip);
    else this.chips.push(chip);
  }

  /** Put a selection in place of all others in its column. */
  only(chip) {
    this.chips = [
      ...this.chips.filter((other) => other.column !== chip.column || !chip.column),
      chip,
    ];
  }

  remove(chip) {
    this.chips = this.chips.filter((other) => !same(other, chip));
  }

  clear() {
    this.chips = [];
    this.search = "";
  }

  /**
   * Leave out what does not fit another table: selections in columns it lacks, and rows that were
   * told by their place.
   */
  fit(table) {
    const names = new Set(table.columns.map((column) => column.name));
    const columns = (chip) =>
      [
        chip.column,
        ...(chip.conditions ?? []).map((c) => c.column),
        ...flat(chip.rule).map((c) => c.column),
      ].filter(Boolean);
    this.chips = this.chips.filter(
      (chip) => !chip.finding && columns(chip).every((name) => names.has(name)),
    );
  }
}

const flat = (rule) => (rule?.of ?? []).flatMap((item) => item.of ?? [item]);
const same = (one, other) => JSON.stringify(one) === JSON.stringify(other);

export const condition = (column, test, more = {}) => ({ column, test, ...more });

/** Whether a chip is a selection of this column and of no other. */
export function isAbout(chip, column) {
  const items = flat(chip.rule);
  return (
    chip.column === column || (items.length > 0 && items.every((one) => one.column === column))
  );
}

/** A selection of values of a column; `null` stands for empty. */
export function valuesChip(column, values, but = false) {
  const texts = values.filter((value) => value !== null),
    empty = values.includes(null);
  const label = `${column} ${but ? "not " : ""}${values
    .slice(0, 2)
    .map((value) =>
      value === null ? "empty" : `“${value.length > 24 ? `${value.slice(0, 23)}…` : value}”`,
    )
    .join(", ")}${values.length > 2 ? ` and ${values.length - 2} more` : ""}`;
  if (but)
    return {
      label,
      column: "",
      rule: {
        match: "all",
        of: [
          ...(texts.length ? [condition(column, "none_of", { values: texts })] : []),
          ...(empty ? [condition(column, "filled")] : []),
        ],
      },
    };
  return {
    label,
    column,
    conditions: [
      ...(texts.length ? [condition(column, "one_of", { values: texts })] : []),
      ...(empty ? [condition(column, "empty")] : []),
    ],
  };
}
