/** All first repairs at once: what they would do, told before they are taken. */
import { attempt, notice, post } from "../api.js";
import { byId, h, plural } from "../dom.js";

/** @param {import("./findings.js").FindingsDesk} desk */
export async function repairAll(desk) {
  const { studio } = desk,
    step = studio.selected;
  studio.shown.busy(true);
  const answer = await attempt(() => post(`/api/flows/${studio.flow}/steps/${step}/findings/all`));
  studio.shown.busy(false);
  if (!answer || studio.selected !== step) return;
  // What somebody left out of a card stays out of all of them, too.
  const kept = answer.steps
    .map((/** @type {any} */ one, /** @type {number} */ n) => [
      answer.of[n],
      desk.without(answer.of[n], one),
    ])
    .filter((/** @type {[any, any]} */ [, one]) => one.settings.changes?.length !== 0);
  const steps = kept.map((/** @type {[any, any]} */ [, one]) => one);
  const of = new Set(
    kept.map((/** @type {[import("../contract.d.ts").FindingShown]} */ [finding]) => finding),
  );
  const done = answer.done.filter((/** @type {any} */ one) => of.has(one.finding));
  const dialog = byId("dialog");
  dialog.onclose = async () => {
    dialog.onclose = null;
    dialog.classList.remove("wide");
    if (dialog.returnValue !== "take") return;
    if (await studio.addSteps(steps, `Repaired ${plural(done.length, "finding", "findings")}`)) {
      notice(`${plural(done.length, "repair", "repairs")} taken. Ctrl+Z takes them back.`);
      desk.again();
    }
  };
  dialog.classList.add("wide");
  dialog.replaceChildren(
    h(
      "form",
      { method: "dialog" },
      h(
        "h2",
        { id: "dialog-title" },
        done.length
          ? `${plural(done.length, "repair", "repairs")}, one after another`
          : "Nothing can be repaired without a look",
      ),
      h(
        "p",
        { class: "muted" },
        !done.length
          ? "Each of them would lose something in this table, or all its values are left out. Open its card to see the rows, then decide."
          : `They become ${plural(steps.length, "step", "steps")} behind “${studio.state.steps[step].label}”. One undo takes them all back.`,
      ),
      h(
        "ol",
        { class: "repair-list" },
        done.map((/** @type {any} */ one) =>
          h(
            "li",
            {},
            h("strong", {}, one.repair),
            h("span", { class: "muted" }, one.effect),
            desk.leftOf(one.finding)
              ? h(
                  "span",
                  {},
                  `without ${plural(desk.leftOf(one.finding), "value", "values")} left out`,
                )
              : null,
            h("span", { class: "repair-for" }, one.sentence),
          ),
        ),
      ),
      answer.left.length
        ? [
            h("p", { class: "muted" }, "Left to you:"),
            h(
              "ul",
              { class: "repair-left" },
              answer.left.map((/** @type {any} */ one) =>
                h("li", {}, one.sentence, one.reason ? h("em", {}, ` (${one.reason})`) : null),
              ),
            ),
          ]
        : null,
      h(
        "div",
        { class: "dialog-foot" },
        h("button", { class: "btn btn-quiet", value: "" }, done.length ? "Not now" : "Close"),
        done.length
          ? h("button", { class: "btn btn-main", value: "take", autofocus: true }, "Take them")
          : null,
      ),
    ),
  );
  dialog.returnValue = "";
  dialog.showModal();
}
