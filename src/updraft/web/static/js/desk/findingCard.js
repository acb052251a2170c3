/** One finding as a card: what it says, its repairs with their effect, and the values they change. */
import { dismiss } from "../dismissing.js";
import { count, h } from "../dom.js";
import { visible } from "../visible.js";

/** @typedef {import("../contract.d.ts").FindingShown} Finding */

/** @param {import("./findings.js").FindingsDesk} desk @param {Finding} finding */
export function cardOf(desk, finding) {
  const open = desk.open === finding.key;
  const card = h(
    "li",
    { class: `finding${open ? " is-open" : ""}` },
    h(
      "button",
      {
        type: "button",
        class: "finding-open",
        "aria-expanded": String(open),
        onclick: () => desk.choose(finding),
      },
      h("span", { class: "finding-says" }, finding.sentence),
      h("span", { class: "finding-count" }, count(finding.count)),
    ),
    finding.examples.length && !(open && cells(desk, finding))
      ? h(
          "div",
          { class: "finding-examples" },
          finding.examples
            .slice(0, open ? 5 : 3)
            .map((/** @type {string} */ text) => h("code", { title: text }, visible(text))),
        )
      : null,
    open ? h("p", { class: "finding-why" }, finding.why) : null,
    h(
      "div",
      { class: "finding-repairs" },
      finding.repairs.map(
        (/** @type {import("../contract.d.ts").RepairShown} */ repair, /** @type {number} */ n) =>
          n && !open && !finding.open
            ? null
            : h(
                "div",
                { class: "finding-repair" },
                h(
                  "div",
                  {},
                  h("span", { class: "repair-says" }, repair.sentence),
                  h(
                    "span",
                    { class: "repair-effect", "data-effect": `${finding.key} ${n}` },
                    desk.effectOf(finding.key, n),
                  ),
                ),
                h(
                  "button",
                  {
                    type: "button",
                    class: `btn ${open && !n ? "btn-primary" : "btn-quiet"} btn-small`,
                    "aria-label": `Repair: ${repair.sentence}`,
                    onclick: () => desk.take(finding, n),
                  },
                  finding.open && finding.repairs.length > 1 ? "Choose" : "Repair",
                ),
              ),
      ),
    ),
    open ? cells(desk, finding) : null,
    open
      ? h(
          "div",
          { class: "finding-more" },
          finding.rows.length
            ? h(
                "button",
                { type: "button", class: "linkish", onclick: () => desk.focus(finding) },
                "Show the rows",
              )
            : null,
          finding.columns.length === 1
            ? h(
                "button",
                {
                  type: "button",
                  class: "linkish",
                  onclick: () => desk.studio.act.chooseColumn(finding.columns[0]),
                },
                `Look at ${finding.columns[0]}`,
              )
            : null,
          h(
            "button",
            {
              type: "button",
              class: "linkish",
              onclick: (event) => dismiss(desk, finding, event.currentTarget),
            },
            "Dismiss…",
          ),
        )
      : null,
  );
  return card;
}

/**
 * Every value that the first repair rewrites: old and new, each to be left out. Its rows are in
 * focus beside.
 * @param {import("./findings.js").FindingsDesk} desk
 * @param {Finding} finding
 */
function cells(desk, finding) {
  const changes = (finding.repairs[0]?.steps ?? []).flatMap(
    (/** @type {Record<string, any>} */ step) => step.settings.changes ?? [],
  );
  if (!changes.length) return null;
  return h(
    "ul",
    { class: "finding-cells", "aria-label": "Values that change" },
    changes.map((/** @type {any} */ change) =>
      h(
        "li",
        {},
        h(
          "label",
          {},
          h("input", {
            type: "checkbox",
            checked: !desk.leftOut.get(finding.key)?.has(change.old),
            onchange: (event) => desk.leave(finding, change.old, !event.target.checked),
          }),
          " ",
          h("del", {}, visible(change.old)),
          " → ",
          h("strong", {}, change.new || "empty"),
        ),
      ),
    ),
  );
}
