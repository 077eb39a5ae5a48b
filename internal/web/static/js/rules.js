// @ts-check
// The page of the stations' rules: adding, changing and removing them.
import { call, fail } from "./api.js";
import { parts } from "./parts.js";

export function rules() {
  return {
    /** @param {SubmitEvent} e */
    async add(e) {
      const form = /** @type {HTMLFormElement} */ (e.target);
      const f = new FormData(form);
      if (await this.send("POST", "/api/v1/rules", { station: f.get("station"), ending: f.get("ending"), channel: f.get("channel") })) form.reset();
    },

    /** Makes a rule of a proposal. @param {Event} e */
    async accept(e) {
      const { station, ending, channel } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      await this.send("POST", "/api/v1/rules", { station, ending, channel });
    },

    /** @param {Event} e */
    async change(e) {
      const select = /** @type {HTMLSelectElement} */ (e.currentTarget);
      const row = /** @type {HTMLElement} */ (select.closest("[data-rule]"));
      await this.send("PUT", `/api/v1/rules/${row.dataset.rule}`, { station: row.dataset.station, ending: row.dataset.ending, channel: select.value }, row.dataset.version);
    },

    /** @param {Event} e */
    async remove(e) {
      const row = /** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-rule]"));
      await this.send("DELETE", `/api/v1/rules/${row.dataset.rule}`, undefined, row.dataset.version);
    },

    /**
     * @param {string} method
     * @param {string} path
     * @param {unknown} [body]
     * @param {string} [version]
     */
    async send(method, path, body, version) {
      try {
        await call(method, path, body, version);
        await parts("/intake/rules", "rules-list");
        return true;
      } catch (e) {
        fail(e);
        return false;
      }
    },
  };
}
