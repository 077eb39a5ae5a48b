// @ts-check
// A map that can be looked at from afar and down to its pixels: a picture of all of it
// at once, and tiles of its own pixels where they are looked at.

const side = 512;
const most = 240; // tiles that are kept

/** @typedef {{id: number, at: string, channel: string, title: string, kind: string, w: number, h: number, float: boolean, parts: number, before: number, zero: number, span?: number[], down?: boolean}} MapInfo */

export class Sheet {
  /**
   * @param {MapInfo} map
   * @param {() => void} changed called when there is more to see
   */
  constructor(map, changed) {
    this.map = map;
    this.changed = changed;
    /** @type {ImageBitmap | null} */ this.picture = null;
    /** @type {ImageData | null} */ this.samples = null;
    /** @type {HTMLCanvasElement[]} the picture at half its size again and again */ this.levels = [];
    this.component = "";
    this.exposure = 0;
    /** What a treatment that is not applied would make of it. @type {ImageBitmap | null} */ this.trial = null;
    /** How much of its width and height the trial keeps. */ this.share = [1, 1];
    /** @type {Map<string, ImageBitmap | "coming" | "missing">} */ this.tiles = new Map();
    this.coming = 0;
  }

  /** Fetches the picture of all of it; false if there is none. */
  async open() {
    const answer = await fetch(`${this.map.at}/exact.png?px=1024`);
    if (!answer.ok) return false;
    this.picture = await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" });
    this.learn(this.picture);
    return true;
  }

  /** Reads and reduces what is shown as a whole. @param {ImageBitmap} picture */
  learn(picture) {
    const c = new OffscreenCanvas(picture.width, picture.height);
    const g = /** @type {OffscreenCanvasRenderingContext2D} */ (c.getContext("2d", { willReadFrequently: true }));
    g.drawImage(picture, 0, 0);
    this.samples = g.getImageData(0, 0, picture.width, picture.height);
    this.levels = halved(picture);
  }

  /** Shows a trial in the place of the map; null for the map again. @param {ImageBitmap | null} trial @param {number[]} share */
  instead(trial, share) {
    if (!trial && !this.trial) return;
    this.trial?.close();
    this.trial = trial;
    this.share = share;
    const all = trial ?? this.picture;
    if (all) this.learn(all);
    this.changed();
  }

  /** Lets go of its pictures. */
  close() {
    this.trial?.close();
    this.trial = null;
    this.picture?.close();
    for (const t of this.tiles.values()) if (t instanceof ImageBitmap) t.close();
    this.tiles.clear();
    this.picture = null;
  }

  /** @param {string} component @param {number} exposure */
  show(component, exposure) {
    if (component === this.component && exposure === this.exposure) return;
    this.component = component;
    this.exposure = exposure;
    this.changed();
  }

  /** Whether it is shown otherwise than the picture of all of it has it. */
  get turned() {
    return this.component !== "" || this.exposure !== 0;
  }

  /**
   * Draws all of it at a place; what is outside of the box is left out.
   * @param {CanvasRenderingContext2D} g
   * @param {number} left @param {number} top @param {number} w @param {number} h
   * @param {number} dpr
   * @param {{width: number, height: number}} box
   */
  draw(g, left, top, w, h, dpr, box) {
    const all = this.trial ?? this.picture;
    if (!all) return;
    g.imageSmoothingQuality = "high";
    g.imageSmoothingEnabled = w * dpr <= this.map.w * 3;
    const z = this.zoom(this.map.w / (w * dpr));
    if (this.trial) return g.drawImage(all, left, top, w, h);
    if (!this.turned && this.map.w >> z <= all.width) return g.drawImage(all, left, top, w, h);
    const px = w / (this.map.w / 2 ** z), py = h / (this.map.h / 2 ** z);
    // Tiles touch without a gap when each edge falls on a whole screen pixel.
    const at = (/** @type {number} */ v) => Math.round(v * dpr) / dpr;
    const smooth = g.imageSmoothingEnabled;
    for (const [tile, x, y, tw, th] of this.own(z, -left / px, -top / py, (box.width - left) / px, (box.height - top) / py)) {
      const [l, r, u, d] = [at(left + x * px), at(left + (x + tw) * px), at(top + y * py), at(top + (y + th) * py)];
      if (tile) {
        g.imageSmoothingQuality = "high";
        g.imageSmoothingEnabled = smooth && ((r - l) * dpr !== tw || (d - u) * dpr !== th); // one to one nothing is to be smoothed
        g.drawImage(tile, l, u, r - l, d - u);
      } else if (!this.turned || !this.tiles.size) {
        // Until it comes, that part of the picture of all of it.
        const [sx, sy] = [(all.width * 2 ** z) / this.map.w, (all.height * 2 ** z) / this.map.h];
        g.imageSmoothingEnabled = smooth;
        g.imageSmoothingQuality = "low"; // soft it is anyway
        g.drawImage(all, x * sx, y * sy, tw * sx, th * sy, l, u, r - l, d - u);
      }
    }
  }

  /**
   * The level, counted in halvings, that has about a pixel for each of the screen's.
   * @param {number} texels of the map to a pixel of the screen
   */
  zoom(texels) {
    let z = Math.max(0, Math.min(8, Math.floor(Math.log2(texels) + 0.2)));
    while (z < 8 && Math.max(this.map.w >> z, this.map.h >> z) < 64) z++;
    return z;
  }

  /**
   * The tiles of a level within a box of its pixels, and where each is; null for one that
   * is still to come.
   * @param {number} z
   * @param {number} left @param {number} top @param {number} right @param {number} bottom
   * @returns {Generator<[ImageBitmap | null, number, number, number, number]>}
   */
  *own(z, left, top, right, bottom) {
    // A level has whole pixels only; its last tiles reach to the map's edge all the same.
    const lw = Math.max(1, this.map.w >> z), lh = Math.max(1, this.map.h >> z);
    const [fw, fh] = [this.map.w / 2 ** z, this.map.h / 2 ** z];
    const long = (/** @type {number} */ from, /** @type {number} */ of, /** @type {number} */ full) => (from + side >= of ? full - from : side);
    const last = (/** @type {number} */ v, /** @type {number} */ of) => Math.min(Math.ceil(of / side), Math.ceil(v / side));
    for (let y = Math.max(0, Math.floor(top / side)); y < last(bottom, lh); y++) {
      for (let x = Math.max(0, Math.floor(left / side)); x < last(right, lw); x++) {
        yield [this.tile(z, x, y), x * side, y * side, long(x * side, lw, fw), long(y * side, lh, fh)];
      }
    }
  }

  /** @param {number} z @param {number} x @param {number} y */
  tile(z, x, y) {
    const key = `z=${z}&x=${x}&y=${y}${this.component ? `&c=${this.component}` : ""}${this.exposure ? `&ev=${this.exposure}` : ""}`;
    const t = this.tiles.get(key);
    if (t instanceof ImageBitmap) {
      this.tiles.delete(key); // used last, let go last
      this.tiles.set(key, t);
      return t;
    }
    if (!t && this.coming < 6) this.fetch(key);
    return null;
  }

  /** @param {string} key */
  async fetch(key) {
    this.tiles.set(key, "coming");
    this.coming++;
    try {
      const answer = await fetch(`${this.map.at}/tile.png?${key}`);
      if (!answer.ok) throw new Error(String(answer.status));
      this.tiles.set(key, await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" }));
      for (const [k, t] of this.tiles) {
        if (this.tiles.size <= most) break;
        if (t instanceof ImageBitmap) {
          t.close();
          this.tiles.delete(k);
        }
      }
    } catch {
      this.tiles.set(key, "missing");
    } finally {
      this.coming--;
      this.changed();
    }
  }

  /**
   * The nearest place at which the picture has an edge that stands out, or null.
   * @param {number} u @param {number} v shares of the sides
   * @param {number} within a share of the width
   */
  edge(u, v, within) {
    const s = this.samples;
    if (!s) return null;
    const r = Math.round(within * s.width);
    if (r < 2 || r > 40) return null;
    const cx = Math.round(u * s.width), cy = Math.round(v * s.height);
    const grey = (/** @type {number} */ x, /** @type {number} */ y) => {
      const i = 4 * (Math.max(0, Math.min(s.height - 1, y)) * s.width + Math.max(0, Math.min(s.width - 1, x)));
      return s.data[i] + 2 * s.data[i + 1] + s.data[i + 2];
    };
    let best = 0, sum = 0, n = 0;
    let at = null;
    for (let y = cy - r; y <= cy + r; y++) {
      for (let x = cx - r; x <= cx + r; x++) {
        const far = Math.hypot(x - cx, y - cy) / r;
        if (x < 1 || y < 1 || x >= s.width || y >= s.height || far > 1) continue;
        // The step between the pixels that meet at the corner (x, y).
        const e = Math.hypot(grey(x, y) + grey(x, y - 1) - grey(x - 1, y) - grey(x - 1, y - 1), grey(x, y) + grey(x - 1, y) - grey(x, y - 1) - grey(x - 1, y - 1));
        sum += e;
        n++;
        if (e * (1.5 - 0.5 * far) > best) {
          best = e * (1.5 - 0.5 * far);
          at = [x / s.width, y / s.height];
        }
      }
    }
    return n && best > 3 * (sum / n) && best > 40 ? at : null;
  }

  /**
   * The stored values at a place, 0..1, by the picture of all of it.
   * @param {number} u @param {number} v shares of the sides
   */
  at(u, v) {
    const s = this.samples;
    if (!s) return null;
    const i = 4 * (Math.min(s.height - 1, Math.floor(v * s.height)) * s.width + Math.min(s.width - 1, Math.floor(u * s.width)));
    return [s.data[i] / 255, s.data[i + 1] / 255, s.data[i + 2] / 255];
  }
}

/**
 * A picture at half its size again and again, down to 8 pixels.
 * @param {ImageBitmap} picture
 */
function halved(picture) {
  const out = [];
  for (let w = picture.width, h = picture.height; w >= 8 && h >= 8; w = Math.round(w / 2), h = Math.round(h / 2)) {
    const c = document.createElement("canvas");
    c.width = w;
    c.height = h;
    const g = /** @type {CanvasRenderingContext2D} */ (c.getContext("2d"));
    g.imageSmoothingQuality = "high";
    g.drawImage(out.at(-1) ?? picture, 0, 0, w, h);
    out.push(c);
  }
  return out;
}

/** @param {number} v sRGB, 0..1 */
const linear = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/**
 * What stored values mean in a channel.
 * @param {MapInfo} m
 * @param {number[]} v stored, 0..1, floats as they are
 * @param {number} depth metres
 * @param {boolean} exact whether they are the pixel's own, not an average of 8 bits
 */
export function meaning(m, v, depth, exact) {
  const byte = (/** @type {number} */ c) => Math.round(255 * c);
  const stored = (/** @type {number[]} */ list) => list.map((c) => (exact ? c.toFixed(4) : byte(c))).join(" ");
  if (m.kind === "normal") {
    const [x, y, z] = [2 * v[0] - 1, 2 * v[1] - 1, Math.max(0.01, 2 * (v[2] ?? 1) - 1)];
    const steep = (Math.atan2(Math.hypot(x, y), z) * 180) / Math.PI;
    return `${slope(steep, x, m.down ? -y : y)}  RGB ${stored(v.slice(0, 3))}`;
  }
  if (m.kind === "colour") {
    const light = m.float && exact ? v : v.map(linear);
    const albedo = v.length < 3 ? light[0] : 0.2126 * light[0] + 0.7152 * light[1] + 0.0722 * light[2];
    return m.float && exact ? `albedo ${albedo.toFixed(3)}  light ${v.map((c) => c.toFixed(3)).join(" ")}` : `albedo ${albedo.toFixed(2)}  sRGB ${v.map(byte).join(" ")}`;
  }
  if (m.kind === "height" && depth > 0) {
    const [lo, hi] = m.span && m.span[1] > m.span[0] ? m.span : [0, 1]; // floats in units of their own
    const share = exact ? (v[0] - lo) / (hi - lo) : v[0]; // what is painted is a share already
    const mm = 1000 * depth * (share - m.zero);
    const where = m.zero > 0 ? `${Math.abs(mm).toFixed(Math.abs(mm) < 10 ? 2 : 1)} mm ${mm < 0 ? "below" : "above"} zero` : `${mm.toFixed(exact ? 2 : 1)} mm above the lowest`;
    return `${where}  stored ${(lo + share * (hi - lo)).toFixed(exact ? 5 : 3)}`;
  }
  return `${m.title.toLowerCase()} ${v[0].toFixed(exact ? 3 : 2)}`;
}

/**
 * A slope in words: how steep, and which way it falls.
 * @param {number} steep degrees
 * @param {number} x which way the normal leans: to the right
 * @param {number} y and up
 */
function slope(steep, x, y) {
  if (steep < 1) return "flat";
  const way = Math.round((Math.atan2(y, x) * 4) / Math.PI + 8) % 8;
  return `slope ${steep.toFixed(0)}° ${["to the right", "to the upper right", "upwards", "to the upper left", "to the left", "to the lower left", "downwards", "to the lower right"][way]}`;
}
