// @ts-check
// Turning, moving and bringing nearer what the Lit lens shows: by pointer, by touch, by keys.
import { litPart } from "./part.js";

/** A part of the Lit lens. */
export function turning() {
  return litPart({
    /** @type {{x: number, y: number, yaw: number, pitch: number, panX: number, panY: number, pans: boolean} | null} */ held: null,
    /** @type {Map<number, {x: number, y: number}>} */ fingers: new Map(),

    /** @param {PointerEvent} e */
    grab(e) {
      this.$refs.mat.setPointerCapture(e.pointerId);
      this.fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
      const v = this.view;
      this.held = { x: e.clientX, y: e.clientY, yaw: v.yaw, pitch: v.pitch, panX: v.panX, panY: v.panY, pans: e.shiftKey || e.button === 1 || v.shape === "swatch" };
    },
    /** @param {PointerEvent} e */
    drag(e) {
      const was = this.fingers.get(e.pointerId);
      if (!this.held || !was) return;
      if (this.fingers.size === 2) { // two fingers bring nearer and move
        const [other] = [...this.fingers].filter(([id]) => id !== e.pointerId).map(([, p]) => p), high = this.$refs.mat.clientHeight;
        const before = Math.hypot(was.x - other.x, was.y - other.y), now = Math.hypot(e.clientX - other.x, e.clientY - other.y);
        this.fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
        return this.set({ zoom: this.view.zoom * (now / Math.max(before, 1)), panX: this.view.panX + (e.clientX - was.x) / 2 / high, panY: this.view.panY - (e.clientY - was.y) / 2 / high });
      }
      this.fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
      const { held } = this, dx = e.clientX - held.x, dy = e.clientY - held.y, high = this.$refs.mat.clientHeight;
      if (held.pans) this.set({ panX: held.panX + dx / high, panY: held.panY - dy / high });
      else this.set({ yaw: held.yaw + dx * 0.4, pitch: Math.max(-90, Math.min(90, held.pitch + dy * 0.4)) });
    },
    /** @param {PointerEvent} e */
    drop(e) {
      this.fingers.delete(e.pointerId);
      this.held = null;
    },
    /** @param {WheelEvent} e */
    wheel(e) {
      this.set({ zoom: this.view.zoom * Math.exp(-e.deltaY * 0.0015) });
    },
    /** @param {KeyboardEvent} e */
    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      const v = this.view, by = e.shiftKey ? 0.05 : 5;
      const moves = /** @type {Record<string, Record<string, number>>} */ (e.shiftKey || v.shape === "swatch"
        ? { ArrowLeft: { panX: v.panX - 0.05 }, ArrowRight: { panX: v.panX + 0.05 }, ArrowUp: { panY: v.panY + 0.05 }, ArrowDown: { panY: v.panY - 0.05 } }
        : { ArrowLeft: { yaw: v.yaw - by }, ArrowRight: { yaw: v.yaw + by }, ArrowUp: { pitch: Math.max(-90, v.pitch - by) }, ArrowDown: { pitch: Math.min(90, v.pitch + by) } });
      const change = moves[e.key] ?? /** @type {Record<string, Record<string, number>>} */ ({ "+": { zoom: v.zoom * 1.25 }, "=": { zoom: v.zoom * 1.25 }, "-": { zoom: v.zoom / 1.25 } })[e.key];
      if (!change) return;
      e.preventDefault();
      this.set(change);
    },
  });
}
