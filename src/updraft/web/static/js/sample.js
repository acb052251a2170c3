/** A part of an output's desk: the first of what it would deliver. */
import { attempt, post } from "./api.js";
import { byId, h, icon } from "./dom.js";

/** A page as it will be, with nothing in it that runs. */
const page = (text) =>
  h("iframe", { class: "sample-page", title: "Sample", sandbox: "", srcdoc: text });

export class Sample {
  /** @param {() => any} tried the settings that are shown and not applied yet, or null */
  constructor(studio, step, tried) {
    this.path = `/api/flows/${studio.flow}/steps/${step.id}/sample`;
    this.tried = tried;
    this.place = h("div", { "aria-live": "polite" });
    this.element = h(
      "section",
      { class: "section-line", "aria-label": "Sample" },
      h(
        "button",
        { type: "button", class: "btn btn-quiet w-100", onclick: () => this.show() },
        icon("eye"),
        " See the first of it",
      ),
      this.place,
    );
  }

  /** What is shown belongs to settings that may have changed since. */
  forget() {
    this.place.replaceChildren();
  }

  async show() {
    const waiting = h("p", { class: "muted small" }, "Making it…");
    this.place.replaceChildren(waiting);
    const answer = await attempt(() => post(this.path, { settings: this.tried() }));
    if (waiting.parentNode !== this.place) return; // it was forgotten, or asked for again
    const { text, form, said } = answer?.sample ?? {};
    if (text === undefined) return this.forget();
    this.place.replaceChildren(
      said ? h("p", { class: "muted small mb-1" }, said) : "",
      ...(form === "html"
        ? [page(text), this.larger(text)]
        : [h("pre", { class: "sample-text", tabindex: "0" }, text)]),
    );
  }

  larger(text) {
    const open = () => {
      const dialog = byId("dialog");
      dialog.replaceChildren(
        h(
          "form",
          { method: "dialog", class: "sample-large" },
          h("h2", { id: "dialog-title" }, "The first of it"),
          page(text),
          h(
            "div",
            { class: "dialog-foot" },
            h("button", { type: "submit", class: "btn btn-quiet" }, "Close"),
          ),
        ),
      );
      dialog.showModal();
    };
    return h(
      "button",
      { type: "button", class: "tiny-button", onclick: open },
      icon("arrows-angle-expand"),
      " Larger",
    );
  }
}
