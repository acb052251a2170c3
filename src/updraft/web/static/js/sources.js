/** Bringing tables in: files, folders, pasted cells, other sources. Methods of the studio. */
import { alike, api, attempt, sourceName, sourcesOf, upload } from "./api.js";
import { byId } from "./dom.js";
import { ask } from "./overlays.js";
import { cellsOf } from "./widgets/sheet.js";

/** @satisfies {import("./studio.js").OfStudio} methods that the studio takes over */
export const sources = {
  /** A source that is no file: a lane of its own, worked on at its desk. */
  async addSource(kind, settings, name = "") {
    const step = { kind: kind.kind, settings, ...(name ? { name } : {}) };
    await this.shownNew(await this.addOne({ op: "add", step }));
  },

  /**
   * Cells pasted on the page become a typed table; the first row names the columns where it looks
   * like names.
   */
  async paste(text) {
    const cells = cellsOf(text);
    if (cells.length < 2 && cells[0].length < 2) return false;
    await this.applyDraft();
    const named =
      cells.length > 1 &&
      cells[0].every((cell) => cell && !/^[\d.,\s-]+$/.test(cell)) &&
      new Set(cells[0]).size === cells[0].length;
    await this.addSource(
      this.kindFor("cells"),
      {
        columns: named ? cells[0] : cells[0].map((_, n) => `Column ${n + 1}`),
        rows: named ? cells.slice(1) : cells,
      },
      "Pasted cells",
    );
    return true;
  },

  files() {
    return attempt(async () => (await api(`/api/flows/${this.flow}/files`)).files);
  },

  /** Keep a file with the flow; `other` is one that is no table. */
  uploadFile(file, other = false) {
    return attempt(async () => (await upload(this.flow, file, "", other)).path);
  },

  /** Take other records of the same file as a table with a lane of its own. */
  async takeAsTable(path, name) {
    await this.applyDraft();
    const settings = {
      ...this.state.steps[this.selected].settings,
      records: path,
      layout: [],
      columns: [],
      number: false,
    };
    const state = await this.edit(
      [
        {
          op: "set",
          id: this.selected,
          settings: {
            ...this.state.steps[this.selected].settings,
            number: true,
            lists: "leave_out",
            layout: [],
          },
        },
        {
          op: "add",
          step: { kind: this.state.steps[this.selected].kind, name: sourceName(name), settings },
        },
      ],
      `Took “${name}” as a table of its own`,
    );
    if (state) await this.select(state.added[0]);
  },

  /** Open the file chooser; with `asStep` the file becomes a source. Gives the path, or null. */
  pickFile(asStep = false) {
    return new Promise((done) => {
      const input = byId("file-input");
      input.onchange = async () => {
        const files = [...(input.files ?? [])];
        input.value = "";
        done(
          files.length
            ? ((asStep
                ? await attempt(() => this.bringIn(files))
                : await this.uploadFile(files[0])) ?? null)
            : null,
        );
      };
      input.oncancel = () => done(null);
      input.click();
    });
  },

  /** Open the chooser of a folder: its files of one shape become one table. */
  pickFolder() {
    const input = byId("folder-input");
    input.onchange = () => {
      const files = [...(input.files ?? [])];
      input.value = "";
      const folder = files[0]?.webkitRelativePath.split("/")[0] ?? "";
      if (files.length) attempt(() => this.bringIn(files, folder));
    };
    input.click();
  },

  /**
   * Each file becomes a source with a lane of its own; several of one shape may become one table.
   * Gives the last path.
   */
  async bringIn(files, folder = "") {
    await this.applyDraft();
    const sent = [];
    this.shown.busy(true);
    // One that cannot be taken is told, and keeps none of the others out.
    try {
      for (const file of files) {
        const found = await attempt(() => upload(this.flow, file, folder));
        if (found) sent.push(found);
      }
    } finally {
      this.shown.busy(false);
    }
    if (!sent.length) return null;
    const together = folder
      ? "one"
      : alike(sent)
        ? await ask(
            "One table, or one each?",
            `These ${sent.length} files have the same columns.`,
            [
              ["", "Neither now"],
              ["each", "One each"],
              ["one", "One table"],
            ],
          )
        : "each";
    if (!together) return null;
    for (const step of sourcesOf(sent, folder, together === "one")) {
      const id = await this.addOne({ op: "add", step }, `Brought in ${step.settings.path}`);
      if (id) await this.select(id);
    }
    return sent.at(-1)?.path ?? null;
  },
};
