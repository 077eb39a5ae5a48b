// @ts-check
// The lens by keyboard: each tool by its key, and a crosshair that reads, measures and cuts as
// the pointer does.
import { lensPart } from "./part.js";
import { keys } from "./keys.js";

/** A part of the lens. */
export function crossing() {
  return lensPart({
    /** @type {{x: number, y: number} | null} where the crosshair is, in metres */ cross: null,
    /** @type {{x: number, y: number} | null} where a line was begun by key */ begun: null,

    /** Each tool has its key, wherever the focus is. */
    toolKeys() {
      const tools = /** @type {HTMLElement[]} */ ([...this.root.querySelectorAll(".lens-tools [data-key]")]);
      keys("Lens", [
        ...tools.map((tool) => ({
          key: tool.dataset.key ?? "",
          says: (tool.firstChild?.textContent ?? "").trim().replace(/^./, (c) => c.toLowerCase()),
          run: () => (tool.offsetParent ? tool.click() : false), // a tool that is hidden does nothing
          scope: "flat",
        })),
        { key: "+", says: "zoom in, with the lens in focus" },
        { key: "-", says: "zoom out, with the lens in focus" },
        { key: "Enter", says: "crosshair in the lens: arrows move it, Space begins and ends a line" },
      ]);
    },

    /** What is read is said aloud while keys move the crosshair. */
    get readingLive() {
      return this.cross ? "polite" : "off";
    },

    /**
     * Keys of the lens while it has the focus.
     * @param {KeyboardEvent} e
     * @returns {boolean} whether the crosshair took it
     */
    crossKey(e) {
      const arrows = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      if (e.key === "Enter" && !this.cross) {
        const box = this.$refs.mat.getBoundingClientRect();
        this.cross = { x: this.x + box.width / 2 / this.scale, y: this.y + box.height / 2 / this.scale };
      } else if (!this.cross) return false;
      else if (e.key === "Escape") {
        this.cross = this.begun = null;
        this.reading = "";
        this.draw();
        return true;
      } else if (arrows) {
        // A texel a press, or eight screen pixels: with Shift ten times as far.
        const by = Math.max(this.it.width / (this.map?.w ?? 1024), 1 / this.scale) * (e.shiftKey ? 10 : 1);
        this.cross = { x: this.cross.x + arrows[0] * by, y: this.cross.y + arrows[1] * by };
      } else if (e.key === " " || e.key === "Enter") this.mark();
      else return false;
      if (this.cross) {
        if (this.begun && (this.measuring || this.cutting)) {
          const { width: w, height: h } = this.it; // lines are in shares of the picture
          const line = { x0: this.begun.x / w, y0: this.begun.y / h, x1: this.cross.x / w, y1: this.cross.y / h };
          if (this.measuring) this.line = line;
          else this.cut = line;
        }
        this.read(this.cross.x, this.cross.y);
      }
      this.draw();
      return true;
    },

    /** Begins or ends the line of a tool at the crosshair. */
    mark() {
      if (!this.measuring && !this.cutting) return;
      if (!this.begun) {
        this.begun = this.cross;
        return;
      }
      this.begun = null;
      if (this.cutting) {
        this.cutting = false;
        this.section();
      } else this.ask();
    },

    /** @param {CanvasRenderingContext2D} g */
    crosshair(g) {
      if (!this.cross) return;
      const x = Math.round((this.cross.x - this.x) * this.scale) + 0.5, y = Math.round((this.cross.y - this.y) * this.scale) + 0.5;
      for (const [style, wide] of /** @type {[string, number][]} */ ([["rgb(0 0 0 / 0.8)", 3], ["#fff", 1]])) {
        g.strokeStyle = style;
        g.lineWidth = wide;
        g.beginPath();
        for (const [dx, dy] of [[1, 0], [-1, 0], [0, 1], [0, -1]]) {
          g.moveTo(x + 4 * dx, y + 4 * dy);
          g.lineTo(x + 16 * dx, y + 16 * dy);
        }
        g.stroke();
      }
      g.lineWidth = 1;
    },
  });
}
