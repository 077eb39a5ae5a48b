// @ts-check
// The lens' rulers: real lengths, or shares where the size is unknown.
import { lensPart } from "./part.js";

/** Metres between the figures of a ruler. */
export const steps = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10];

/** A part of the lens. */
export function ruling() {
  return lensPart({
    /**
     * @param {CanvasRenderingContext2D} g
     * @param {number} long
     * @param {number} step metres between figures
     * @param {number} from metres at the start
     * @param {boolean} upright
     * @param {string[]} colours
     */
    ruler(g, long, step, from, upright, colours) {
      const deep = upright ? 28 : 22;
      g.fillStyle = colours[0];
      g.fillRect(0, 0, upright ? deep : long, upright ? long : deep);
      g.fillStyle = g.strokeStyle = colours[1];
      g.font = '10px "JetBrains Mono", monospace';
      g.beginPath();
      const fine = step / 10;
      const per = { mm: 1000, cm: 100, m: 1, "": 100 }[/** @type {"mm"|"cm"|"m"|""} */ (this.unit)];
      for (let k = Math.ceil(from / fine); k * fine < from + long / this.scale; k++) {
        const at = Math.round((k * fine - from) * this.scale) + 0.5;
        const tick = k % 10 === 0 ? 9 : k % 5 === 0 ? 6 : fine * this.scale >= 4 ? 3 : 0;
        if (!tick) continue;
        if (upright) {
          g.moveTo(deep, at);
          g.lineTo(deep - tick, at);
        } else {
          g.moveTo(at, deep);
          g.lineTo(at, deep - tick);
        }
        if (k % 10 === 0) {
          const figure = this.it.known ? String(Math.round(k * fine * per * 10) / 10) : `${Math.round(100 * k * fine)}%`;
          if (upright) g.fillText(figure, 2, at - 3);
          else g.fillText(figure, at + 3, 11);
        }
      }
      g.stroke();
    },
  });
}

/**
 * Gives a canvas a size in CSS pixels, and clears it.
 * @param {HTMLCanvasElement} c
 * @param {number} w
 * @param {number} h
 * @param {number} dpr
 */
export function size(c, w, h, dpr) {
  const pw = Math.round(w * dpr), ph = Math.round(h * dpr);
  if (c.width !== pw || c.height !== ph) {
    c.width = pw;
    c.height = ph;
  }
  const g = /** @type {CanvasRenderingContext2D} */ (c.getContext("2d"));
  g.setTransform(dpr, 0, 0, dpr, 0, 0);
  g.clearRect(0, 0, w, h);
  return g;
}
