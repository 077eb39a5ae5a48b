// @ts-check
// What the lens says of the place under the pointer, in the channel's own meaning.
import { lensPart } from "./part.js";
import { meaning } from "./sheet.js";

/** A part of the lens. */
export function reading() {
  return lensPart({
    reading: "",
    wanted: "",
    exactly: "",
    asked: 0,

    /**
     * Says what the map holds at a place in metres.
     * @param {number} x
     * @param {number} y
     */
    read(x, y) {
      const [w, h] = this.laid ? this.wall() : this.repeat;
      if (!this.sheet || !this.map || x < 0 || y < 0 || x >= w || y >= h) {
        this.reading = "";
        this.wanted = "";
        return;
      }
      if (this.laid && this.shape !== "wall") {
        this.reading = `x ${length(x)}  y ${length(y)}`;
        return;
      }
      const [u, v] = this.laid ? this.spot(x, h - y) : [x / w, y / h];
      const at = this.it.known ? `x ${length(x)}  y ${length(y)}` : `x ${(100 * x / this.it.width).toFixed(1)} %  y ${(100 * y / this.it.height).toFixed(1)} %`;
      const half = this.middle && !this.laid ? 0.5 : 0;
      const near = this.sheet.at((u + half) % 1, (v + half) % 1);
      if (!near) return;
      this.reading = `${at}\n${meaning(this.map, near, this.it.depth, false)}`;
      // Near enough to tell pixels apart: the pixel's own values.
      const [px, py] = [Math.floor(((u + half) % 1) * this.map.w), Math.floor(((v + half) % 1) * this.map.h)];
      const key = `${this.map.at}/pixel?x=${px}&y=${py}`;
      if (this.tried || (this.scale * this.it.width) / this.map.w < 0.99 || key === this.wanted) {
        if (key === this.wanted && this.exactly) this.reading = `${at}\n${this.exactly}`;
        return;
      }
      this.wanted = key;
      this.exactly = "";
      clearTimeout(this.asked);
      this.asked = window.setTimeout(async () => {
        const answer = await fetch(key);
        if (!answer.ok || this.wanted !== key || !this.map) return;
        this.exactly = `${meaning(this.map, (await answer.json()).values, this.it.depth, true)}\npixel ${px}, ${py}`;
        if (this.wanted === key && this.reading) this.reading = `${at}\n${this.exactly}`;
      }, 40);
    },
  });
}

/** @param {number} m */
const length = (m) => (m >= 2 ? `${m.toFixed(2)} m` : `${(100 * m).toFixed(1)} cm`);
