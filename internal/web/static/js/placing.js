// @ts-check
// The Laid lens: which surface is covered, and how the repeats lie on it.
import { lensPart } from "./part.js";
import { fail, tell } from "./api.js";
import { figure } from "./figure.js";
import { layBox, layColumn, layWall, reach } from "./laid.js";

/** @typedef {import("./sheet.js").Sheet} Sheet */

/** A part of the lens. */
export function placing() {
  return lensPart({
    laid: false,

    /** @param {boolean} laid */
    look(laid) {
      if (laid && !this.it.known) {
        tell("Set the size first. Laid needs a real size.");
        return;
      }
      this.laid = laid;
      this.measuring = this.asking = false;
      this.line = null;
      const url = new URL(location.href);
      if (laid) url.searchParams.set("lens", "laid");
      else url.searchParams.delete("lens");
      history.replaceState(null, "", url);
      this.saysLens();
      this.fit();
    },

    /** Says which lens is seen, once the others have come and gone. */
    saysLens() {
      queueMicrotask(() => this.root.hidden || dispatchEvent(new CustomEvent("lens", { detail: this.laid ? "laid" : "flat" })));
    },

    /** The wall of the ledger, in metres. @returns {[number, number]} */
    wall() {
      return /** @type {[number, number]} */ (["across", "down"].map((side) => Number(/** @type {HTMLElement | null} */ (document.querySelector(`[data-wall=${side}]`))?.dataset.metres ?? 3)));
    },

    /** Takes a side of the wall as it is typed. @param {Event} e */
    async build(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget);
      try {
        field.dataset.metres = String(Math.max(0.05, Math.min(1000, await figure(field.value, "length"))));
      } catch (x) {
        return fail(x);
      }
      if (this.laid) this.fit();
    },

    /** What there is to see, in metres: one repeat, or a wall with room for somebody beside it. */
    extent() {
      if (!this.laid) return [this.it.width, this.it.height];
      const [wide, high] = this.wall();
      const [w, h] = reach(this.shape, wide, high);
      return [w + (this.shape === "wall" ? 0 : 1.2), Math.max(h, 1.9)];
    },

    /** One repeat in metres, as a trial leaves it. @returns {[number, number]} */
    get repeat() {
      const [x, y] = this.sheet?.share ?? [1, 1];
      return [this.it.width * x, this.it.height * y];
    },

    /** What a trial would come to, while one is shown. */
    tried: "",
    /** Shows what a treatment would make of the map, or the map again. @param {{bitmap: ImageBitmap | null, share: number[], says: string}} trial */
    tryOut({ bitmap, share, says }) {
      this.tried = bitmap ? says : "";
      this.sheet?.instead(bitmap, share);
    },

    /** The lens shows another map: what is being tried is to be tried on that one. */
    askAgain() {
      this.tried = "";
      dispatchEvent(new CustomEvent("showing"));
    },

    shape: "wall",
    turn: 0, // degrees against the clock
    shifted: ["0", "0"], // as typed: to the right, and up
    dx: 0, // and in metres
    dy: 0,

    /** Reads the shift as it is typed; what is not understood is said, and stays as typed. */
    async shift() {
      try {
        [this.dx, this.dy] = await Promise.all(this.shifted.map((/** @type {string} */ t) => figure(t.trim() || "0", "shift")));
      } catch (e) {
        fail(e);
        return;
      }
      this.place();
    },

    get displaced() {
      return this.turn != 0 || this.dx !== 0 || this.dy !== 0; // an input's figure is text
    },

    /**
     * As the address says.
     * @param {URLSearchParams} asked
     */
    placed(asked) {
      this.shape = ["box", "column"].find((k) => k === asked.get("shape")) ?? "wall";
      this.turn = Number(asked.get("turn")) || 0;
      this.shifted = [asked.get("right") ?? "0", asked.get("up") ?? "0"];
      if (this.shifted.some((/** @type {string} */ t) => t !== "0")) this.shift();
      this.laid = asked.get("lens") === "laid" && this.it.known;
      addEventListener("look", (e) => this.look(/** @type {CustomEvent} */ (e).detail === "laid"));
      addEventListener("trial", (e) => this.tryOut(/** @type {CustomEvent} */ (e).detail));
      this.saysLens();
      this.root.addEventListener("walled", () => this.laid && this.fit());
    },

    place() {
      const url = new URL(location.href);
      for (const [k, v] of [["shape", this.shape === "wall" ? "" : this.shape], ["turn", Number(this.turn) ? String(this.turn) : ""], ["right", this.dx ? this.shifted[0] : ""], ["up", this.dy ? this.shifted[1] : ""]]) {
        if (v) url.searchParams.set(k, v);
        else url.searchParams.delete(k);
      }
      history.replaceState(null, "", url);
      this.fit();
    },

    /**
     * Which place of the map lies at a place of the wall, in shares of the map's sides.
     * @param {number} x @param {number} y metres from the lower left corner, where a repeat begins
     */
    spot(x, y) {
      const t = (Number(this.turn) * Math.PI) / 180;
      const [a, b] = [x - this.dx, y - this.dy];
      const u = (a * Math.cos(t) + b * Math.sin(t)) / this.repeat[0], v = (a * Math.sin(t) - b * Math.cos(t)) / this.repeat[1];
      return [u - Math.floor(u), v - Math.floor(v)];
    },

    putBack() {
      this.turn = 0;
      this.shifted = ["0", "0"];
      this.dx = this.dy = 0;
      this.place();
    },

    /**
     * What is covered with the material.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     * @param {number} dpr
     */
    lay(g, left, top, w, h, dpr) {
      if (!this.sheet) return;
      this.cover(g, { sheet: this.sheet, width: this.repeat[0], height: this.repeat[1] }, left, top, h, dpr);
      if (!this.borders || this.shape !== "wall" || Number(this.turn)) return;
      const rw = this.repeat[0] * this.scale, rh = this.repeat[1] * this.scale;
      g.save();
      g.beginPath();
      g.rect(left, top, w, h);
      g.clip();
      g.beginPath();
      for (let x = left + ((this.dx % this.repeat[0]) - this.repeat[0]) * this.scale; x <= left + w; x += rw) {
        g.moveTo(x, top);
        g.lineTo(x, top + h);
      }
      for (let y = top + h - ((this.dy % this.repeat[1]) - this.repeat[1]) * this.scale; y >= top; y -= rh) {
        g.moveTo(left, y);
        g.lineTo(left + w, y);
      }
      for (const [style, wide] of /** @type {[string, number][]} */ ([["rgb(0 0 0 / 0.7)", 3], ["#fff", 1]])) {
        g.strokeStyle = style;
        g.lineWidth = wide;
        g.stroke();
      }
      g.restore();
    },

    /**
     * Lays repeats of a map on the chosen shape.
     * @param {CanvasRenderingContext2D} g
     * @param {{sheet: Sheet, width: number, height: number}} of a repeat, in metres
     * @param {number} left @param {number} top @param {number} h
     * @param {number} dpr
     */
    cover(g, of, left, top, h, dpr) {
      const [wide, high] = this.wall();
      const cover = { ...of, turn: (Number(this.turn) * Math.PI) / 180, dx: this.dx, dy: this.dy };
      const room = { scale: this.scale, dpr, width: this.$refs.mat.clientWidth, height: this.$refs.mat.clientHeight };
      if (this.shape === "box") layBox(g, cover, room, left, top + h, wide, high);
      else if (this.shape === "column") layColumn(g, cover, room, left, top + h, wide, high);
      else layWall(g, cover, room, left, top, wide, high);
    },

    borders: false,

    toggleBorders() {
      this.borders = !this.borders;
      this.draw();
    },
  });
}
