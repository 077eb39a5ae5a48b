// @ts-check
// Another map, or the scan's own, wiped over what the lens shows.
import { lensPart } from "./part.js";
import { Sheet } from "./sheet.js";

/** A part of the lens. */
export function wiping() {
  return lensPart({
    /** @type {Sheet | null} what it is wiped against */ other: null,
    against: "", // the choice that other was opened for
    wipe: 50, // percent of the mat's width

    get rivals() {
      return this.it.maps.filter((/** @type {any} */ m) => m !== this.map);
    },

    /**
     * Wipes another map, or the scan's own, over what is shown.
     * @param {string} want its id, or nothing
     */
    async setAgainst(want) {
      this.against = want;
      this.other?.close();
      this.other = null;
      const m = want === "scan" ? this.map?.before && { ...this.map, id: this.map.before, at: `/maps/${this.map.before}` } : this.it.maps.find((m) => String(m.id) === want);
      if (m) {
        const sheet = new Sheet(m, () => this.draw());
        if ((await sheet.open()) && this.against === want) this.other = sheet;
      }
      this.draw();
    },

    lastAgainst: "",

    /** Wipes against what was chosen last, else the scan or the next map; or no longer. */
    toggleWipe() {
      const want = this.against ? "" : this.lastAgainst || (this.map?.before ? "scan" : String(this.rivals[0]?.id ?? ""));
      return this.setAgainst(want);
    },

    /** @param {Event} e */
    chooseAgainst(e) {
      this.lastAgainst = /** @type {HTMLSelectElement} */ (e.currentTarget).value;
      return this.setAgainst(/** @type {HTMLSelectElement} */ (e.currentTarget).value);
    },

    moveWipe() {
      this.draw();
    },

    /**
     * The other map on the left of the wipe, at its own size.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} h
     * @param {number} dpr @param {{width: number, height: number}} box
     */
    wiped(g, left, top, h, dpr, box) {
      const at = Math.round((box.width * Number(this.wipe)) / 100);
      const share = this.against === "scan" ? this.it.share : [1, 1];
      const [width, height] = [this.it.width / share[0], this.it.height / share[1]];
      g.save();
      g.beginPath();
      g.rect(0, 0, at, box.height);
      g.clip();
      g.fillStyle = getComputedStyle(this.$refs.mat).backgroundColor;
      g.fillRect(0, 0, at, box.height);
      if (this.laid && this.other) this.cover(g, { sheet: this.other, width, height }, left, top, h, dpr);
      else this.other?.draw(g, left, top, width * this.scale, height * this.scale, dpr, { width: at, height: box.height });
      g.restore();
      g.fillStyle = "rgb(0 0 0 / 0.65)";
      g.fillRect(at - 1.5, 0, 3, box.height);
      g.fillStyle = "#fff";
      g.fillRect(at - 0.5, 0, 1, box.height);
      g.font = '12px "Hanken Grotesk", sans-serif';
      const words = [this.against === "scan" ? "as scanned" : this.other?.map.title.toLowerCase() ?? "", this.against === "scan" ? "treated" : this.map?.title.toLowerCase() ?? ""];
      for (const [i, word] of words.entries()) {
        const wide = g.measureText(word).width + 14;
        const x = i ? at + 8 : at - 8 - wide;
        g.fillStyle = "rgb(24 22 19 / 0.85)";
        g.fillRect(x, 8, wide, 20);
        g.fillStyle = "#fff";
        g.fillText(word, x + 7, 22);
      }
    },
  });
}
