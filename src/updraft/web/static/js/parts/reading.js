/** Files as they stand: how the file of a step is read, beside its table. Methods of the studio. */
import { api, attempt, post } from "../api.js";
import { byId } from "../dom.js";

/**
 * @typedef {import("../contract.d.ts").ArrivingShown} Arriving
 * @typedef {Record<string, any>} Settings
 */

const same = (/** @type {unknown} */ one, /** @type {unknown} */ other) =>
  JSON.stringify(one ?? null) === JSON.stringify(other ?? null);

/** @satisfies {import("../studio.js").OfStudio} methods that the studio takes over */
export const reading = {
  /**
   * What the file of a step is, read with these settings; null where it cannot be.
   * @param {string} id
   * @param {Settings | null} settings
   */
  detect(id, settings) {
    const body = { step: id, settings: settings ?? null };
    return api(`/api/flows/${this.flow}/files/detected`, { method: "POST", body }).catch(
      () => null,
    );
  },

  /**
   * Ask how the file of the selected step is read, and show it on the desk and as it stands.
   * @param {string} id
   * @param {Settings | null} settings
   */
  async describe(id, settings) {
    const kind = this.kinds.get(this.state.steps[id]?.kind);
    if (kind?.made_for === "cells") {
      byId("raw").hidden = false;
      this.grid.resize();
      return;
    }
    if (!kind?.reads_files) {
      this.rawPane.hide();
      return;
    }
    if (this.foundOf !== id) {
      // What another step's file is may not stand there until this one's is known.
      this.rawPane.hide();
      this.found = this.foundFor = undefined;
      this.foundOf = id;
    }
    const found = await this.detect(id, settings);
    if (id !== this.selected || !same(this.drafts.get(id), settings)) return;
    this.found = found;
    this.foundFor = JSON.stringify(settings ?? null);
    if (found && this.stepDesk.step?.id === id) this.stepDesk.form?.detected(found);
    if (found && this.wide.open) this.wide.work.form?.detected?.(found);
    this.rawPane.show(found);
  },

  /**
   * Reading the same file in another way is a new set-up: its columns are noted anew. Another file
   * is compared.
   * @param {string} id
   * @param {Settings} settings
   */
  async noteLayout(id, settings) {
    const { path, layout, ...now } = settings;
    const { path: before, layout: noted, ...then } = this.state.steps[id].settings;
    if (!layout?.length || !same(layout, noted) || path !== before) return;
    const starting = this.kinds.get(this.state.steps[id].kind)?.starting ?? {};
    const was = (/** @type {string} */ name) => (name in then ? then[name] : starting[name]);
    if (Object.keys(now).every((name) => JSON.stringify(now[name]) === JSON.stringify(was(name))))
      return;
    // What is on the screen may belong to settings of a moment ago: the columns are those of these
    // settings.
    const known = this.foundFor === JSON.stringify(settings);
    const found = known ? this.found : await this.detect(id, settings);
    if (!found) return;
    settings.layout = found.columns;
  },

  /**
   * Change settings of the selected step as if on its desk.
   * @param {Settings} change
   */
  propose(change) {
    this.drafts.change(this.selected, change);
    this.preview();
    if (this.found) this.stepDesk.form?.detected(this.found);
  },

  /**
   * What forms ask for: the values of a column, and formats that read it.
   * @param {Arriving | undefined} table
   * @param {string} column
   * @param {string} search
   */
  values(table, column, search) {
    if (!table?.known) return Promise.resolve(null);
    const query = { column, search, output: table.output, most: "300" };
    return attempt(() => api(`${this.tablePath(table)}/values?${new URLSearchParams(query)}`));
  },

  /**
   * Readings of results that are given, by row.
   * @param {Arriving} table
   * @param {string[]} columns
   * @param {Record<string, string>} give
   */
  examples(table, columns, give) {
    if (!table?.known) return Promise.resolve(null);
    const body = { columns, give, output: table.output };
    return attempt(() => post(`${this.tablePath(table)}/examples`, body));
  },

  /**
   * Fields by which rows of two tables are likely the same things, and how alike they are to be.
   * @param {Arriving} table
   * @param {Arriving} other
   */
  async alikeFields(table, other) {
    if (!table?.known || !other?.known) return null;
    const body = { output: table.output, other: other.key, other_output: other.output };
    return (await attempt(() => post(`${this.tablePath(table)}/fields`, body))) ?? null;
  },

  /**
   * How alike the best matches of some rows are by some fields; in the table itself where there is
   * no other.
   * @param {Arriving} table
   * @param {Arriving | undefined} other
   * @param {Settings[]} fields
   */
  async alikeScores(table, other, fields) {
    if (!table?.known || (other && !other.known)) return null;
    const its = other ? { other: other.key, other_output: other.output } : {};
    const body = { output: table.output, fields, ...its };
    return post(`${this.tablePath(table)}/scores`, body).catch(() => null); // told by the step's own trial
  },

  /**
   * Pairs of columns by which two tables are likely to meet.
   * @param {Arriving} table
   * @param {Arriving} other
   */
  async keys(table, other) {
    if (!table?.known || !other?.known) return [];
    const body = { output: table.output, other: other.key, other_output: other.output };
    return (await attempt(() => post(`${this.tablePath(table)}/keys`, body)))?.keys ?? [];
  },

  /**
   * Rules read from lines of text.
   * @param {Arriving} table
   * @param {string} text
   * @param {Record<string, string>} more columns, name and type, that are made before them
   */
  rules(table, text, more = {}) {
    if (!table?.known) return Promise.resolve(null);
    const body = { text, output: table.output, more };
    return attempt(() => post(`${this.tablePath(table)}/rules`, body));
  },

  /**
   * Formats that read the most texts of a column as dates, times or numbers.
   * @param {Arriving} table
   * @param {string} column
   * @param {string} kind
   */
  async formats(table, column, kind) {
    if (!table?.known) return [];
    const query = { column, kind, output: table.output };
    const url = `${this.tablePath(table)}/formats?${new URLSearchParams(query)}`;
    return (await attempt(() => api(url)))?.formats ?? [];
  },

  /** @param {Arriving} table */
  tablePath(table) {
    return `/api/flows/${this.flow}/tables/${table.key}`;
  },
};
