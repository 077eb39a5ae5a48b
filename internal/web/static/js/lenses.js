// @ts-check
// The switch between the lenses, in a material's head. A release's page has plain pictures besides.
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
        ...(this.root.querySelector("[data-lens-is=pictures]") ? [{ key: "4", says: "pictures", run: () => look("pictures") }] : []),
      ]);
      const pictures = document.getElementById("pictures");
      if (pictures) this.beside(pictures);
      addEventListener("lens", (e) => {
        for (const b of this.root.querySelectorAll("[data-lens-is]")) b.setAttribute("aria-pressed", String(b.dataset.lensIs === /** @type {CustomEvent} */ (e).detail));
      });
    },

    /** Shows the pictures, or a lens in their place. @param {HTMLElement} pictures */
    beside(pictures) {
      const lens = document.getElementById("lens"), url = () => new URL(location.href);
      addEventListener("look", (e) => {
        const what = /** @type {CustomEvent} */ (e).detail;
        pictures.hidden = what !== "pictures";
        queueMicrotask(() => { // after the lenses, which know nothing of the pictures
          if (lens) lens.hidden = what !== "flat" && what !== "laid";
          const now = url();
          if (what === "pictures") now.searchParams.delete("lens");
          else now.searchParams.set("lens", what);
          history.replaceState(null, "", now);
          dispatchEvent(new CustomEvent("lens", { detail: what }));
        });
      });
      const asked = url().searchParams.get("lens") ?? "";
      if (asked === "lit") pictures.hidden = true;
      else if (this.root.querySelector(`[data-lens-is="${CSS.escape(asked)}"]`)) addEventListener("alpine:initialized", () => dispatchEvent(new CustomEvent("look", { detail: asked })));
    },

    /** @param {Event} e */
    look(e) {
      dispatchEvent(new CustomEvent("look", { detail: /** @type {HTMLElement} */ (e.currentTarget).dataset.lensIs }));
    },
  });
}
