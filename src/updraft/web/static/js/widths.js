/**
 * How wide the columns of the table are: what is shown decides. A number or a date is never cut
 * off; texts give way first, and room that is left is given out to those that could use it.
 */

const PADDING = 18; // pixels of a cell beside its text
const NAME = 18; // beside a name: its sign for sorting lies over the end
const [LEAST, MODEST, TEXT, CHANGED, MOST] = [54, 96, 220, 300, 520];
/** @typedef {{name: string, kind: string, changed: number}} Shown a column of the table */

const WHOLE = new Set(["whole", "number", "yes_no", "date", "datetime", "duration"]);

/** @type {Map<string, number>} how wide each sign is in the letters of the cells, in pixels; anew once letters have come */
const signs = new Map();
document.fonts.addEventListener("loadingdone", () => signs.clear());

/**
 * How wide a text is in the cells: the sum of its signs, each measured once, as the cells draw it.
 * @param {string} text
 */
export function wide(text) {
  let sum = 0;
  for (const sign of text) {
    if (!signs.has(sign)) learn([text]);
    sum += signs.get(sign) ?? 0;
  }
  return sum;
}

const TIMES = 64; // a sign is measured many times over, since a browser rounds what it measures

/**
 * Measure the signs of texts that are not known yet, all at once: the page is laid out anew for
 * each reading between two changes of it. A sign stands between figures, as in numbers: a row of
 * commas alone would be set closer.
 * @param {string[]} texts
 */
function learn(texts) {
  const unknown = [...new Set(texts.join(""))].filter((sign) => !signs.has(sign));
  if (!unknown.length) return;
  const rows = ["0", ...unknown.map((sign) => (sign === "0" ? sign : `0${sign}`))].map((text) => {
    const row = document.createElement("div");
    row.className = "ruler";
    row.textContent = text.repeat(TIMES);
    return row;
  });
  // the grid may be hidden behind a desk that is open across the window
  document.body.append(...rows);
  const [zero, ...widths] = rows.map((row) => row.getBoundingClientRect().width / TIMES);
  for (const row of rows) row.remove();
  unknown.forEach((sign, n) => signs.set(sign, sign === "0" ? zero : widths[n] - zero));
}

/**
 * The room that nine cells of ten need, and all where they are short: one long text does not widen
 * the whole column.
 */
function typical(needs) {
  const sorted = [...needs].sort((a, b) => a - b);
  const widest = sorted.at(-1) ?? 0;
  return widest <= MODEST
    ? widest
    : Math.max(MODEST, sorted[Math.floor((sorted.length - 1) * 0.9)]);
}

export class Widths {
  constructor() {
    /** @type {Map<string, number>} what a person set */
    this.own = new Map();
    /** @type {Map<string, {good: number, full: number, whole: boolean}>} what was measured */
    this.needs = new Map();
  }

  /** What was measured of these columns says nothing any more. */
  forget(names) {
    for (const name of names) this.needs.delete(name);
  }

  /**
   * Measure what is shown of columns; what was measured of them before stays where it was wider.
   * @param {Shown[]} columns
   * @param {string[][]} texts of each, its cells as they are written, with what stands beside them
   * @returns {boolean} whether one needs more room than before
   */
  measure(columns, texts) {
    learn([...columns.map(({ name }) => name), ...texts.flat()]);
    return columns.map((column, at) => this.one(column, texts[at])).includes(true);
  }

  /** @param {Shown} column @param {string[]} texts */
  one({ name, kind, changed }, texts) {
    const cells = texts.map((text) => wide(text) + PADDING);
    const whole = WHOLE.has(kind);
    const head = Math.min(wide(name) * 1.06 + NAME, TEXT);
    const widest = Math.max(LEAST, ...cells);
    const cap = whole ? MOST : changed ? CHANGED : TEXT;
    const good = Math.max(head, Math.min(whole ? widest : typical(cells), cap), LEAST);
    const full = Math.max(good, Math.min(widest, MOST));
    const before = this.needs.get(name) ?? { good: 0, full: 0 };
    const now = { good: Math.max(good, before.good), full: Math.max(full, before.full), whole };
    this.needs.set(name, now);
    return now.good > before.good || now.full > before.full;
  }

  /**
   * The widths of columns in a room of so many pixels.
   * @returns {Map<string, number>}
   */
  given(names, room) {
    const widths = new Map(
      names.map((name) => [name, this.own.get(name) ?? this.needs.get(name)?.good ?? MODEST]),
    );
    const free = () => room - [...widths.values()].reduce((sum, width) => sum + width, 0);
    const texts = names.filter(
      (name) => !this.own.has(name) && this.needs.get(name)?.whole === false,
    );
    if (free() < 0) {
      // Texts give way where that is enough for all columns to be seen; otherwise the table is
      // scrolled anyway.
      const spare = (name) => Math.max(0, widths.get(name) - MODEST);
      const most = texts.reduce((sum, name) => sum + spare(name), 0);
      const lacks = -free();
      if (lacks <= most)
        for (const name of texts) widths.set(name, widths.get(name) - (lacks * spare(name)) / most);
    } else {
      const wants = (name) => Number(this.needs.get(name)?.full) - widths.get(name);
      const most = texts.reduce((sum, name) => sum + wants(name), 0);
      const share = most ? Math.min(1, free() / most) : 0;
      for (const name of texts) widths.set(name, widths.get(name) + wants(name) * share);
    }
    for (const [name, width] of widths) widths.set(name, Math.floor(width));
    return widths;
  }
}
