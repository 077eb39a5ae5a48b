// @ts-check
// The switch between the lenses, in the Bench's head.
import { island } from "./island.js";
import { keys } from "./keys.js";

export function lenses() {
  return island({
    /** @type {any} */ root: null,

    init() {
      this.root = this.$root;
      const look = (/** @type {string} */ detail) => dispatchEvent(new CustomEvent("look", { detail }));
      keys("Bench", [
        { key: "1", says: "Flat lens", run: () => look("flat") },
        { key: "2", says: "Lit lens", run: () => look("lit") },
        ...(this.root.querySelector("[data-lens-is=laid]") ? [{ key: "3", says: "Laid lens", run: () => look("laid") }] : []),
      ]);
      addEventListener("lens", (e) => {
        for (const b of this.root.querySelectorAll("[data-lens-is]")) b.setAttribute("aria-pressed", String(b.dataset.lensIs === /** @type {CustomEvent} */ (e).detail));
      });
    },

    /** @param {Event} e */
    look(e) {
      dispatchEvent(new CustomEvent("look", { detail: /** @type {HTMLElement} */ (e.currentTarget).dataset.lensIs }));
    },
  });
}
