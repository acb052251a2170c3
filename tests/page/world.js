/**
 * A page without a browser: a document, a server that answers what a test says, and what was asked
 * of it.
 */
import { JSDOM } from "jsdom";

const dom = new JSDOM(
  `<!doctype html><meta name="csrf-token" content="token"><meta name="file-kind" content="read_file">
   <div id="notices"></div><div id="busy-text"></div><div id="raw"></div><main></main>
   <script type="application/json" id="formats">{"formats": {}, "titles": {}}</script>
   <script type="application/json" id="functions">[]</script>`,
  { url: "http://127.0.0.1/", pretendToBeVisual: true },
);
const taken = [
  "document",
  "FormData",
  "Node",
  "Element",
  "HTMLElement",
  "Event",
  "CustomEvent",
  "KeyboardEvent",
  "File",
];
for (const name of taken) globalThis[name] = dom.window[name];
for (const name of [
  "localStorage",
  "sessionStorage",
  "ResizeObserver",
  "matchMedia",
  "getComputedStyle",
])
  globalThis[name] ??= dom.window[name];
globalThis.window = dom.window;
globalThis.addEventListener ??= dom.window.addEventListener.bind(dom.window);
globalThis.requestAnimationFrame ??= (run) => setTimeout(run, 0);
globalThis.ResizeObserver ??= class {
  observe() {}
  disconnect() {}
};
dom.window.Element.prototype.scrollIntoView ??= () => {};

/** What was asked: [method, path, body]. */
export const asked = [];
let answers = [];
/** @type {((path: string) => any) | null} */
let always = null;

/** Answer whatever is asked by its path. */
export function answerBy(give) {
  always = give;
}

/** Answer what is asked next with these, in turn: [status, body, seconds to ask again]. */
export function answer(...next) {
  always = null;
  answers = next;
  asked.length = 0;
}

globalThis.fetch = async (path, { method, body }) => {
  asked.push([method, path, typeof body === "string" ? JSON.parse(body) : body]);
  const next = always ? [200, always(path)] : answers.shift();
  if (next === undefined) throw new TypeError("no network");
  const [status, said, later = 0.001] = await next;
  return {
    ok: status < 400,
    status,
    json: async () => said,
    headers: { get: (name) => (name === "Retry-After" ? String(later) : null) },
  };
};

export const notices = () =>
  [...document.querySelectorAll("#notices .notice")].map((one) => one.dataset.text);
export const JS = new URL("../../src/updraft/web/static/js/", import.meta.url).href;
