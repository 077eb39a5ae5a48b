// @ts-check
// The page of watched folders: adding, pausing, looking at once and removing.
import { call, fail } from "./api.js";
import { parts } from "./parts.js";

export function folders() {
  return {
    timer: 0,

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (!e.detail.some((t) => t === "watches")) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.reload(), 200);
    },

    reload() {
      return parts("/intake/folders", "folders-list");
    },

    /** @param {SubmitEvent} e */
    async add(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target));
      await this.send("POST", "/api/v1/watches", { path: f.get("path"), station: f.get("station") });
    },
    /** @param {Event} e */
    async go(e) {
      await this.send("PUT", this.path(e), { paused: false }, this.version(e));
    },
    /** @param {Event} e */
    async pause(e) {
      await this.send("PUT", this.path(e), { paused: true }, this.version(e));
    },
    /** @param {Event} e */
    async remove(e) {
      await this.send("DELETE", this.path(e), undefined, this.version(e));
    },

    /** @param {Event} e */
    version(e) {
      return /** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-watch]")).dataset.version;
    },
    /** @param {Event} e */
    path(e) {
      return `/api/v1/watches/${/** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-watch]")).dataset.watch}`;
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
        await this.reload();
      } catch (e) {
        fail(e);
      }
    },
  };
}
