// @ts-check
// What is drawn over a map: a grid, its pattern, its seams, where it repeats, and the
// outlines of familiar things.
import { lensPart } from "./part.js";

/** A part of the lens. */
export function marking() {
  return lensPart({
    grid: false,

    toggleGrid() {
      this.grid = !this.grid;
      this.draw();
    },

    /**
     * @param {CanvasRenderingContext2D} g
     * @param {number} every
     * @param {number} left @param {number} top
     * @param {number} wide metres @param {number} high metres
     */
    lines(g, every, left, top, wide, high) {
      const w = wide * this.scale, h = high * this.scale;
      g.setLineDash([2, 3]);
      g.strokeStyle = "rgb(255 255 255 / 0.75)";
      g.beginPath();
      for (let m = every; m < wide; m += every) {
        const x = Math.round(left + m * this.scale) + 0.5;
        g.moveTo(x, top);
        g.lineTo(x, top + h);
      }
      for (let m = every; m < high; m += every) {
        const y = Math.round(top + m * this.scale) + 0.5;
        g.moveTo(left, y);
        g.lineTo(left + w, y);
      }
      g.stroke();
      g.setLineDash([]);
    },

    pattern: false,

    togglePattern() {
      this.pattern = !this.pattern;
      this.draw();
    },

    middle: false,

    toggleMiddle() {
      this.middle = !this.middle;
      this.draw();
    },

    /**
     * Where the edges break most: brackets beside the seam in the middle.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     */
    breaks(g, left, top, w, h) {
      for (const place of this.it.seams) {
        for (const [from, to] of [[place.from + 0.5, place.to + 0.5], [place.from - 0.5, place.to - 0.5]]) {
          g.beginPath();
          for (const side of [-9, 9]) {
            const at = (/** @type {number} */ t, /** @type {number} */ off) => place.axis === "x" ? [left + w / 2 + off, top + t * h] : [left + t * w, top + h / 2 + off];
            for (const [i, [t, off]] of [[from, side * 0.4], [from, side], [to, side], [to, side * 0.4]].entries()) {
              const [x, y] = at(t, off);
              if (i) g.lineTo(x, y);
              else g.moveTo(x, y);
            }
          }
          for (const [style, wide] of /** @type {[string, number][]} */ ([["rgb(0 0 0 / 0.8)", 4], ["#fff", 1.75]])) {
            g.strokeStyle = style;
            g.lineWidth = wide;
            g.stroke();
          }
        }
      }
      g.lineWidth = 1;
    },

    /** @type {ImageBitmap | null} where it shows that it repeats */ heat: null,

    async toggleHeat() {
      if (this.heat) {
        this.heat = null;
        return this.draw();
      }
      const bench = /** @type {HTMLElement} */ (this.root.closest("[data-material]"));
      const answer = await fetch(`/bench/${bench.dataset.material}/heat.png`);
      if (answer.ok) this.heat = await createImageBitmap(await answer.blob());
      this.draw();
    },

    /**
     * What shows that it repeats, over every repeat there is.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     */
    warm(g, left, top, w, h) {
      const heat = /** @type {ImageBitmap} */ (this.heat);
      const [rw, rh] = [this.it.width * this.scale, this.it.height * this.scale];
      g.save();
      g.beginPath();
      g.rect(left, top, w, h);
      g.clip();
      g.fillStyle = "rgb(119 119 119 / 0.55)"; // what is under it steps back
      g.fillRect(left, top, w, h);
      g.imageSmoothingEnabled = true;
      const half = this.middle && !this.laid ? 0.5 : 0;
      const box = this.$refs.mat;
      const x0 = left - half * rw, y0 = top + h - Math.ceil(h / rh - 1e-9) * rh - half * rh;
      for (let y = y0; y < Math.min(top + h, box.clientHeight); y += rh) {
        if (y + rh < 0) continue;
        for (let x = x0; x < Math.min(left + w, box.clientWidth); x += rw) if (x + rw > 0) g.drawImage(heat, x, y, rw, rh);
      }
      g.restore();
    },

    thing: "",

    lastThing: "sheet",

    overlay() {
      if (this.thing) this.lastThing = this.thing;
      this.draw();
    },

    /** Lays the last thing over the map, or takes it away. */
    toggleThing() {
      this.thing = this.thing ? "" : this.lastThing;
      this.overlay();
    },

    /**
     * The pattern's lattice.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     */
    lattice(g, left, top, w, h) {
      const [a, b] = [this.it.steps[0] ?? [0, 0], this.it.steps[1] ?? [0, 0]];
      if (!this.pattern || !(a[0] || a[1])) return;
      g.save();
      g.beginPath();
      g.rect(left, top, w, h);
      g.clip();
      g.lineWidth = 1;
      const both = b[0] || b[1];
      const across = both ? b : [-a[1] * h / w, a[0] * w / h]; // boards: lines across their step
      for (const [style, dash] of /** @type {[string, number[]][]} */ ([["rgb(0 0 0 / 0.6)", []], ["rgb(255 255 255 / 0.95)", [5, 5]]])) {
        g.strokeStyle = style;
        g.setLineDash(dash);
        g.beginPath();
        for (let i = -80; i <= 80; i++) {
          for (const [step, along] of both ? [[a, b], [b, a]] : [[a, across]]) {
            const x = left + i * step[0] * w, y = top + i * step[1] * h;
            const far = 200;
            g.moveTo(x - far * along[0] * w, y - far * along[1] * h);
            g.lineTo(x + far * along[0] * w, y + far * along[1] * h);
          }
        }
        g.stroke();
      }
      g.restore();
    },
  });
}
