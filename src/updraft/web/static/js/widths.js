/**
 * How wide the columns of the table are: what is shown decides. A number or a date is never cut off; texts give way
 * first, and room that is left is given out to those that could use it.
 */

const PADDING = 18; // pixels of a cell beside its text
const NAME = 18; // beside a name: its sign for sorting lies over the end
const [LEAST, MODEST, TEXT, CHANGED, MOST] = [54, 96, 220, 300, 520];
const WHOLE = new Set(["whole", "number", "yes_no", "date", "datetime", "duration"]);

/** @type {Map<string, number>} how wide each sign is in the letters of the cells, in pixels; anew once letters have come */
const signs = new Map();
document.fonts.addEventListener("loadingdone", () => signs.clear());

/** How wide a text is in the cells: the sum of its signs, each measured once, as the cells draw it. */
export function wide(text) {
  let sum = 0;
  for (const sign of text) sum += signs.get(sign) ?? measured(sign);
  return sum;
}

const TIMES = 64; // a sign is measured many times over, since a browser rounds what it measures

/** Between figures, as signs mostly stand in numbers: a row of commas alone would be set closer. */
function measured(sign) {
  const row = document.createElement("div");
  row.className = "ruler";
  document.body.append(row); // the grid may be hidden behind a desk that is open across the window
  const width = (/** @type {string} */ text) => {
    row.textContent = text.repeat(TIMES);
    return row.getBoundingClientRect().width / TIMES;
  };
  const found = sign === "0" ? width("0") : width(`0${sign}`) - width("0");
  row.remove();
  signs.set(sign, found);
  return found;
}

/** The room that nine cells of ten need, and all where they are short: one long text does not widen the whole column. */
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
   * Measure what is shown of a column; what was measured of it before stays where it was wider.
   * @param {{name: string, kind: string, changed: number}} column
   * @param {string[]} texts its cells as they are written, with what stands beside them
   */
  measure({ name, kind, changed }, texts) {
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
      // Texts give way where that is enough for all columns to be seen; otherwise the table is scrolled anyway.
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
