/** The history of a flow's runs. */
import { attempt, post } from "./api.js";
import { showTimes } from "./dom.js";
import "./schedules.js";

showTimes();
document.addEventListener("click", (event) => {
  const button = /** @type {any} */ (event.target).closest("[data-repeat]");
  if (button)
    attempt(async () => {
      await post(`/api/runs/${button.dataset.repeat}/repeat`);
      location.reload();
    });
});
if (document.querySelector(".state-running, .state-waiting"))
  setTimeout(() => location.reload(), 2000);
