// @ts-check
// A closer look at maps of a set, beside the reasons in Intake: one, or two of them side by side at the same place, with rulers;
// moved and brought nearer by pointer, wheel and keys.
import { pinches } from "./pinch.js";
import { ruling, size, steps } from "./ruler.js";
import { Sheet } from "./sheet.js";

/** @typedef {import("./sheet.js").MapInfo} MapInfo */

const left = 28, top = 22; // pixels of the rulers

export class Closer {
  /** @param {HTMLCanvasElement} canvas */
  constructor(canvas) {
    this.canvas = canvas;
    Object.assign(canvas, { closer: this }); // for scripts that drive the page
    /** @type {Sheet[]} */ this.sheets = [];
    this.it = { width: 1, height: 1, known: false };
    this.unit = "cm";
    this.scale = 1; // pixels a metre
    this.x = 0; // metres at the corner
    this.y = 0;
    this.drawing = 0;
    this.asked = 0;
    this.ruler = ruling().ruler;
    /** @type {{x: number, y: number, fromX: number, fromY: number} | null} */ let held = null;
    canvas.addEventListener("pointerdown", (e) => {
      canvas.setPointerCapture(e.pointerId);
      held = { x: e.clientX, y: e.clientY, fromX: this.x, fromY: this.y };
    });
    canvas.addEventListener("pointermove", (e) => {
      if (held) this.move(held.fromX - (e.clientX - held.x) / this.scale, held.fromY - (e.clientY - held.y) / this.scale);
    });
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, () => (held = null));
    pinches(canvas, {
      begin: () => (held = null),
      move: (by, x, y, dx, dy) => {
        this.move(this.x - dx / this.scale, this.y - dy / this.scale);
        this.zoom(by, this.within(x), y - top);
      },
    });
    canvas.addEventListener("wheel", (e) => {
      e.preventDefault();
      const box = canvas.getBoundingClientRect();
      this.zoom(Math.exp(-e.deltaY * 0.0015), this.within(e.clientX - box.left), e.clientY - box.top - top);
    }, { passive: false });
    canvas.addEventListener("keydown", (e) => this.key(e));
  }

  /** How wide the picture of one of them is. */
  get pane() {
    const n = Math.max(1, this.sheets.length);
    return (this.canvas.clientWidth - left - 4 * (n - 1)) / n;
  }
  /** Pixels within the picture that a place of the canvas lies in. @param {number} px */
  within(px) {
    return Math.max(0, (px - left) % (this.pane + 4));
  }

  /**
   * Shows maps side by side. A map of the same set stays where it was looked at.
   * @param {MapInfo[]} maps @param {{width: number, height: number, known: boolean}} it metres of one repeat
   * @param {boolean} [stay] the view stays
   * @returns {Promise<string[]>} titles of those that could not be loaded
   */
  async show(maps, it, stay) {
    const n = ++this.asked, was = this.sheets;
    this.it = it;
    this.unit = it.known ? (it.width < 0.05 ? "mm" : it.width < 3 ? "cm" : "m") : "";
    const sheets = maps.map((m) => was.find((s) => s.map.id === m.id && s.picture) ?? new Sheet(m, () => this.again()));
    await Promise.all(sheets.map((s) => s.picture || s.open().catch(() => false)));
    if (n !== this.asked) return [];
    for (const s of was) if (!sheets.includes(s)) s.close();
    this.sheets = sheets;
    for (const s of sheets) if (!s.map.w) [s.map.w, s.map.h] = [s.picture?.width ?? 1, s.picture?.height ?? 1];
    if (stay) this.again();
    else this.fit();
    return sheets.filter((s) => !s.picture).map((s) => s.map.title);
  }
  /** @param {string} component */
  component(component) {
    for (const s of this.sheets) s.show(component, 0);
  }
  close() {
    this.asked++;
    for (const s of this.sheets) s.close();
    this.sheets = [];
  }

  get least() {
    return Math.min(this.pane / this.it.width, (this.canvas.clientHeight - top) / this.it.height);
  }
  fit() {
    this.scale = this.least;
    [this.x, this.y] = [this.it.width / 2 - this.pane / this.scale / 2, this.it.height / 2 - (this.canvas.clientHeight - top) / this.scale / 2];
    this.again();
  }
  /** @param {number} by @param {number} px the pixel that stays @param {number} py */
  zoom(by, px, py) {
    const was = this.scale, most = Math.max(...this.sheets.map((s) => (s.map.w / this.it.width) * 16), this.least);
    this.scale = Math.max(this.least * 0.5, Math.min(most, was * by));
    this.move(this.x + px / was - px / this.scale, this.y + py / was - py / this.scale);
  }
  /** @param {number} x @param {number} y */
  move(x, y) {
    [this.x, this.y] = [x, y];
    this.again();
  }
  /** @param {KeyboardEvent} e */
  key(e) {
    const by = 40 / this.scale, mid = /** @type {[number, number]} */ ([this.pane / 2, (this.canvas.clientHeight - top) / 2]);
    const act = /** @type {Record<string, () => void>} */ ({ ArrowLeft: () => this.move(this.x - by, this.y), ArrowRight: () => this.move(this.x + by, this.y), ArrowUp: () => this.move(this.x, this.y - by), ArrowDown: () => this.move(this.x, this.y + by), "+": () => this.zoom(1.5, ...mid), "=": () => this.zoom(1.5, ...mid), "-": () => this.zoom(1 / 1.5, ...mid), 0: () => this.fit(), 9: () => this.zoom(((this.sheets[0]?.map.w ?? 1) / this.it.width / (devicePixelRatio || 1)) / this.scale, ...mid) })[e.key];
    if (!act) return;
    e.preventDefault();
    e.stopPropagation();
    act();
  }

  again() {
    cancelAnimationFrame(this.drawing);
    this.drawing = requestAnimationFrame(() => this.paint());
  }
  paint() {
    const { canvas, scale, it } = this, dpr = devicePixelRatio || 1, w = canvas.clientWidth, h = canvas.clientHeight;
    if (!w || !this.sheets.length) return;
    const g = size(canvas, w, h, dpr), ink = getComputedStyle(document.documentElement), colours = ["--card", "--peat-soft"].map((k) => ink.getPropertyValue(k));
    g.fillStyle = ink.getPropertyValue("--mat");
    g.fillRect(0, 0, w, h);
    const step = steps.find((s) => s * scale > 46) ?? 10;
    this.sheets.forEach((sheet, i) => {
      const from = left + i * (this.pane + 4);
      g.save();
      g.beginPath();
      g.rect(from, top, this.pane, h - top);
      g.clip();
      sheet.draw(g, from - this.x * scale, top - this.y * scale, it.width * scale, it.height * scale, dpr, { width: from + this.pane, height: h });
      g.restore();
      g.save();
      g.beginPath();
      g.rect(from, 0, this.pane, top);
      g.clip();
      g.translate(from, 0);
      this.ruler(g, this.pane, step, this.x, false, colours);
      g.restore();
    });
    g.save();
    g.translate(0, top);
    this.ruler(g, h - top, step, this.y, true, colours);
    g.restore();
    g.fillStyle = colours[0];
    g.fillRect(0, 0, left, top);
    g.fillStyle = colours[1];
    g.fillText(this.unit || "%", 6, 14);
    canvas.dataset.settled = this.sheets.map((s) => s.map.id).join(" ");
  }
}

/**
 * The name of a file that is most like another one: of two that hold the same. "" if none is.
 * @param {string} file @param {string[]} others
 */
export function twin(file, others) {
  const words = (/** @type {string} */ f) => new Set((f.split("/").at(-1) ?? "").toLowerCase().replace(/\.\w+$/, "").split(/[^a-z0-9]+|(?<=[a-z])(?=\d)/).filter(Boolean));
  const own = words(file);
  let best = "", most = 0.6;
  for (const o of others) {
    const w = words(o), shared = [...w].filter((k) => own.has(k)).length, like = shared / Math.max(own.size, w.size, 1);
    if (like > most) [best, most] = [o, like];
  }
  return best;
}
