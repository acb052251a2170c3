/** Findings that are fine as they are: dismissed with a reason, and brought back. */
import { count, h } from "./dom.js";

/**
 * Ask for the reason beside a finding, and dismiss it.
 * @param {import("./desk/findings.js").FindingsDesk} desk
 */
export function dismiss(desk, finding, beside) {
  const input = h("input", {
    type: "text",
    class: "form-control form-control-sm",
    "aria-label": "Why it is fine as it is",
    placeholder: "Why is it fine as it is?",
    maxlength: 400,
  });
  const form = h(
    "form",
    {
      class: "dismiss-form",
      onsubmit: async (event) => {
        event.preventDefault();
        if (
          await desk.studio.edit([
            { op: "dismiss", id: desk.studio.selected, finding: finding.key, reason: input.value },
          ])
        ) {
          desk.studio.act.clearFocus();
          desk.of = "";
          desk.follow();
        }
      },
    },
    input,
    h("button", { class: "btn btn-quiet btn-small" }, "Dismiss"),
  );
  beside.replaceWith(form);
  input.focus();
}

/**
 * Those that are dismissed, each to be brought back.
 * @param {import("./desk/findings.js").FindingsDesk} desk
 */
export function dismissed(desk) {
  if (!desk.away?.length) return null;
  return h(
    "details",
    { class: "dismissed" },
    h("summary", { class: "linkish" }, `${count(desk.away.length)} dismissed`),
    h(
      "ul",
      {},
      desk.away.map((finding) =>
        h(
          "li",
          {},
          h("span", {}, finding.sentence),
          finding.reason ? h("em", {}, finding.reason) : null,
          h(
            "button",
            {
              type: "button",
              class: "linkish",
              onclick: async () => {
                if (
                  await desk.studio.edit([
                    {
                      op: "dismiss",
                      id: desk.studio.selected,
                      finding: finding.key,
                      restore: true,
                    },
                  ])
                ) {
                  desk.of = "";
                  desk.follow();
                }
              },
            },
            "Bring back",
          ),
        ),
      ),
    ),
  );
}
