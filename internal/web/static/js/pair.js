// @ts-check
// Two scans under one camera: side by side, wiped or in turn.
import { island } from "./island.js";

/** @typedef {"side" | "wipe" | "flicker"} Way */

export function pair() {
  return island({
    way: /** @type {Way} */ ("side"),
    wipe: 0.5,
    /** What both show, in hundredths of the longer side: left, top, width, height. */
    view: [0, 0, 100, 100],
    /** Where the pointer went down, and what it moves. @type {{x: number, y: number, edge: boolean} | null} */
    held: null,
    turn: 0,
    /** @type {HTMLDialogElement | null} */ box: null,

    init() {
      this.box = /** @type {HTMLDialogElement} */ (/** @type {any} */ (this).$root);
      this.fit();
    },

    /** @returns {HTMLElement} */
    get stage() {
      return /** @type {HTMLElement} */ (this.box?.querySelector(".stage"));
    },

    fit() {
      this.view = (this.box?.dataset.fit ?? "0 0 100 100").split(" ").map(Number);
      this.paint();
    },

    paint() {
      for (const svg of this.stage.querySelectorAll("svg")) svg.setAttribute("viewBox", this.view.join(" "));
      this.stage.style.setProperty("--wipe", `${100 * this.wipe}%`);
    },

    /** @param {MouseEvent} e */
    choose(e) {
      this.show(/** @type {Way} */ (/** @type {HTMLElement} */ (e.currentTarget).dataset.way));
    },

    /** @param {Way} way */
    show(way) {
      this.way = way;
      clearInterval(this.turn);
      this.stage.removeAttribute("data-other");
      // Without motion, the space bar turns them.
      if (way === "flicker" && !matchMedia("(prefers-reduced-motion: reduce)").matches) this.turn = window.setInterval(() => this.flip(), 600);
    },

    flip() {
      this.stage.toggleAttribute("data-other");
    },

    close() {
      this.box?.close();
    },

    closed() {
      this.show("side");
      dispatchEvent(new CustomEvent("changed", { detail: ["deliveries"] })); // what news had to leave as it was
    },

    /** How many units of the view one pixel of the screen is. */
    unit() {
      const svg = this.stage.getElementsByTagName("svg")[0].getBoundingClientRect();
      return Math.max(this.view[2] / svg.width, this.view[3] / svg.height);
    },

    /**
     * Zooms about a place of the view, in shares of it.
     * @param {number} by
     * @param {number} [px]
     * @param {number} [py]
     */
    zoom(by, px = 0.5, py = 0.5) {
      const [x, y, w, h] = this.view, k = Math.min(Math.max(w * by, 1), 300) / w;
      this.view = [x + px * w * (1 - k), y + py * h * (1 - k), w * k, h * k];
      this.paint();
    },

    /** @param {WheelEvent} e */
    zoomed(e) {
      const svg = /** @type {Element} */ (e.target).closest("svg") ?? this.stage.getElementsByTagName("svg")[0];
      const r = svg.getBoundingClientRect(), side = Math.min(r.width, r.height);
      this.zoom(e.deltaY > 0 ? 1.15 : 1 / 1.15, 0.5 + (e.clientX - r.x - r.width / 2) / side, 0.5 + (e.clientY - r.y - r.height / 2) / side);
    },

    /** @param {PointerEvent} e */
    grab(e) {
      const r = this.stage.getBoundingClientRect();
      const edge = this.way === "wipe" && Math.abs(e.clientX - r.x - this.wipe * r.width) < 14;
      this.held = { x: e.clientX, y: e.clientY, edge };
      this.stage.setPointerCapture(e.pointerId);
    },

    /** @param {PointerEvent} e */
    drag(e) {
      if (!this.held) return;
      if (this.held.edge) {
        const r = this.stage.getBoundingClientRect();
        this.wipe = Math.min(Math.max((e.clientX - r.x) / r.width, 0), 1);
      } else {
        const u = this.unit();
        this.view = [this.view[0] - (e.clientX - this.held.x) * u, this.view[1] - (e.clientY - this.held.y) * u, this.view[2], this.view[3]];
        this.held = { x: e.clientX, y: e.clientY, edge: false };
      }
      this.paint();
    },

    drop() {
      this.held = null;
    },

    /** @param {KeyboardEvent} e */
    key(e) {
      const [x, y, w, h] = this.view;
      const moves = /** @type {Record<string, [number, number]>} */ ({ ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] });
      const ways = /** @type {Record<string, Way>} */ ({ 1: "side", 2: "wipe", 3: "flicker" });
      if (ways[e.key]) this.show(ways[e.key]);
      else if (e.key === "0") this.fit();
      else if (e.key === "+" || e.key === "=") this.zoom(1 / 1.25);
      else if (e.key === "-") this.zoom(1.25);
      else if (e.key === " " && e.target === this.stage) this.flip();
      else if (moves[e.key] && this.way === "wipe" && e.shiftKey) this.wipe = Math.min(Math.max(this.wipe + moves[e.key][0] / 2, 0), 1);
      else if (moves[e.key]) this.view = [x + moves[e.key][0] * w, y + moves[e.key][1] * h, w, h];
      else return e.key === "Escape" ? undefined : e.stopPropagation(); // the page's own keys decide nothing behind a dialog
      this.paint();
      e.preventDefault();
      e.stopPropagation();
    },
  });
}
