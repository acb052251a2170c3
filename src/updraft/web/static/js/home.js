/** The list of flows. */
import { alike, api, attempt, onDrop, post, sourceName, sourcesOf, upload } from "./api.js";
import { byId, showTimes } from "./dom.js";

showTimes();
const open = (id) => {
  location.href = `/flows/${id}`;
};

byId("new-flow").addEventListener("click", () =>
  attempt(async () => open((await post("/api/flows")).id)),
);

byId("import-file").addEventListener("change", (event) =>
  attempt(async () => {
    const input = /** @type {HTMLInputElement} */ (event.target);
    const [file] = input.files ?? [];
    input.value = "";
    if (!file) return;
    const form = new FormData();
    form.append("file", file, file.name);
    open((await api("/api/flows/import", { method: "POST", body: form })).id);
  }),
);

/** Files of one shape, or a folder, become one table; other files one each. */
async function startFrom(files, folder = "") {
  const { id } = await post("/api/flows", { name: sourceName(folder || files[0].name) });
  try {
    const sent = [];
    for (const file of files) sent.push(await upload(id, file, folder));
    for (const step of sourcesOf(sent, folder, folder || alike(sent)))
      await post(`/api/flows/${id}/edits`, { edits: [{ op: "add", step }] });
  } catch (error) {
    await api(`/api/flows/${id}`, { method: "DELETE" });
    throw error;
  }
  open(id);
}
byId("start-file").addEventListener("change", () => {
  const files = [...(byId("start-file").files ?? [])];
  if (files.length) attempt(() => startFrom(files));
});
onDrop(
  (files, folder) => attempt(() => startFrom(files, folder)),
  (over) => document.body.classList.toggle("dragging", over),
);

for (const button of document.querySelectorAll("[data-bring]"))
  button.addEventListener("click", () =>
    attempt(async () => {
      const { id } = await post("/api/flows");
      location.href = `/flows/${id}?bring=${/** @type {any} */ (button).dataset.bring}`;
    }),
  );

document.addEventListener("click", (event) => {
  const button = /** @type {any} */ (event.target).closest("[data-do]");
  if (!button) return;
  const row = button.closest("tr");
  if (button.dataset.do === "duplicate") {
    attempt(async () => {
      await post(`/api/flows/${row.dataset.flow}/duplicate`);
      location.reload();
    });
  } else {
    const dialog = byId("confirm");
    byId("confirm-text").textContent =
      `“${row.dataset.name}” goes with its files, its revisions and its runs. Export it first if you may need it.`;
    dialog.onclose = () =>
      dialog.returnValue === "yes" &&
      attempt(async () => {
        await api(`/api/flows/${row.dataset.flow}`, { method: "DELETE" });
        location.reload();
      });
    dialog.returnValue = "";
    dialog.showModal();
  }
});
