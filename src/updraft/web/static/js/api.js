/** Talk to the server. Whatever goes wrong becomes a ProblemError with the sentence to show. */
import { byId, h, icon } from "./dom.js";

export class ProblemError extends Error {
  constructor(problem, status) {
    super(problem.text);
    this.problem = problem;
    this.status = status;
  }
}

const said = (name) => document.querySelector(`meta[name=${name}]`)?.getAttribute("content") ?? "";
/** The kind of step that reads a file. */
const FILE_KIND = said("file-kind");
const token = said("csrf-token");

/**
 * Ask for `path`; `body` may be plain data or FormData. What takes its time is asked for again
 * until it is there.
 * @param {string} path
 * @param {{method?: string, body?: any, signal?: AbortSignal | null}} asked
 */
export async function api(path, asked = {}) {
  for (let times = 0; ; times++) {
    const [answer, status, later] = await once(path, asked, times);
    if (status !== 202) return answer;
    const busy = document.getElementById("busy-text");
    if (busy && answer?.waiting) busy.textContent = answer.waiting;
    await new Promise((ready) => setTimeout(ready, 1000 * later * Math.min(1 + times / 4, 3)));
    asked.signal?.throwIfAborted();
  }
}

/**
 * @param {string} path
 * @param {{method?: string, body?: any, signal?: AbortSignal | null}} how
 * @param {number} times how often it was asked before
 */
async function once(path, { method = "GET", body = null, signal = null }, times) {
  const headers = { "X-CSRFToken": token, Accept: "application/json" };
  if (times) headers["X-Asked-Before"] = String(times);
  const form = body instanceof FormData;
  if (body !== null && !form) headers["Content-Type"] = "application/json";
  let response;
  try {
    response = await fetch(path, {
      method,
      headers,
      signal,
      body: body === null ? null : form ? body : JSON.stringify(body),
    });
  } catch (/** @type {any} */ error) {
    if (error.name === "AbortError") throw error;
    throw new ProblemError(
      {
        text: "Updraft does not answer. Is it still running? Nothing is lost; try again.",
        code: "offline",
      },
      0,
    );
  }
  const answer = await response.json().catch(() => null);
  if (!response.ok) {
    throw new ProblemError(
      answer?.problem ?? { text: "Something went wrong. Try again.", code: "server" },
      response.status,
    );
  }
  return [answer, response.status, Number(response.headers.get("Retry-After")) || 0.3];
}

export const post = (path, body = {}) => api(path, { method: "POST", body });

/** Say something in the corner; problems stay until they are put away. */
export function notice(text, kind = "said", ways = []) {
  // What is said already is not said twice.
  for (const other of byId("notices").querySelectorAll(":scope > *"))
    if (other.dataset.text === text) other.remove();
  const act = ([name, way]) =>
    h(
      "button",
      {
        type: "button",
        class: "notice-way",
        onclick: () => {
          box.remove();
          way();
        },
      },
      name,
    );
  const box = h(
    "div",
    { class: `notice notice-${kind}`, dataset: { text, ...(ways.length ? { ways: "" } : {}) } },
    h("div", {}, text, ways.length ? h("div", { class: "notice-ways" }, ...ways.map(act)) : null),
    h(
      "button",
      { type: "button", "aria-label": "Put away", onclick: () => box.remove() },
      icon("x-lg"),
    ),
  );
  byId("notices").append(box);
  setTimeout(() => box.remove(), kind === "problem" ? 30000 : 4500);
}

/** What is offered for a state of the flow is offered for that state alone. */
export function withdrawOffers() {
  for (const box of document.querySelectorAll(".notice[data-ways]")) box.remove();
}

/** Run an action and say its problem, if any. Gives undefined then. */
export async function attempt(action) {
  try {
    return await action();
  } catch (/** @type {any} */ error) {
    if (error.name === "AbortError") return undefined;
    if (!(error instanceof ProblemError)) throw error;
    notice(error.problem.text, "problem");
    return undefined;
  }
}

/** Questions of which only the newest is answered: what an older one is told is dropped. */
export class Newest {
  #asked = 0;

  /**
   * The answer; undefined where it failed, another was asked for since, or none any more.
   * @template T
   * @param {() => T} ask
   * @param {() => void} failed called where what was asked last has none
   * @returns {Promise<Awaited<T> | undefined>}
   */
  async answer(ask, failed = () => {}) {
    this.forget();
    const mine = this.#asked;
    const answer = await attempt(ask);
    if (mine !== this.#asked) return undefined;
    if (answer === undefined) failed();
    return answer;
  }

  /** What was asked is of no use any more. */
  forget() {
    this.#asked += 1;
  }
}

/**
 * Upload one file into a flow, perhaps into a folder there; gives its `path` and the `columns`
 * found in it.
 * @param {boolean} other it is no table
 */
export async function upload(flow, file, folder = "", other = false) {
  const form = new FormData();
  form.append("file", file, file.name);
  if (folder) form.append("folder", folder);
  if (other) form.append("other", "yes");
  return api(`/api/flows/${flow}/files`, { method: "POST", body: form });
}

/**
 * Call `take(files)` when files are dropped anywhere on the page; `over(yes)` while they hover.
 * @param {(files: File[], folder: string) => unknown} take
 * @param {(yes: boolean) => void} over
 */
export function onDrop(take, over) {
  let depth = 0;
  const hasFiles = (event) => [...(event.dataTransfer?.types ?? [])].includes("Files");
  addEventListener("dragenter", (event) => {
    if (hasFiles(event)) {
      depth += 1;
      over(true);
    }
  });
  addEventListener("dragleave", (event) => {
    if (hasFiles(event) && --depth <= 0) {
      depth = 0;
      over(false);
    }
  });
  addEventListener("dragover", (event) => {
    if (hasFiles(event)) event.preventDefault();
  });
  addEventListener("drop", (event) => {
    if (!hasFiles(event)) return;
    event.preventDefault();
    depth = 0;
    over(false);
    droppedFiles(event.dataTransfer).then(
      ({ files, folder }) => files.length && take(files, folder),
    );
  });
}

/** The files that were dropped; of a folder, those directly in it, with its name. */
async function droppedFiles(transfer) {
  const files = [...transfer.files];
  const entry = [...transfer.items]
    .map((item) => item.webkitGetAsEntry?.())
    .find((one) => one?.isDirectory);
  if (!entry) return { files, folder: "" };
  const reader = entry.createReader(),
    inside = [];
  for (
    let part;
    (part = await new Promise((done, fail) => reader.readEntries(done, fail))).length;
  )
    inside.push(...part);
  const found = await Promise.all(
    inside
      .filter((one) => one.isFile && !one.name.startsWith("."))
      .map((one) => new Promise((done, fail) => one.file(done, fail))),
  );
  return { files: found.sort((a, b) => a.name.localeCompare(b.name)), folder: entry.name };
}

/** A name with * that fits all these paths: what they begin and end with alike. */
function patternOf(paths) {
  const folder = paths[0].includes("/") ? paths[0].slice(0, paths[0].lastIndexOf("/") + 1) : "";
  const names = paths.map((path) => path.slice(folder.length)),
    [first] = names;
  let start = 0,
    end = 0;
  while (names.every((name) => name[start] !== undefined && name[start] === first[start]))
    start += 1;
  while (
    end < Math.min(...names.map((name) => name.length)) - start &&
    names.every((name) => name.at(-1 - end) === first.at(-1 - end))
  )
    end += 1;
  return `${folder}${first.slice(0, start)}*${end ? first.slice(-end) : ""}`;
}

export const alike = (sent) =>
  sent.length > 1 &&
  sent.every(({ columns }) => JSON.stringify(columns) === JSON.stringify(sent[0].columns));

/** The Read file steps for what was uploaded: one for all of it when `together`, else one each. */
export function sourcesOf(sent, folder, together) {
  if (!together)
    return sent.map(({ path, columns }) => ({
      kind: FILE_KIND,
      name: sourceName(path),
      settings: { path, layout: columns },
    }));
  const path = folder ? `${sent[0].path.split("/")[0]}/*` : patternOf(sent.map((one) => one.path));
  return [
    {
      kind: FILE_KIND,
      name: sourceName(folder || path.replace("*", "").replace(/[_ -]+(?=\.)/, "")),
      settings: { path, layout: [] },
    },
  ];
}

/** The name a source gets from its file: without folder and ending. */
export const sourceName = (path) =>
  path
    .replace(/\.[^.]+$/, "")
    .replace(/[_]+/g, " ")
    .replace(/^./, (c) => c.toUpperCase());
