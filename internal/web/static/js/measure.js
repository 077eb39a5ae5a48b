// @ts-check
// Measuring on the lens: a line whose length in reality is said, and a section through the
// relief along a line, in millimetres.
import { lensPart } from "./part.js";
import { call, fail, shown, tell, turn, wrote } from "./api.js";
import { profile } from "./profile.js";

/** A part of the lens. */
export function measuring() {
  return lensPart({
    measuring: false,
    asking: false,

    /** @type {{x0: number, y0: number, x1: number, y1: number} | null} a line in shares of the picture */ line: null,
    snapped: false,

    startLine() {
      this.cutting = this.middle = false;
      this.cut = null;
      this.profiled = "";
      this.measuring = !this.measuring;
      this.asking = false;
      this.line = null;
      this.$refs.mat.style.cursor = this.measuring ? "crosshair" : "";
      this.draw();
    },

    /**
     * The corner of a pixel nearest to the pointer, in shares of the picture.
     * @param {PointerEvent} e
     */
    under(e) {
      const box = this.$refs.mat.getBoundingClientRect();
      const [w, h] = [this.map?.w ?? 1, this.map?.h ?? 1];
      const x = (this.x + (e.clientX - box.left) / this.scale) / this.it.width, y = (this.y + (e.clientY - box.top) / this.scale) / this.it.height;
      const edge = e.altKey || this.cutting ? null : this.sheet?.edge(x, y, 7 / this.scale / this.it.width);
      this.snapped = edge !== null && edge !== undefined;
      return edge ?? [Math.round(Math.max(0, Math.min(1, x)) * w) / w, Math.round(Math.max(0, Math.min(1, y)) * h) / h];
    },

    async ask() {
      const l = this.line;
      if (!l || Math.hypot((l.x1 - l.x0) * (this.map?.w ?? 1), (l.y1 - l.y0) * (this.map?.h ?? 1)) < 2) {
        this.line = null;
        return this.draw();
      }
      this.asking = true;
      await this.$nextTick();
      const box = this.$refs.mat.getBoundingClientRect(), form = this.$refs.ask;
      const at = [(l.x1 * this.it.width - this.x) * this.scale, (l.y1 * this.it.height - this.y) * this.scale];
      form.style.left = `${Math.max(8, Math.min(box.left + at[0] + 12, innerWidth - form.offsetWidth - 8))}px`;
      form.style.top = `${Math.max(8, Math.min(box.top + at[1] + 12, innerHeight - form.offsetHeight - 8))}px`;
      this.$refs.long.value = "";
      this.$refs.long.focus();
    },

    /** @param {KeyboardEvent} e */
    askKey(e) {
      if (e.key === "Escape") {
        this.asking = false;
        this.line = null;
        this.$refs.mat.focus(); // or the next key would still go to the field
        this.draw();
      }
    },

    async takeLine() {
      const bench = /** @type {HTMLElement} */ (this.root.closest("[data-material]"));
      const path = `/api/v1/materials/${bench.dataset.material}`;
      try {
        const m = await call("PATCH", path, { line: { ...this.line, length_m: this.$refs.long.value, axis: this.$refs.axis.value } }, shown(bench));
        wrote(bench, m);
        this.asking = false;
        this.$refs.mat.focus();
        this.root.dispatchEvent(new CustomEvent("resized", { detail: m }));
        tell("Size set. Draw another line to confirm it.", m.step ? async () => {
          await turn(m.step);
          this.root.dispatchEvent(new CustomEvent("resized", { detail: await call("GET", path) }));
        } : null);
      } catch (e) {
        fail(e);
        this.$refs.long.focus();
      }
    },

    /** @type {{x0: number, y0: number, x1: number, y1: number} | null} the section, in shares of the picture */ cut: null,
    cutting: false,
    profiled: "",

    get sectioned() {
      return { sectioned: this.cut !== null && !this.cutting };
    },

    startCut() {
      this.middle = false;
      this.measuring = this.asking = false;
      this.line = null;
      this.cutting = !this.cutting && !this.cut;
      this.cut = null;
      this.profiled = "";
      this.$refs.mat.style.cursor = this.cutting ? "crosshair" : "";
      this.draw();
    },

    async section() {
      const h = this.it.maps.find((/** @type {any} */ m) => m.kind === "height"), c = this.cut;
      const [w, d] = [this.it.width, this.it.height];
      const long = c ? Math.hypot((c.x1 - c.x0) * w, (c.y1 - c.y0) * d) : 0;
      if (!h || !c || long < 1e-6) {
        this.cut = null;
        return this.draw();
      }
      this.draw();
      try {
        const { values } = await call("GET", `${h.at}/section?x0=${c.x0}&y0=${c.y0}&x1=${c.x1}&y1=${c.y1}&n=600`);
        await this.$nextTick();
        this.profiled = profile(this.$refs.profile, values, long, this.it.depth, h.zero);
      } catch (e) {
        fail(e);
      }
    },

    /**
     * The line that is measured, or along which the relief is cut.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     */
    rule(g, left, top, w, h) {
      const l = this.line ?? this.cut;
      if (!l) return;
      const [x0, y0, x1, y1] = [left + l.x0 * w, top + l.y0 * h, left + l.x1 * w, top + l.y1 * h];
      const long = Math.hypot(x1 - x0, y1 - y0) || 1;
      const [nx, ny] = [(-(y1 - y0) / long) * 7, ((x1 - x0) / long) * 7];
      for (const [style, wide] of /** @type {[string, number][]} */ ([["#000", 3.5], ["#fff", 1.5]])) {
        g.strokeStyle = style;
        g.lineWidth = wide;
        g.beginPath();
        g.moveTo(x0 - nx, y0 - ny);
        g.lineTo(x0 + nx, y0 + ny);
        g.moveTo(x0, y0);
        g.lineTo(x1, y1);
        g.moveTo(x1 - nx, y1 - ny);
        g.lineTo(x1 + nx, y1 + ny);
        g.stroke();
      }
      g.lineWidth = 1;
    },
  });
}
