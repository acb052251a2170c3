/** Small helpers to build pages. Text always goes in as text, never as HTML. */

/** Signs that turn the direction of writing round, written out: a name must read as it is. */
const TURNING = /[\u202a-\u202e\u2066-\u2069]/g;
const shown = (child) =>
  typeof child === "string"
    ? child.replace(
        TURNING,
        (sign) => `⟨U+${Number(sign.codePointAt(0)).toString(16).toUpperCase()}⟩`,
      )
    : child;

/**
 * Make an element: h("button", {class: "x", onclick: f}, "Text", child). A null child or attribute
 * is left out.
 * @template {keyof HTMLElementTagNameMap} K
 * @param {K} tag
 * @param {import("./elements.d.ts").Attributes<HTMLElementTagNameMap[K]> | null} attributes
 * @param {any[]} children
 * @returns {HTMLElementTagNameMap[K]}
 */
export function h(tag, attributes = {}, ...children) {
  /** @type {any} */
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes ?? {})) {
    if (value === null || value === undefined || value === false) continue;
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value);
    else if (name === "dataset") Object.assign(element.dataset, value);
    else if (name === "value" || name === "checked" || name === "disabled" || name === "selected")
      element[name] = value;
    else element.setAttribute(name, value === true ? "" : value);
  }
  element.append(
    ...children
      .flat(3)
      .filter((child) => child !== null && child !== undefined && child !== false)
      .map(shown),
  );
  return element;
}

/**
 * @param {string} tag
 * @param {Record<string, any>} attributes
 * @param {any[]} children
 * @returns {SVGElement}
 */
export function svg(tag, attributes = {}, ...children) {
  const element = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [name, value] of Object.entries(attributes))
    if (value !== null) element.setAttribute(name, value);
  element.append(...children);
  return element;
}

export const icon = (name) => h("i", { class: `bi bi-${name}`, "aria-hidden": "true" });
const NUMBERS = new Intl.NumberFormat("en");
export const count = (number) => NUMBERS.format(Number(number));
/** A part of a whole: only all of it is 100 %, and only nothing 0 %; with one decimal in lists. */
export function share(part, listed = false) {
  if (part > 0 && part < 0.001) return "<0.1 %";
  if (part > 0.999 && part < 1) return ">99.9 %";
  if (listed) return `${(100 * part).toFixed(1)} %`;
  const digits = part < 0.1 || part > 0.99 ? 1 : 0;
  return `${(100 * part).toLocaleString("en", { maximumFractionDigits: digits })} %`;
}
export const plural = (number, one, many) => `${count(number)} ${number === 1 ? one : many}`;
/**
 * How many rows a table has, and whether they are a sample.
 * @param {{ rows: number, sample: string }} table
 */
export const rowsSaid = (table) =>
  `${plural(table.rows, "row", "rows")}${table.sample ? " from a sample" : ""}`;
/**
 * The element of an id; pages have those that their scripts ask for.
 * @template {string} I
 * @param {I} id
 * @returns {I extends keyof import("./elements.d.ts").Standing ?
 *   import("./elements.d.ts").Standing[I] : HTMLElement}
 */
export const byId = (id) => /** @type {any} */ (document.getElementById(id));
/** @param {string} id of JSON that the page holds */
export const data = (id) => JSON.parse(byId(id).textContent ?? "null");

let ids = 0;
export const freshId = (stem) => `${stem}-${++ids}`;

/**
 * Do something once before the page is next drawn, however often it is asked for: what measures the
 * page has all of it laid out anew each time.
 * @param {() => void} run
 */
export function framed(run) {
  let due = false;
  return () => {
    if (due) return;
    due = true;
    requestAnimationFrame(() => {
      due = false;
      run();
    });
  };
}

/** A function that runs once calls have paused for `ms`; `.now()` runs what is due at once. */
export function pausing(ms, run) {
  let timer = null,
    args = null;
  const fire = () => {
    clearTimeout(timer);
    timer = null;
    const given = args;
    args = null;
    return run(...given);
  };
  const call = (...given) => {
    args = given;
    clearTimeout(timer);
    timer = setTimeout(fire, ms);
  };
  call.now = () => (timer ? fire() : undefined);
  call.drop = () => {
    clearTimeout(timer);
    timer = null;
  };
  return call;
}

/** Show the times of a page in the reader's own zone. */
export function showTimes(root = document) {
  for (const element of root.querySelectorAll("time[datetime]"))
    element.textContent = when(element.getAttribute("datetime"));
}

export function when(iso) {
  const time = new Date(iso);
  return Number.isNaN(time.getTime())
    ? iso
    : time.toLocaleString("en-GB", {
        day: "numeric",
        month: "short",
        year: "numeric",
        hour: "2-digit",
        minute: "2-digit",
      });
}
