/**
 * A script that fails is told in a bar, with the way out; what was typed is kept by its owner
 * (`state/drafts.js`).
 */
import { h, icon } from "./dom.js";

// Chromium tells of a layout that was asked for again while it was measured; nothing is wrong then.
const HARMLESS = /ResizeObserver loop/;

export function tellTrouble() {
  const tell = (what) => {
    if (HARMLESS.test(String(what?.message ?? what)) || document.getElementById("trouble")) return;
    document.body.append(
      h(
        "div",
        { id: "trouble", class: "trouble", role: "alert" },
        icon("exclamation-octagon"),
        h(
          "p",
          {},
          h("strong", {}, "A part of this page failed. "),
          "Nothing is lost: the flow is saved, and settings that are tried come back with the page. ",
          h("span", { class: "trouble-what" }, String(what?.message ?? what).slice(0, 200)),
        ),
        h("button", { type: "button", class: "btn btn-main", onclick: reload }, "Reload"),
        h(
          "button",
          { type: "button", class: "btn btn-quiet", onclick: () => byTrouble()?.remove() },
          "Go on without",
        ),
      ),
    );
  };
  addEventListener("error", (event) => event.error && tell(event.error));
  addEventListener("unhandledrejection", (event) => {
    if (event.reason?.name !== "AbortError") tell(event.reason);
  });
}

const byTrouble = () => document.getElementById("trouble");

/** Load the page anew, without being asked about settings that come back by themselves. */
function reload() {
  dispatchEvent(new Event("reloading"));
  location.reload();
}

tellTrouble();
