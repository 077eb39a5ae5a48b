// @ts-check
// The switch between the lenses, in the Bench's head.

/** @returns {any} */
export function lenses() {
  return {
    /** @type {any} */ root: null,

    init() {
      this.root = this.$root;
      addEventListener("lens", (e) => {
        for (const b of this.root.querySelectorAll("[data-lens-is]")) b.setAttribute("aria-pressed", String(b.dataset.lensIs === /** @type {CustomEvent} */ (e).detail));
      });
    },

    /** @param {Event} e */
    look(e) {
      dispatchEvent(new CustomEvent("look", { detail: /** @type {HTMLElement} */ (e.currentTarget).dataset.lensIs }));
    },

    /** @param {KeyboardEvent} e */
    key(e) {
      const t = /** @type {HTMLElement} */ (e.target);
      if (t.matches("input, textarea, select") || e.ctrlKey || e.metaKey || e.altKey || (e.key !== "1" && e.key !== "3")) return;
      dispatchEvent(new CustomEvent("look", { detail: e.key === "3" ? "laid" : "flat" }));
    },
  };
}
