// @ts-check
// The Flat lens: one map as it is, on its mat, with rulers in real units and a
// read-out in the channel's own meaning; and lines that are measured on it.
import { call, tell } from "./api.js";

/** @typedef {{id: number, channel: string, title: string, kind: string, w: number, h: number}} MapInfo */

const steps = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10];

/** @returns {any} */
export function flat() {
  return {
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    unit: "cm",
    reading: "",
    zoomLine: "",
    label: "",
    grid: false,
    pattern: false,
    get patternWord() {
      return this.pattern ? "Hide the pattern" : "Show the pattern";
    },
    laid: false,
    borders: false,
    get bordersWord() {
      return this.borders ? "Hide the repeats' borders" : "Show the repeats' borders";
    },
    /** @type {HTMLCanvasElement[]} the picture at half its size again and again */ levels: [],
    measuring: false,
    asking: false,
    get measureWord() {
      return this.measuring ? "Drag along something of known length" : "Measure a line";
    },
    /** @type {{x0: number, y0: number, x1: number, y1: number} | null} a line in shares of the picture */ line: null,
    get gridWord() {
      return this.grid ? "Hide the grid" : "Show the grid";
    },
    /** @type {{width: number, height: number, known: boolean, depth: number, maps: any[], steps: number[][]}} */
    it: { width: 1, height: 1, known: false, depth: 0, maps: [], steps: [] },
    /** @type {any} */ map: null,
    /** @type {ImageBitmap | null} */ picture: null,
    /** @type {ImageData | null} */ samples: null,
    scale: 1, // screen pixels a metre
    x: 0, // metres at the left edge
    y: 0,
    /** @type {{px: number, py: number, x: number, y: number} | null} */ held: null,
    drawing: 0,

    init() {
      this.root = this.$root;
      const d = JSON.parse(this.root.dataset.lens ?? "{}");
      this.it = { ...d, steps: d.steps ?? [], maps: (d.maps ?? []).map((/** @type {any} */ m) => ({ id: m.ID, channel: m.Channel, title: m.Title, kind: m.Kind, w: m.W, h: m.H })) };
      new ResizeObserver(() => this.fit()).observe(this.$refs.mat);
      this.root.addEventListener("resized", (/** @type {CustomEvent} */ e) => {
        const m = e.detail;
        if (m.width_m) this.it.known = true;
        this.line = null;
        this.it.width = m.width_m ?? this.it.width;
        this.it.height = m.height_m ?? this.it.height;
        this.it.depth = m.depth_m ?? this.it.depth;
        this.fit();
      });
      addEventListener("room", () => this.draw());
      const asked = new URLSearchParams(location.search);
      this.laid = asked.get("lens") === "laid" && this.it.known;
      this.root.addEventListener("walled", () => this.laid && this.fit());
      const want = asked.get("map");
      const first = this.it.maps.find((/** @type {any} */ m) => m.channel === want) ?? this.it.maps[0];
      if (first) this.show(first);
    },

    /** @param {Event} e */
    choose(e) {
      const id = Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.chip);
      const m = this.it.maps.find((/** @type {any} */ m) => m.id === id);
      if (m) this.show(m);
    },

    /** @param {MapInfo} m */
    async show(m) {
      this.map = m;
      this.label = `${m.title}, ${this.it.width.toFixed(2)} by ${this.it.height.toFixed(2)} metres`;
      for (const c of this.root.querySelectorAll("[data-chip]")) c.setAttribute("aria-pressed", String(Number(c.dataset.chip) === m.id));
      const url = new URL(location.href);
      url.searchParams.set("map", m.channel);
      history.replaceState(null, "", url);
      const answer = await fetch(`/maps/${m.id}/exact.png?px=1024`);
      if (!answer.ok || this.map !== m) return;
      const picture = await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" });
      const c = new OffscreenCanvas(picture.width, picture.height);
      const g = /** @type {OffscreenCanvasRenderingContext2D} */ (c.getContext("2d", { willReadFrequently: true }));
      g.drawImage(picture, 0, 0);
      this.samples = g.getImageData(0, 0, picture.width, picture.height);
      this.picture = picture;
      this.levels = halved(picture);
      if (this.laid) this.draw();
      else this.fit();
    },

    fit() {
      const box = this.$refs.mat.getBoundingClientRect();
      if (!box.width || !box.height) return;
      const [w, h] = this.extent();
      this.scale = Math.min((box.width - 64) / w, (box.height - 48) / h);
      this.x = w / 2 - box.width / 2 / this.scale;
      this.y = h / 2 - box.height / 2 / this.scale;
      this.draw();
    },

    /** What there is to see, in metres: one repeat, or a wall with room for somebody beside it. */
    extent() {
      if (!this.laid) return [this.it.width, this.it.height];
      const [w, h] = this.wall();
      return [w, Math.max(h, 1.9)];
    },

    /** The wall of the ledger, in metres. */
    wall() {
      return ["across", "down"].map((side) => Number(/** @type {HTMLElement | null} */ (document.querySelector(`[data-wall=${side}]`))?.dataset.metres ?? 3));
    },

    /** @param {boolean} laid */
    look(laid) {
      if (laid && !this.it.known) {
        tell("It can be laid when its size is known: type it, measure it, or say how long a step of its pattern is.");
        return;
      }
      this.laid = laid;
      this.measuring = this.asking = false;
      this.line = null;
      const url = new URL(location.href);
      if (laid) url.searchParams.set("lens", "laid");
      else url.searchParams.delete("lens");
      history.replaceState(null, "", url);
      this.fit();
    },
    lookFlat() {
      this.look(false);
    },
    lookLaid() {
      this.look(true);
    },

    actual() {
      if (!this.map) return;
      this.zoomTo(this.map.w / this.it.width / devicePixelRatio);
    },

    /**
     * @param {number} scale
     * @param {number} [px] the point that stays where it is
     * @param {number} [py]
     */
    zoomTo(scale, px, py) {
      const box = this.$refs.mat.getBoundingClientRect();
      px ??= box.width / 2;
      py ??= box.height / 2;
      const least = this.laid ? this.$refs.mat.clientWidth / 20 : 60 / Math.max(this.it.width, this.it.height);
      const most = (40 * (this.map?.w ?? 1024)) / this.it.width;
      scale = Math.max(least, Math.min(most, scale));
      this.x += px / this.scale - px / scale;
      this.y += py / this.scale - py / scale;
      this.scale = scale;
      this.draw();
    },

    /** @param {WheelEvent} e */
    wheel(e) {
      const box = this.$refs.mat.getBoundingClientRect();
      this.zoomTo(this.scale * Math.exp(-e.deltaY * 0.0015), e.clientX - box.left, e.clientY - box.top);
    },
    /** @param {PointerEvent} e */
    grab(e) {
      this.$refs.mat.setPointerCapture(e.pointerId);
      if (this.measuring) {
        const [x, y] = this.under(e);
        this.line = { x0: x, y0: y, x1: x, y1: y };
        this.asking = false;
        this.held = { px: e.clientX, py: e.clientY, x: this.x, y: this.y };
        return;
      }
      this.held = { px: e.clientX, py: e.clientY, x: this.x, y: this.y };
    },
    /** @param {PointerEvent} e */
    move(e) {
      if (this.held && this.measuring && this.line) {
        [this.line.x1, this.line.y1] = this.under(e);
        this.draw();
      } else if (this.held) {
        this.x = this.held.x - (e.clientX - this.held.px) / this.scale;
        this.y = this.held.y - (e.clientY - this.held.py) / this.scale;
        this.draw();
      }
      const box = this.$refs.mat.getBoundingClientRect();
      this.read(this.x + (e.clientX - box.left) / this.scale, this.y + (e.clientY - box.top) / this.scale);
    },
    drop() {
      const drawn = this.held && this.measuring && this.line;
      this.held = null;
      if (drawn) this.ask();
    },

    // Measuring: a line from pixel to pixel, and what it is in reality.

    startLine() {
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
      return [Math.round(Math.max(0, Math.min(1, x)) * w) / w, Math.round(Math.max(0, Math.min(1, y)) * h) / h];
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
      form.style.left = `${Math.max(8, Math.min(at[0] + 12, box.width - form.offsetWidth - 8))}px`;
      form.style.top = `${Math.max(8, Math.min(at[1] + 12, box.height - form.offsetHeight - 8))}px`;
      this.$refs.long.value = "";
      this.$refs.long.focus();
    },
    /** @param {KeyboardEvent} e */
    askKey(e) {
      if (e.key === "Escape") {
        this.asking = false;
        this.line = null;
        this.draw();
      }
    },
    async takeLine() {
      const bench = /** @type {HTMLElement} */ (this.root.closest("[data-material]"));
      const path = `/api/v1/materials/${bench.dataset.material}`;
      try {
        const old = await call("GET", path);
        const m = await call("PATCH", path, { line: { ...this.line, length_m: this.$refs.long.value } }, String(old.version));
        this.asking = false;
        this.root.dispatchEvent(new CustomEvent("resized", { detail: m }));
        tell("Measured: the size follows. Draw another line to make it surer.", old.width_m ? async () => {
          await call("PATCH", path, { width_m: old.width_m, height_m: old.height_m });
          this.root.dispatchEvent(new CustomEvent("resized", { detail: old }));
        } : null);
      } catch (e) {
        tell(/** @type {Error} */ (e).message);
        this.$refs.long.focus();
      }
    },
    togglePattern() {
      this.pattern = !this.pattern;
      this.draw();
    },

    toggleBorders() {
      this.borders = !this.borders;
      this.draw();
    },

    /**
     * The wall, covered with repeats from its lower left corner on.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     * @param {number} dpr
     */
    lay(g, left, top, w, h, dpr) {
      const rw = this.it.width * this.scale, rh = this.it.height * this.scale;
      // The level with one to two of its pixels to one of the screen: nothing flickers, nothing is blurred.
      let k = 0;
      while (k + 1 < this.levels.length && this.levels[k + 1].width >= rw * dpr && this.levels[k + 1].height >= rh * dpr) k++;
      const level = this.levels[k];
      if (!level) return;
      const pattern = g.createPattern(level, "repeat");
      if (!pattern) return;
      const below = top + h - Math.ceil(h / rh) * rh;
      pattern.setTransform(new DOMMatrix([rw / level.width, 0, 0, rh / level.height, left, below]));
      g.imageSmoothingEnabled = rw * dpr < level.width * 3;
      g.imageSmoothingQuality = "medium";
      g.fillStyle = pattern;
      const [x0, y0] = [Math.max(0, left), Math.max(0, top)];
      const box = this.$refs.mat;
      g.fillRect(x0, y0, Math.min(box.clientWidth, left + w) - x0, Math.min(box.clientHeight, top + h) - y0);
      if (!this.borders) return;
      g.beginPath();
      for (let x = left; x <= left + w; x += rw) {
        g.moveTo(x, top);
        g.lineTo(x, top + h);
      }
      for (let y = top + h; y >= top; y -= rh) {
        g.moveTo(left, y);
        g.lineTo(left + w, y);
      }
      for (const [style, wide] of /** @type {[string, number][]} */ ([["rgb(0 0 0 / 0.7)", 3], ["#fff", 1]])) {
        g.strokeStyle = style;
        g.lineWidth = wide;
        g.stroke();
      }
    },

    /**
     * The pattern's lattice, and the line that is being measured.
     * @param {CanvasRenderingContext2D} g
     * @param {number} left @param {number} top @param {number} w @param {number} h
     */
    marks(g, left, top, w, h) {
      const [a, b] = [this.it.steps[0] ?? [0, 0], this.it.steps[1] ?? [0, 0]];
      if (this.pattern && (a[0] || a[1])) {
        g.save();
        g.beginPath();
        g.rect(left, top, w, h);
        g.clip();
        g.lineWidth = 1;
        const both = b[0] || b[1];
        const across = both ? b : [-a[1] * h / w, a[0] * w / h]; // boards: lines across their step
        for (const [style, dash] of /** @type {[string, number[]][]} */ ([["rgb(0 0 0 / 0.6)", []], ["rgb(255 255 255 / 0.95)", [5, 5]]])) {
          g.strokeStyle = style;
          g.setLineDash(dash);
          g.beginPath();
          for (let i = -80; i <= 80; i++) {
            for (const [step, along] of both ? [[a, b], [b, a]] : [[a, across]]) {
              const x = left + i * step[0] * w, y = top + i * step[1] * h;
              const far = 200;
              g.moveTo(x - far * along[0] * w, y - far * along[1] * h);
              g.lineTo(x + far * along[0] * w, y + far * along[1] * h);
            }
          }
          g.stroke();
        }
        g.restore();
      }
      const l = this.line;
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
    leave() {
      this.held = null;
      this.reading = "";
    },
    /** @param {KeyboardEvent} e */
    key(e) {
      const by = 40 / this.scale;
      const act = {
        "+": () => this.zoomTo(this.scale * 1.25), "=": () => this.zoomTo(this.scale * 1.25), "-": () => this.zoomTo(this.scale / 1.25), 0: () => this.fit(),
        ArrowLeft: () => (this.x -= by), ArrowRight: () => (this.x += by), ArrowUp: () => (this.y -= by), ArrowDown: () => (this.y += by),
      }[e.key];
      if (!act || e.ctrlKey || e.metaKey) return;
      e.preventDefault();
      act();
      this.draw();
    },
    toggleGrid() {
      this.grid = !this.grid;
      this.draw();
    },
    nextMat() {
      const order = ["", "dark", "light"];
      const mat = this.$refs.mat;
      mat.dataset.mat = order[(order.indexOf(mat.dataset.mat ?? "") + 1) % 3];
    },

    /**
     * Says what the map holds at a place in metres.
     * @param {number} x
     * @param {number} y
     */
    read(x, y) {
      const s = this.samples;
      const [w, h] = this.laid ? this.wall() : [this.it.width, this.it.height];
      if (!s || !this.map || x < 0 || y < 0 || x >= w || y >= h) {
        this.reading = "";
        return;
      }
      // Repeats begin at the wall's lower left corner, as they are laid.
      const u = (x / this.it.width) % 1, v = this.laid ? (((y - h) / this.it.height) % 1 + 1) % 1 : y / this.it.height;
      const i = 4 * (Math.floor(v * s.height) * s.width + Math.floor(u * s.width));
      const [r, g, b] = [s.data[i], s.data[i + 1], s.data[i + 2]];
      const at = this.it.known ? `x ${length(x)}  y ${length(y)}` : `x ${(100 * x / this.it.width).toFixed(1)} %  y ${(100 * y / this.it.height).toFixed(1)} %`;
      this.reading = `${at}\n${meaning(this.map, r, g, b, this.it.depth)}`;
    },

    draw() {
      cancelAnimationFrame(this.drawing);
      this.drawing = requestAnimationFrame(() => this.paint());
    },

    paint() {
      const { view, across, down, mat } = this.$refs;
      const box = mat.getBoundingClientRect();
      const dpr = devicePixelRatio;
      const g = size(view, box.width, box.height, dpr);
      const left = -this.x * this.scale, top = -this.y * this.scale;
      const [wide, high] = this.laid ? this.wall() : [this.it.width, this.it.height];
      const w = wide * this.scale, h = high * this.scale;
      if (this.laid) this.lay(g, left, top, w, h, dpr);
      else if (this.picture) {
        g.imageSmoothingEnabled = w * dpr < this.picture.width * 3;
        g.imageSmoothingQuality = "high";
        g.drawImage(this.picture, left, top, w, h);
      }
      g.strokeStyle = "rgb(255 255 255 / 0.7)";
      g.strokeRect(Math.round(left) - 0.5, Math.round(top) - 0.5, Math.round(w) + 1, Math.round(h) + 1);
      if (this.grid && this.it.known) this.lines(g, this.scale > 160 ? 0.1 : 1, left, top, wide, high);
      if (this.laid) person(g, left + w * 0.5, top + h, this.scale);
      else this.marks(g, left, top, w, h);
      const step = steps.find((s) => s * this.scale >= 34) ?? 10;
      this.unit = !this.it.known ? "" : step < 0.005 ? "mm" : step >= 1 ? "m" : "cm";
      const ink = getComputedStyle(document.documentElement);
      const colours = [ink.getPropertyValue("--card"), ink.getPropertyValue("--peat-soft")];
      this.ruler(size(across, box.width, 22, dpr), box.width, step, this.x, false, colours);
      this.ruler(size(down, 28, box.height, dpr), box.height, step, this.y, true, colours);
      const tex = this.map ? (this.scale * this.it.width * dpr) / this.map.w : 1;
      this.zoomLine = tex >= 1 ? `${tex.toFixed(tex < 10 ? 1 : 0)} screen pixels a texel` : `${(1 / tex).toFixed(1)} texels a screen pixel`;
    },

    /**
     * @param {CanvasRenderingContext2D} g
     * @param {number} every
     * @param {number} left @param {number} top
     * @param {number} wide metres @param {number} high metres
     */
    lines(g, every, left, top, wide, high) {
      const w = wide * this.scale, h = high * this.scale;
      g.setLineDash([2, 3]);
      g.strokeStyle = "rgb(255 255 255 / 0.75)";
      g.beginPath();
      for (let m = every; m < wide; m += every) {
        const x = Math.round(left + m * this.scale) + 0.5;
        g.moveTo(x, top);
        g.lineTo(x, top + h);
      }
      for (let m = every; m < high; m += every) {
        const y = Math.round(top + m * this.scale) + 0.5;
        g.moveTo(left, y);
        g.lineTo(left + w, y);
      }
      g.stroke();
      g.setLineDash([]);
    },

    /**
     * @param {CanvasRenderingContext2D} g
     * @param {number} long
     * @param {number} step metres between figures
     * @param {number} from metres at the start
     * @param {boolean} upright
     * @param {string[]} colours
     */
    ruler(g, long, step, from, upright, colours) {
      const deep = upright ? 28 : 22;
      g.fillStyle = colours[0];
      g.fillRect(0, 0, upright ? deep : long, upright ? long : deep);
      g.fillStyle = g.strokeStyle = colours[1];
      g.font = '10px "JetBrains Mono", monospace';
      g.beginPath();
      const fine = step / 10;
      const per = { mm: 1000, cm: 100, m: 1, "": 100 }[/** @type {"mm"|"cm"|"m"|""} */ (this.unit)];
      for (let k = Math.ceil(from / fine); k * fine < from + long / this.scale; k++) {
        const at = Math.round((k * fine - from) * this.scale) + 0.5;
        const tick = k % 10 === 0 ? 9 : k % 5 === 0 ? 6 : fine * this.scale >= 4 ? 3 : 0;
        if (!tick) continue;
        if (upright) {
          g.moveTo(deep, at);
          g.lineTo(deep - tick, at);
        } else {
          g.moveTo(at, deep);
          g.lineTo(at, deep - tick);
        }
        if (k % 10 === 0) {
          const figure = this.it.known ? String(Math.round(k * fine * per * 10) / 10) : `${Math.round(100 * k * fine)}%`;
          if (upright) g.fillText(figure, 2, at - 3);
          else g.fillText(figure, at + 3, 11);
        }
      }
      g.stroke();
    },
  };
}

/**
 * @param {HTMLCanvasElement} c
 * @param {number} w
 * @param {number} h
 * @param {number} dpr
 */
function size(c, w, h, dpr) {
  const pw = Math.round(w * dpr), ph = Math.round(h * dpr);
  if (c.width !== pw || c.height !== ph) {
    c.width = pw;
    c.height = ph;
  }
  const g = /** @type {CanvasRenderingContext2D} */ (c.getContext("2d"));
  g.setTransform(dpr, 0, 0, dpr, 0, 0);
  g.clearRect(0, 0, w, h);
  return g;
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

/**
 * Somebody of 1.70 m, standing, for comparison.
 * @param {CanvasRenderingContext2D} g
 * @param {number} x @param {number} floor where the feet are, on the screen
 * @param {number} scale screen pixels a metre
 */
function person(g, x, floor, scale) {
  g.save();
  g.translate(x, floor);
  g.scale(scale, -scale);
  g.fillStyle = "rgb(38 35 30 / 0.92)";
  g.strokeStyle = "rgb(255 255 255 / 0.85)";
  g.lineWidth = 2.5 / scale;
  g.beginPath();
  // One leg a little before the other, arms at the sides, a coat to the knee.
  g.moveTo(-0.13, 0);
  g.lineTo(-0.03, 0);
  g.lineTo(-0.015, 0.46);
  g.lineTo(0.015, 0.46);
  g.lineTo(0.03, 0);
  g.lineTo(0.14, 0);
  g.quadraticCurveTo(0.13, 0.05, 0.1, 0.06);
  g.lineTo(0.12, 0.5);
  g.quadraticCurveTo(0.16, 0.8, 0.14, 0.98);
  g.lineTo(0.18, 0.76);
  g.quadraticCurveTo(0.23, 0.72, 0.235, 0.78);
  g.quadraticCurveTo(0.23, 1.1, 0.215, 1.3);
  g.quadraticCurveTo(0.2, 1.4, 0.07, 1.42);
  g.lineTo(0.05, 1.47);
  g.bezierCurveTo(0.11, 1.54, 0.1, 1.7, 0, 1.7);
  g.bezierCurveTo(-0.1, 1.7, -0.11, 1.54, -0.05, 1.47);
  g.lineTo(-0.07, 1.42);
  g.quadraticCurveTo(-0.2, 1.4, -0.215, 1.3);
  g.quadraticCurveTo(-0.23, 1.1, -0.235, 0.78);
  g.quadraticCurveTo(-0.23, 0.72, -0.18, 0.76);
  g.lineTo(-0.14, 0.98);
  g.quadraticCurveTo(-0.16, 0.8, -0.12, 0.5);
  g.lineTo(-0.1, 0.06);
  g.quadraticCurveTo(-0.13, 0.05, -0.13, 0);
  g.closePath();
  g.stroke();
  g.fill();
  g.restore();
}

/** @param {number} m */
const length = (m) => (m >= 2 ? `${m.toFixed(2)} m` : `${(100 * m).toFixed(1)} cm`);

/** @param {number} v sRGB, 0..255 */
const linear = (v) => ((v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/**
 * What three stored bytes mean in a channel.
 * @param {MapInfo} m
 * @param {number} r @param {number} g @param {number} b
 * @param {number} depth metres
 */
function meaning(m, r, g, b, depth) {
  if (m.kind === "normal") {
    const [x, y, z] = [2 * r / 255 - 1, 2 * g / 255 - 1, Math.max(0.01, 2 * b / 255 - 1)];
    const steep = (Math.atan2(Math.hypot(x, y), z) * 180) / Math.PI;
    return `slope ${steep.toFixed(0)}°  stored ${r} ${g} ${b}`;
  }
  if (m.kind === "colour") {
    const albedo = 0.2126 * linear(r) + 0.7152 * linear(g) + 0.0722 * linear(b);
    return `albedo ${albedo.toFixed(2)}  sRGB ${r} ${g} ${b}`;
  }
  if (m.kind === "height" && depth > 0) return `${(1000 * depth * r / 255).toFixed(1)} mm above the lowest  stored ${(r / 255).toFixed(3)}`;
  return `${m.title.toLowerCase()} ${(r / 255).toFixed(2)}`;
}
