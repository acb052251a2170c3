/** The desk for running a flow: what to run it on, how far it is, what came of it. */
import { api, attempt, post } from "../api.js";
import { h, icon, plural } from "../dom.js";
import { labelled, select } from "../widgets/basic.js";
import { dayPhrases, valueControl } from "../widgets/parameters.js";
import { closing } from "./desk.js";

/** @type {Record<string, string>} */
const SAID = {
  ok: "Done",
  partly: "Done in part",
  held: "Held: it has open questions",
  failed: "It did not finish",
  cancelled: "Cancelled",
  "cut off": "Cut off",
  waiting: "Waiting",
  running: "Running",
};

const AWAY = 20; // seconds

/** @param {number} seconds */
const lasted = (seconds) =>
  seconds < 1
    ? `${(seconds * 1000).toFixed(seconds < 0.01 ? 1 : 0)} ms`
    : `${seconds.toFixed(seconds < 10 ? 1 : 0)} s`;

/**
 * The files of the flow, and the pattern of several that the step reads.
 * @param {File[]} files
 * @param {string} path
 */
function choices(files, path) {
  const known = files.map((/** @type {any} */ file) => [file.path, file.path]);
  return /[*?]/.test(path ?? "") ? [[path, `${path} (all that fit)`], ...known] : known;
}

export class RunDesk {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
  }

  /** `chosen` holds the parameters and files that were chosen before this was drawn anew. */
  async show(chosen = { parameters: {}, inputs: {} }) {
    const { state, course } = this.studio;
    const files = (await this.studio.files()) ?? [];
    const parameters = {
      ...Object.fromEntries(state.parameters.map((p) => [p.name, p.value])),
      ...chosen.parameters,
    };
    /** @type {Record<string, string>} */
    const inputs = { ...chosen.inputs };
    const sources = course
      .order()
      .map((id) => state.steps[id])
      .filter(
        (step) =>
          this.studio.kinds.get(step.kind)?.made_for === "file" &&
          !/\{params\./.test(step.settings.path ?? ""),
      );
    this.desk.show("run", {
      eyebrow: "Run",
      title: `Run ${state.name}`,
      summary: "Steps stay as they are; only this run takes what you change here.",
      tools: this.close(),
      body: [
        h("a", { class: "small", href: `/flows/${this.studio.flow}/runs` }, "Earlier runs"),
        state.parameters.map((p) =>
          labelled(
            { id: `run-${p.name}`, property: { title: p.name, description: p.note } },
            valueControl(p, parameters[p.name], {
              id: `run-${p.name}`,
              label: p.name,
              change: (value) => {
                parameters[p.name] = value;
              },
            }),
          ),
        ),
        state.parameters.some((p) => p.kind === "date") ? dayPhrases() : null,
        sources.map((step) =>
          labelled(
            { id: `run-${step.id}`, property: { title: step.label, description: "file" } },
            h(
              "div",
              { class: "row-item" },
              select(
                choices(files, step.settings.path),
                inputs[step.id] ?? step.settings.path,
                step.label,
                (path) => {
                  inputs[step.id] = path;
                },
                { id: `run-${step.id}` },
              ),
              h(
                "button",
                {
                  type: "button",
                  class: "btn btn-quiet btn-small",
                  "aria-label": `Bring in another file for ${step.label}`,
                  onclick: async () => {
                    const path = await this.studio.pickFile();
                    if (path) this.show({ parameters, inputs: { ...inputs, [step.id]: path } });
                  },
                },
                "Another…",
              ),
            ),
          ),
        ),
      ],
      foot: [
        h(
          "button",
          {
            type: "button",
            class: "btn btn-main",
            id: "start-run",
            onclick: () => this.start({ parameters, inputs }),
          },
          "Run now",
        ),
        h(
          "button",
          {
            type: "button",
            class: "btn btn-quiet",
            title: "Compute and check everything, and say what would be delivered",
            onclick: () => this.start({ parameters, inputs, dry: true }),
          },
          "Try without delivering",
        ),
      ],
    });
    document.getElementById("start-run")?.focus();
  }

  close() {
    return closing("Close", () => this.studio.act.showStep());
  }

  /** @param {any} body */
  async start(body) {
    const made = await attempt(() => post(`/api/flows/${this.studio.flow}/runs`, body));
    if (made) this.watch(made.id);
  }

  /** @param {string} id */
  async watch(id) {
    this.id = id;
    this.desk.view = "run";
    let last = "",
      missed = 0;
    while (this.id === id && this.desk.view === "run") {
      // A server that is away for a while does not end the watching: what is shown would stay as it
      // was.
      const run = missed < AWAY ? await api(`/api/runs/${id}`).catch(() => null) : null;
      if (this.id !== id || this.desk.view !== "run") return;
      if (!run) {
        missed += 1;
        if (missed > AWAY) return void attempt(() => api(`/api/runs/${id}`));
        await new Promise((done) => setTimeout(done, 1000));
        continue;
      }
      missed = 0;
      const text = JSON.stringify(run);
      if (text !== last) this.draw(run);
      last = text;
      if (!["waiting", "running"].includes(run.status)) return;
      await new Promise((done) => setTimeout(done, 400));
    }
  }

  /** @param {any} run */
  draw(run) {
    const open = ["waiting", "running"].includes(run.status);
    const done = run.report?.steps?.length
      ? Object.fromEntries(run.report.steps.map((/** @type {any} */ s) => [s.id, s]))
      : (run.progress.steps ?? {});
    const order = this.studio.course.order().filter((id) => this.studio.state.steps[id].enabled);
    const finished = Object.values(done).filter(Boolean).length;
    const bar = h("div", { class: "progress-bar" });
    bar.style.width = `${run.status === "ok" ? 100 : (100 * finished) / Math.max(order.length, 1)}%`;
    const error = run.report?.error;
    this.desk.show("run", {
      eyebrow: "Run",
      title: run.cancelling
        ? "Stopping…"
        : run.dry && run.status === "ok"
          ? "Tried, nothing delivered"
          : SAID[run.status],
      tools: this.close(),
      summary:
        run.report?.seconds !== undefined
          ? `${run.report.seconds.toFixed(2)} seconds`
          : run.why
            ? run.why
            : open
              ? `${finished} of ${order.length} steps`
              : null,
      body: [
        open
          ? h(
              "div",
              {
                class: "progress",
                role: "progressbar",
                "aria-label": "Steps done",
                "aria-valuenow": finished,
                "aria-valuemin": 0,
                "aria-valuemax": order.length,
              },
              bar,
            )
          : null,
        error
          ? h(
              "p",
              { class: "said-problem", role: "alert" },
              error.step && this.studio.state.steps[error.step]
                ? h("strong", {}, `“${this.studio.state.steps[error.step].label}”: `)
                : null,
              error.text,
              error.step
                ? h(
                    "button",
                    {
                      type: "button",
                      class: "tiny-button",
                      onclick: () => this.studio.act.select(error.step),
                    },
                    "Go to the step",
                  )
                : null,
            )
          : null,
        (run.report?.held ?? []).map((/** @type {string} */ text) =>
          h("p", { class: "said-next", role: "alert" }, `${text}. Nothing was delivered.`),
        ),
        Object.values(done)
          .filter((step) =>
            step?.facts.some(
              (/** @type {import("../contract.d.ts").FactShown} */ fact) => fact.level === "hold",
            ),
          )
          .map((step) =>
            h(
              "button",
              {
                type: "button",
                class: "btn btn-primary btn-sm mb-2",
                onclick: () => this.studio.act.select(step.id),
              },
              `Answer at “${step.name}”`,
            ),
          ),
        run.dry || run.status === "held" ? (run.report?.effects ?? []).map(wouldDo) : null,
        (run.report?.outputs ?? []).map((/** @type {import("./told.d.ts").Delivered} */ output) =>
          h(
            "div",
            { class: "result-card" },
            output.path
              ? h(
                  "a",
                  {
                    class: "file",
                    href: `/api/runs/${run.id}/files/${encodeURIComponent(output.path)}`,
                  },
                  icon("file-earmark-arrow-down"),
                  ` ${output.path}`,
                )
              : h("strong", {}, output.to),
            h(
              "div",
              { class: "muted small" },
              plural(output.rows, "row", "rows"),
              output.seconds ? ` · handed over in ${output.seconds.toFixed(2)} s` : "",
              output.path ? " · also kept in the list of runs" : "",
            ),
          ),
        ),
        h(
          "ul",
          { class: "run-steps" },
          order.map((id) => {
            const step = done[id],
              begun = id in done;
            const odd = (step?.warnings ?? []).concat(
              (step?.facts ?? [])
                .filter(
                  (/** @type {import("../contract.d.ts").FactShown} */ fact) =>
                    fact.level === "warning" || fact.level === "hold",
                )
                .map((/** @type {import("../contract.d.ts").FactShown} */ fact) => fact.text),
            );
            return h(
              "li",
              { class: step ? "done" : begun && open ? "now" : "" },
              h("span", { "aria-hidden": "true" }, step ? "✓" : begun && open ? "▸" : "·"),
              h("span", { class: "name" }, this.studio.state.steps[id].label),
              h(
                "span",
                {},
                step ? plural(step.rows_out, "row", "rows") : begun && open ? "working" : "",
              ),
              h("span", { class: "t" }, step ? lasted(step.seconds) : ""),
              odd.length
                ? h(
                    "ul",
                    { class: "run-odd" },
                    odd.map((/** @type {string} */ text) => h("li", {}, text)),
                  )
                : null,
            );
          }),
        ),
      ],
      foot: open
        ? [
            h("span", { class: "grow" }),
            h(
              "button",
              {
                type: "button",
                class: "btn btn-quiet",
                disabled: run.cancelling,
                onclick: () => attempt(() => post(`/api/runs/${run.id}/cancel`)),
              },
              "Cancel",
            ),
          ]
        : [
            h(
              "span",
              { class: "grow" },
              h("a", { href: `/flows/${this.studio.flow}/runs` }, "All runs"),
            ),
            h(
              "button",
              { type: "button", class: "btn btn-primary", onclick: () => this.show() },
              "Run again",
            ),
          ],
    });
  }
}

/**
 * What a run would deliver.
 * @param {any} effect
 */
function wouldDo(effect) {
  return h(
    "div",
    { class: "result-card" },
    h("span", { class: "file" }, icon("file-earmark"), ` ${effect.to}`),
    h(
      "div",
      { class: "muted small" },
      `would be written: ${plural(effect.rows, "row", "rows")}`,
      effect.replaces ? `, in place of ${effect.replaces}` : "",
    ),
  );
}
