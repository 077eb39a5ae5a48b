// @ts-check
// The Lit lens where there is no WebGL, and on uploaded meshes: the server draws the same pictures, a small
// one at once, then one as large as the lens.
import { litPart } from "./part.js";

/** A part of the Lit lens. */
export function stills() {
  return litPart({
    still: false,
    /** @type {{bearing: number, height: number} | null} */ stillLight: null,
    timer: 0,
    asked: 0,

    /** The address of the view as a picture of so many pixels. @param {number} w @param {number} h @param {string} ending @param {Record<string, string>} [more] */
    pictureURL(w, h, ending, more) {
      const v = this.view, q = new URLSearchParams({ shape: v.shape, px: String(w), height: String(h), extent_m: String(v.size), env: this.env, turn: String(round(v.turn)), tilt: String(round(v.tilt)), exposure: String(v.exposure), yaw: String(round(v.yaw)), pitch: String(round(v.pitch)), zoom: String(round(v.zoom)), pan_x: String(round(v.panX)), pan_y: String(round(v.panY)), background: v.background, ...more });
      if (!v.tone) q.set("tone", "none");
      if (v.plaster) q.set("plaster", "1");
      if (!v.relief) q.set("relief", "0");
      if (v.channel) q.set("channel", v.channel);
      return `${this.root.dataset.picture}.${ending}?${q}`;
    },

    /** Has the server draw: quickly while something moves, then in full. */
    drawStill() {
      this.rule();
      clearTimeout(this.timer);
      const n = ++this.asked, box = this.$refs.mat.getBoundingClientRect();
      const get = (/** @type {number} */ share) => {
        const w = Math.min(1280, Math.round(box.width * share)), h = Math.min(1280, Math.round(box.height * share));
        if (!w || !h) return;
        const im = new Image();
        im.onload = () => {
          if (n !== this.asked) return;
          this.$refs.still.src = im.src;
          if (share < 1) get(1);
          else this.root.setAttribute("data-settled", "still");
        };
        im.onerror = () => { if (n === this.asked && this.byServer) this.problem = "The server could not draw this view. Try again in a moment."; };
        im.src = this.pictureURL(w, h, "png");
      };
      this.timer = window.setTimeout(() => get(0.4), 60);
    },
  });
}

/** @param {number} v */
const round = (v) => Math.round(v * 1000) / 1000;
