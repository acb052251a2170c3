/** The desk for the flow itself (name, note, parameters), and for its revisions. */
import { api, attempt } from "../api.js";
import { h, icon, plural, when } from "../dom.js";
import { removeButton, select } from "../widgets/basic.js";
import { dayPhrases, KINDS, valueControl } from "../widgets/parameters.js";
import { closing } from "./desk.js";

export class FlowDesk {
  /**
   * @param {import("../studio.js").Studio} studio
   * @param {import("./desk.js").Desk} desk
   */
  constructor(studio, desk) {
    this.studio = studio;
    this.desk = desk;
  }

  show() {
    const { state, flow } = this.studio;
    const describe = (/** @type {any} */ change) =>
      this.studio.edit([{ op: "describe", ...change }]);
    /** @type {HTMLInputElement} */
    const name = h("input", {
      class: "desk-title",
      "aria-label": "Name of the flow",
      value: state.name,
      onchange: () => name.value.trim() && describe({ name: name.value.trim() }),
    });
    /** @type {HTMLTextAreaElement} */
    const note = h("textarea", {
      class: "form-control form-control-sm",
      id: "flow-note",
      rows: 4,
      onchange: () => describe({ note: note.value }),
    });
    note.value = state.note;
    const parameters = state.parameters.map((p) => ({ ...p }));
    const save = () => {
      if (parameters.every((p) => p.name)) describe({ parameters });
    };
    const list = h("div", { class: "rows" });
    const draw = () =>
      list.replaceChildren(
        ...parameters.map((p, n) =>
          h(
            "div",
            { class: "row-item" },
            h("input", {
              type: "text",
              class: "form-control form-control-sm font-monospace",
              "aria-label": `Name of parameter ${n + 1}`,
              placeholder: "name",
              value: p.name,
              onchange: (event) => {
                p.name = event.target.value
                  .trim()
                  .toLowerCase()
                  .replace(/[^a-z0-9_]/g, "_");
                event.target.value = p.name;
                save();
              },
            }),
            h("span", { class: "arrow" }, "="),
            valueControl(p, p.value, {
              label: `Value of parameter ${n + 1}`,
              change: (value) => {
                p.value = value;
                save();
              },
            }),
            select(KINDS, p.kind ?? "text", `Type of parameter ${n + 1}`, (kind) => {
              p.kind = kind;
              if (kind === "choice" && !p.options?.length) p.options = [String(p.value)];
              if (kind !== "list" && Array.isArray(p.value)) p.value = p.value.join(", ");
              draw();
              save();
            }),
            removeButton(`parameter ${p.name}`, () => {
              parameters.splice(n, 1);
              draw();
              save();
            }),
            p.kind === "choice"
              ? h("textarea", {
                  class: "form-control form-control-sm options",
                  rows: 2,
                  "aria-label": `Choices of parameter ${n + 1}, one a line`,
                  value: (p.options ?? []).join("\n"),
                  onchange: (event) => {
                    p.options = event.target.value.split("\n").filter((line) => line.trim());
                    draw();
                    save();
                  },
                })
              : null,
          ),
        ),
        h(
          "button",
          {
            type: "button",
            class: "tiny-button justify-self-start",
            onclick: () => {
              parameters.push({ name: "", value: "", note: "" });
              draw();
              list.lastElementChild?.previousElementSibling?.querySelector("input")?.focus();
            },
          },
          "+ parameter",
        ),
      );
    draw();
    const places = h("div", { class: "field", hidden: true });
    this.places(places, describe);
    this.desk.show("flow", {
      eyebrow: "Flow",
      title: name,
      summary: `Revision ${state.revision} · ${plural(state.course.stops.length, "step", "steps")}`,
      tools: closing("Close", () => this.studio.act.showStep()),
      body: [
        h("div", { class: "field" }, h("label", { for: "flow-note" }, "What it is for"), note),
        places,
        h(
          "fieldset",
          { class: "field" },
          h("legend", {}, "Parameters"),
          h(
            "p",
            { class: "muted small" },
            "Values that a run can be given. Settings use them as ",
            h("code", {}, "{params.name}"),
            ", in file names for instance. A day may be counted from today.",
          ),
          list,
          dayPhrases(),
        ),
        h(
          "div",
          { class: "section-line d-grid gap-2 pt-3" },
          h(
            "a",
            { class: "btn btn-quiet", href: `/api/flows/${flow}/export` },
            icon("download"),
            " Export as a file",
          ),
          h(
            "a",
            { class: "btn btn-quiet", href: `/flows/${flow}/runs` },
            icon("clock"),
            " All runs",
          ),
        ),
      ],
    });
  }

  /**
   * Where runs are computed: shown where there is a choice.
   * @param {HTMLElement} place
   * @param {any} describe
   */
  async places(place, describe) {
    const { computed_on: chosen } = this.studio.state;
    const answer = await attempt(() => api("/api/connections?kind=cluster"));
    const clusters =
      answer?.connections.map((/** @type {{name: string, where: string}} */ { name, where }) => [
        name,
        `${name} (${where})`,
      ]) ?? [];
    if (chosen && !clusters.some((/** @type {[string]} */ [name]) => name === chosen))
      clusters.push([chosen, `${chosen} (there is no such connection)`]);
    if (!clusters.length) return;
    const options = [["", "this machine"], ...clusters];
    const told = h("div", { role: "status" });
    const tell = () => {
      const { gathered } = this.studio.state;
      const lines = (gathered ?? []).map((text) => h("li", {}, text));
      const list = { class: "gathered small", "aria-label": "Steps that it cannot help with" };
      told.replaceChildren(lines.length ? h("ul", list, lines) : "");
    };
    const change = async (/** @type {string} */ name) => {
      await describe({ computed_on: name });
      tell();
    };
    tell();
    place.replaceChildren(
      h("label", { for: "flow-computed-on" }, "Computed on"),
      select(options, chosen, "Computed on", change, { id: "flow-computed-on" }),
      h(
        "p",
        { class: "muted small" },
        "Runs only; what is looked at here is computed on this machine.",
      ),
      told,
    );
    place.hidden = false;
  }

  async revisions() {
    const view = this.desk.view;
    const answer = await attempt(() => api(`/api/flows/${this.studio.flow}/revisions`));
    if (!answer || this.desk.view !== view) return;
    this.desk.show("history", {
      eyebrow: "Flow",
      title: "Revisions",
      summary: "Go back to any; none is lost.",
      tools: closing("Close", () => this.studio.act.showStep()),
      body: h(
        "ol",
        { class: "history" },
        answer.revisions.map((/** @type {import("./told.d.ts").Revision} */ revision) =>
          h(
            "li",
            {},
            h(
              "button",
              {
                type: "button",
                "aria-current": revision.current ? "true" : null,
                onclick: () => this.studio.goTo(revision.number),
              },
              h("span", { class: "n" }, revision.number),
              h(
                "span",
                {},
                revision.sentence,
                h(
                  "small",
                  {},
                  when(revision.created),
                  revision.parent && revision.parent !== revision.number - 1
                    ? ` · made from ${revision.parent}`
                    : "",
                ),
              ),
            ),
          ),
        ),
      ),
    });
  }
}
