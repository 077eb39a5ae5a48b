// @ts-check
// The switch between the lenses, in a material's head. A release's page has plain pictures besides.
import { island } from "./island.js";
import { keys, otherKeys } from "./keys.js";

export function lenses() {
  return island({
    /** @type {any} */ root: null,

    init() {
      this.root = this.$root;
      const look = (/** @type {string} */ detail) => dispatchEvent(new CustomEvent("look", { detail }));
      keys("Bench", [
        ...[["1", "flat", "Flat lens"], ["2", "lit", "Lit lens"], ["3", "laid", "Laid lens"], ["4", "pictures", "pictures"]] // those that the page has
          .filter(([, lens]) => this.root.querySelector(`[data-lens-is=${lens}]`))
          .map(([key, lens, says]) => ({ key, says, run: () => look(lens) })),
        { key: "f", says: "full view, and back", run: () => this.turnFull() },
      ]);
      otherKeys((e) => e.key === "Escape" && this.full() && this.turnFull());
      if (new URL(location.href).searchParams.has("full")) this.turnFull();
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

    full: () => document.documentElement.hasAttribute("data-full"),

    /** The lens over the whole window, and back. */
    turnFull() {
      const on = document.documentElement.toggleAttribute("data-full"), now = new URL(location.href);
      this.root.querySelector("[data-turn-full]").setAttribute("aria-pressed", String(on));
      if (on) now.searchParams.set("full", "1");
      else now.searchParams.delete("full");
      history.replaceState(null, "", now);
      // A release's pictures are no lens.
      if (on && document.getElementById("pictures")?.hidden === false) dispatchEvent(new CustomEvent("look", { detail: this.root.querySelector("[data-lens-is]").dataset.lensIs }));
    },

    /** @param {Event} e */
    look(e) {
      dispatchEvent(new CustomEvent("look", { detail: /** @type {HTMLElement} */ (e.currentTarget).dataset.lensIs }));
    },
  });
}
