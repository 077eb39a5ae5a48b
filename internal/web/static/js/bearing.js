// @ts-check
// Drawing in the Lit lens, and its rulers: where the light comes from in degrees along the lower edge, how
// high it stands along the right one, and the scale.
import { keysOf } from "./keeping.js";
import { litPart } from "./part.js";
import { size, steps } from "./ruler.js";

/** Degrees that the ruler of bearings shows on each side of what is set. */
const reach = 90;

/** A part of the Lit lens. */
export function bearings() {
  return litPart({
    bar: 0, // pixels of the scale bar
    barText: "",
    moved: 0, // when something moved last
    stirred: false, // whether no picture shows that yet
    ruled: "", // what the rulers show

    /** Has everything drawn anew. @param {boolean} [moving] the hand moves something: speed counts */
    again(moving) {
      if (!this.on) return;
      this.root.removeAttribute("data-settled");
      if (this.byServer) return this.drawStill();
      this.asked++; // a picture that the server still makes comes too late
      this.part = 0;
      if (moving) [this.moved, this.stirred] = [performance.now(), true];
      cancelAnimationFrame(this.wanted);
      this.wanted = requestAnimationFrame(() => this.paint());
    },

    paint() {
      const { stage } = this;
      this.rule();
      if (!this.on || !stage?.ready) return;
      const box = this.$refs.mat.getBoundingClientRect(), dpr = devicePixelRatio || 1;
      const f = stage.surface?.look.figures, drifts = !!f && (f.drift[0] || f.drift[1]) && !matchMedia("(prefers-reduced-motion: reduce)").matches;
      if (drifts) this.view.drift = (performance.now() / 1000) % 3600;
      const moving = drifts || this.stirred || performance.now() - this.moved < 160; // a picture that waited long is still of something that moves
      const first = !this.root.dataset.drawn, quick = moving || first; // the first picture of all is a quick one
      const k = moving ? this.pixels : first ? 0.3 : 1;
      const w = Math.round(box.width * dpr * k), h = Math.round(box.height * dpr * k);
      if (!w || !h || stage.gl.isContextLost()) return;
      this.stirred = false;
      const began = performance.now();
      try {
        stage.draw(this.view, w, h, quick ? -1 : this.part);
      } catch {
        this.still = true; // what this browser can't draw, the server does
        return this.drawStill();
      }
      if (quick) {
        stage.wait();
        if (first) this.root.dataset.drawn = performance.now().toFixed(0);
        // What the hand moves must follow it 30 times a second: where drawing takes longer than that leaves, fewer pixels are drawn.
        const took = performance.now() - began;
        if (moving && (took > 29 || took < 20)) this.pixels = Math.max(0.2, Math.min(1, this.pixels * Math.max(0.3, Math.min(1.15, Math.sqrt(25 / took)))));
        if (drifts) this.settle(); // it never rests
        this.wanted = requestAnimationFrame(() => this.paint());
        return;
      }
      if (this.part === 0) {
        stage.wait();
        const took = performance.now() - began;
        this.root.dataset.took = took.toFixed(1);
        this.rests = took > 400 ? 2 : took > 120 ? 4 : stage.places; // without a graphics card, fewer do
      }
      this.part++;
      if (this.part < this.rests) this.wanted = requestAnimationFrame(() => this.paint());
      else this.settle();
    },
    rests: 8, // pictures that make one at rest

    /** Where the light comes from, in degrees: bearing and height. */
    get from() {
      const l = (this.seen ? this.stage?.light?.head : null) ?? this.stillLight ?? { bearing: 0, height: 30 };
      const round = (/** @type {number} */ a) => ((((a + 180) % 360) + 360) % 360) - 180;
      return { bearing: round(l.bearing + this.view.turn), height: l.height + this.view.tilt };
    },
    get bearingText() {
      const b = Math.round(this.from.bearing);
      return b ? `${Math.abs(b)}° to the ${b < 0 ? "left" : "right"}` : "the viewer";
    },
    get bearingNow() { return Math.round(this.from.bearing); },
    get heightNow() { return Math.round(this.from.height); },

    /** @param {number} turn @param {number} tilt */
    turnLight(turn, tilt) {
      const round = (/** @type {number} */ a) => ((((a + 180) % 360) + 360) % 360) - 180;
      const height = this.from.height - this.view.tilt;
      this.set({ turn: round(this.view.turn + turn), tilt: Math.max(-90 - height, Math.min(90 - height, this.view.tilt + tilt)) });
    },

    /** Drags a ruler. @param {PointerEvent} e */
    slide(e) {
      const at = /** @type {HTMLElement} */ (e.currentTarget), upright = at.dataset.upright !== undefined;
      at.setPointerCapture(e.pointerId);
      let [x, y] = [e.clientX, e.clientY];
      const long = upright ? at.clientHeight : at.clientWidth, per = (upright ? 180 : 2 * reach) / long;
      const move = (/** @type {PointerEvent} */ m) => {
        if (upright) this.turnLight(0, -(m.clientY - y) * per);
        else this.turnLight((m.clientX - x) * per, 0);
        [x, y] = [m.clientX, m.clientY];
      };
      const end = () => (at.removeEventListener("pointermove", move), at.removeEventListener("pointerup", end), at.removeEventListener("pointercancel", end));
      at.addEventListener("pointermove", move);
      at.addEventListener("pointerup", end);
      at.addEventListener("pointercancel", end);
    },
    /** @param {KeyboardEvent} e */
    slideKey(e) {
      const by = keysOf(e);
      if (!by) return;
      e.preventDefault();
      e.stopPropagation();
      const upright = /** @type {HTMLElement} */ (e.currentTarget).dataset.upright !== undefined;
      this.turnLight(upright ? 0 : by, upright ? by : 0);
    },

    /** Draws the rulers and the scale bar. */
    rule() {
      if (!this.on) return;
      const { across, up, mat } = this.$refs, dpr = devicePixelRatio || 1, { bearing, height } = this.from;
      const wide = across.clientWidth, high = up.clientHeight, root = document.documentElement;
      const now = [dpr, bearing, height, wide, high, this.perPixel(), root.dataset.room, matchMedia("(prefers-color-scheme: dark)").matches].join();
      if (now === this.ruled) return;
      this.ruled = now;
      const ink = getComputedStyle(root), [card, soft, heather] = ["--card", "--peat-soft", "--heather"].map((k) => ink.getPropertyValue(k));
      let g = size(across, wide, 26, dpr);
      g.fillStyle = card;
      g.fillRect(0, 0, wide, 26);
      g.font = '10px "JetBrains Mono", monospace';
      const px = wide / (2 * reach);
      g.strokeStyle = g.fillStyle = soft;
      g.beginPath();
      for (let d = Math.ceil((bearing - reach) / 2) * 2; d <= bearing + reach; d += 2) {
        const x = Math.round(wide / 2 + (d - bearing) * px) + 0.5;
        g.moveTo(x, 0);
        g.lineTo(x, d % 10 ? 4 : 9);
        const says = `${((((d + 180) % 360) + 360) % 360) - 180}°`;
        if (d % 10 === 0 && x > 96 && x < wide - 12) g.fillText(says, x - g.measureText(says).width / 2, 20);
      }
      g.stroke();
      g.fillStyle = card;
      g.fillRect(0, 0, 88, 26);
      g.fillStyle = soft;
      g.font = '11px "JetBrains Mono", monospace';
      g.fillText("light from", 10, 17);
      g.fillStyle = heather;
      g.beginPath();
      g.moveTo(wide / 2, 17);
      g.lineTo(wide / 2 - 6, 26);
      g.lineTo(wide / 2 + 6, 26);
      g.fill();
      g = size(up, 34, high, dpr);
      g.fillStyle = card;
      g.fillRect(0, 0, 34, high);
      g.font = '10px "JetBrains Mono", monospace';
      g.strokeStyle = g.fillStyle = soft;
      g.beginPath();
      for (let d = -90; d <= 90; d += 5) {
        const y = Math.round((high - 12) * (0.5 - d / 180) + 6) + 0.5;
        g.moveTo(0, y);
        g.lineTo(d % 30 ? 4 : 9, y);
        if (d % 30 === 0) g.fillText(`${d}°`, 11, y + 3);
      }
      g.stroke();
      const y = (high - 12) * (0.5 - Math.max(-90, Math.min(90, height)) / 180) + 6;
      g.fillStyle = heather;
      g.beginPath();
      g.moveTo(0, y - 6);
      g.lineTo(0, y + 6);
      g.lineTo(9, y);
      g.fill();
      const per = this.perPixel(), most = Math.min(220, mat.clientWidth / 3);
      const step = [...steps].reverse().find((s) => s / per <= most) ?? steps[0];
      this.bar = step / per;
      this.barText = step < 0.01 ? `${step * 1000} mm` : step < 1 ? `${Math.round(step * 100)} cm` : `${step} m`;
    },
    get barPath() { return `M1 8H${this.bar.toFixed(1)}M1 2v12M${this.bar.toFixed(1)} 2v12`; },
    get barWidth() { return Math.ceil(this.bar) + 2; },
  });
}
