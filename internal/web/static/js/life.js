// @ts-check
// The lens' beginning and end: what it listens to, what it lets go of, and whether all that it
// wants to show is there.
import { lensPart } from "./part.js";
import { pinches } from "./pinch.js";

/** A part of the lens. */
export function living() {
  return lensPart({
    /** What is undone when the lens leaves the page. @type {(() => void)[]} */
    ends: [],

    /** Listens until the lens leaves the page. @param {EventTarget} to @param {string} name @param {(e: any) => void} act */
    hear(to, name, act) {
      to.addEventListener(name, act);
      this.ends.push(() => to.removeEventListener(name, act));
    },

    live() {
      const seen = new ResizeObserver(() => (this.fitted ? this.fit() : this.draw()));
      seen.observe(this.$refs.mat);
      this.ends.push(() => seen.disconnect(), () => cancelAnimationFrame(this.drawing), () => this.sheet?.close(), () => this.other?.close());
      this.hear(globalThis, "room", () => this.draw());
      pinches(this.$refs.mat, {
        begin: () => (this.held = null),
        move: (by, x, y, dx, dy) => {
          [this.x, this.y] = [this.x - dx / this.scale, this.y - dy / this.scale];
          this.zoomTo(this.scale * by, x, y);
        },
      });
      // The browser took the canvas' memory and gave it back: everything is drawn anew.
      this.hear(this.$refs.view, "contextlost", (/** @type {Event} */ e) => e.preventDefault());
      this.hear(this.$refs.view, "contextrestored", () => this.draw());
    },

    /** Shows the first map: at once, or when somebody asks for the lens. @param {any} first */
    unveil(first) {
      if (!this.root.hidden && new URLSearchParams(location.search).get("lens") !== "lit") return this.show(first);
      const wait = (/** @type {Event} */ e) => {
        if (!["flat", "laid"].includes(/** @type {CustomEvent} */ (e).detail)) return;
        removeEventListener("look", wait);
        this.show(first);
      };
      this.hear(globalThis, "look", wait);
    },

    /** Alpine calls it when the lens leaves the page. */
    destroy() {
      for (const end of this.ends.splice(0)) end();
    },

    /** Says whether nothing is still to come: for tests, and for whatever waits for a sharp picture. */
    settle() {
      const whole = this.sheet?.picture && !this.sheet.coming && !this.other?.coming;
      this.$refs.mat.toggleAttribute("data-settled", !!whole);
    },
  });
}
