// @ts-check
// The lens: a map on its mat with rulers in real units, moved and brought nearer. What it
// measures, says, marks, wipes and lays are parts of their own.
import { lensPart } from "./part.js";
import { Sheet } from "./sheet.js";
import { crossing } from "./cross.js";
import { living } from "./life.js";
import { marking } from "./marks.js";
import { measuring } from "./measure.js";
import { placing } from "./placing.js";
import { reading } from "./reading.js";
import { wiping } from "./wipe.js";
import { reach } from "./laid.js";
import { ruling, size, steps } from "./ruler.js";
import { outline, person } from "./things.js";

/** @typedef {import("./sheet.js").MapInfo} MapInfo */

/** @returns {Lens} */
export function lens() {
  /** @type {any} */ const it = {};
  // Getters stay getters.
  for (const part of [view(), living(), ruling(), crossing(), measuring(), reading(), marking(), wiping(), placing()]) Object.defineProperties(it, Object.getOwnPropertyDescriptors(part));
  return it;
}

function view() {
  return lensPart({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    unit: "cm",
    zoomLine: "",
    label: "",
    kept: false,
    /** @type {Sheet | null} what is shown */ sheet: null,
    component: "",
    exposure: 0,
    fitted: true, // nobody has moved the view since all of it was shown
    /** @type {{width: number, height: number, known: boolean, depth: number, maps: any[], steps: number[][], seams: any[], share: number[]}} */
    it: { width: 1, height: 1, known: false, depth: 0, maps: [], steps: [], seams: [], share: [1, 1] },
    /** @type {any} */ map: null,
    scale: 1, // screen pixels a metre
    x: 0, // metres at the left edge
    y: 0,
    /** @type {{px: number, py: number, x: number, y: number} | null} */ held: null,
    drawing: 0,

    init() {
      this.root = this.$root;
      this.toolKeys();
      this.told = this.root.dataset.lens ?? "{}";
      this.learn(this.told);
      this.root.addEventListener("renewed", (/** @type {CustomEvent} */ e) => this.renew(e.detail));
      this.live();
      this.root.addEventListener("resized", (/** @type {CustomEvent} */ e) => {
        const m = e.detail;
        if (m.width_m) this.it.known = true;
        this.line = null;
        this.it.width = m.width_m ?? this.it.width;
        this.it.height = m.height_m ?? this.it.height;
        this.it.depth = m.depth_m ?? this.it.depth;
        this.fit();
      });
      this.root.addEventListener("heat", () => this.toggleHeat());
      const asked = new URLSearchParams(location.search);
      this.placed(asked);
      const want = asked.get("map");
      const first = this.it.maps.find((/** @type {any} */ m) => m.channel === want) ?? this.it.maps[0];
      if (first) this.unveil(first);
    },

    told: "", // what the lens was last told of the material

    /** @param {string} text what there is to see, as JSON */
    learn(text) {
      const d = JSON.parse(text);
      this.it = {
        ...d, steps: d.steps ?? [], seams: d.seams ?? [],
        maps: (d.maps ?? []).map((/** @type {any} */ m) => ({ id: m.ID, at: m.At, channel: m.Channel, title: m.Title, kind: m.Kind, w: m.W, h: m.H, float: m.Float, parts: m.Parts, before: m.Before, zero: m.Zero, span: m.Span, down: m.Down })),
      };
    },

    /**
     * Takes up what has changed on the server: maps that were made, another size.
     * @param {string} text
     */
    renew(text) {
      if (text === this.told) return;
      const was = this.it;
      this.told = text;
      this.learn(text);
      const same = this.it.maps.find((/** @type {any} */ m) => m.channel === this.map?.channel) ?? this.it.maps[0];
      const sized = Math.abs(was.width - this.it.width) > 1e-9 || Math.abs(was.height - this.it.height) > 1e-9;
      if (same && same.id !== this.map?.id) this.show(same);
      else if (same) {
        this.map = same;
        if (this.sheet) this.sheet.map = same;
        if (sized) this.fit();
      }
      for (const c of this.root.querySelectorAll("[data-chip]")) c.setAttribute("aria-pressed", String(Number(c.dataset.chip) === this.map?.id));
      this.draw();
    },
    /** The components of the map's file that can be looked at alone. */
    get parts() {
      const words = [["r", "red"], ["g", "green"], ["b", "blue"], ["a", "alpha"]];
      return { 2: [["r", "grey"], words[3]], 3: words.slice(0, 3), 4: words }[/** @type {2|3|4} */ (this.map?.parts)] ?? [];
    },
    glance() {
      this.sheet?.show(this.component, Number(this.exposure));
      this.draw();
    },

    /** @param {Event} e */
    choose(e) {
      const id = Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.chip);
      const m = this.it.maps.find((/** @type {any} */ m) => m.id === id);
      if (m) this.show(m);
    },

    /** @param {MapInfo} m */
    async show(m) {
      const last = this.map;
      this.kept = !!last && last.channel !== m.channel; // another map of the same place: the view stays
      this.map = m;
      this.label = `${m.title}, ${this.it.width.toFixed(2)} by ${this.it.height.toFixed(2)} metres`;
      for (const c of this.root.querySelectorAll("[data-chip]")) c.setAttribute("aria-pressed", String(Number(c.dataset.chip) === m.id));
      const url = new URL(location.href);
      url.searchParams.set("map", m.channel);
      history.replaceState(null, "", url);
      const sheet = new Sheet(m, () => this.draw());
      if (!(await sheet.open()) || this.map !== m) return;
      this.sheet?.close();
      this.sheet = sheet;
      this.askAgain();
      this.component = "";
      this.exposure = 0;
      if (this.against === "scan") this.setAgainst(m.before ? "scan" : "");
      if (this.laid || this.kept) this.draw();
      else this.fit();
    },

    fit() {
      const box = this.$refs.mat.getBoundingClientRect();
      if (!box.width || !box.height) return;
      const [w, h] = this.extent();
      this.fitted = true;
      this.scale = Math.min((box.width - 64) / w, (box.height - 48) / h);
      this.x = w / 2 - box.width / 2 / this.scale;
      this.y = h / 2 - box.height / 2 / this.scale;
      this.draw();
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
      this.fitted = false;
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
      if (this.cutting) {
        const [x, y] = this.under(e);
        this.cut = { x0: x, y0: y, x1: x, y1: y };
        this.held = { px: e.clientX, py: e.clientY, x: this.x, y: this.y };
        return;
      }
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
      if (this.held && this.cutting && this.cut) {
        [this.cut.x1, this.cut.y1] = this.under(e);
        this.draw();
      } else if (this.held && this.measuring && this.line) {
        [this.line.x1, this.line.y1] = this.under(e);
        this.draw();
      } else if (this.held) {
        this.fitted = false;
        this.x = this.held.x - (e.clientX - this.held.px) / this.scale;
        this.y = this.held.y - (e.clientY - this.held.py) / this.scale;
        this.draw();
      }
      const box = this.$refs.mat.getBoundingClientRect();
      this.read(this.x + (e.clientX - box.left) / this.scale, this.y + (e.clientY - box.top) / this.scale);
    },
    drop() {
      if (this.held && this.cutting) {
        this.held = null;
        this.cutting = false;
        this.$refs.mat.style.cursor = "";
        return this.section();
      }
      const drawn = this.held && this.measuring && this.line;
      this.held = null;
      if (drawn) this.ask();
    },
    leave() {
      this.held = null;
      this.reading = "";
    },
    /** @param {KeyboardEvent} e */
    key(e) {
      if (e.ctrlKey || e.metaKey) return;
      if (this.crossKey(e)) return e.preventDefault();
      const by = 40 / this.scale;
      const act = {
        "+": () => this.zoomTo(this.scale * 1.25), "=": () => this.zoomTo(this.scale * 1.25), "-": () => this.zoomTo(this.scale / 1.25), 0: () => this.fit(),
        ArrowLeft: () => (this.x -= by), ArrowRight: () => (this.x += by), ArrowUp: () => (this.y -= by), ArrowDown: () => (this.y += by),
      }[e.key];
      if (!act) return;
      e.preventDefault();
      act();
      this.draw();
    },
    nextMat() {
      const order = ["", "dark", "light"];
      const mat = this.$refs.mat;
      mat.dataset.mat = order[(order.indexOf(mat.dataset.mat ?? "") + 1) % 3];
    },

    draw() {
      cancelAnimationFrame(this.drawing);
      this.$refs.mat.removeAttribute("data-settled");
      this.drawing = requestAnimationFrame(() => this.paint());
    },

    paint() {
      const { view, across, down, mat } = this.$refs;
      const box = mat.getBoundingClientRect();
      const dpr = devicePixelRatio;
      const g = size(view, box.width, box.height, dpr);
      const left = -this.x * this.scale, top = -this.y * this.scale;
      const [wallWidth, wallHeight] = this.wall();
      const [wide, high] = this.laid ? reach(this.shape, wallWidth, wallHeight) : this.repeat;
      const w = wide * this.scale, h = high * this.scale;
      if (this.laid) this.lay(g, left, top, w, h, dpr);
      else if (this.middle) {
        // Moved by half a repeat each way: what meets at the edges meets in the middle.
        g.save();
        g.beginPath();
        g.rect(left, top, w, h);
        g.clip();
        for (const [dx, dy] of [[-1, -1], [1, -1], [-1, 1], [1, 1]]) this.sheet?.draw(g, left + (dx * w) / 2, top + (dy * h) / 2, w, h, dpr, box);
        this.breaks(g, left, top, w, h);
        g.restore();
      } else this.sheet?.draw(g, left, top, w, h, dpr, box);
      if (this.heat) this.warm(g, left, top, w, h);
      if (this.other) this.wiped(g, left, top, h, dpr, box);
      g.strokeStyle = "rgb(255 255 255 / 0.7)";
      if (!this.laid || this.shape === "wall") g.strokeRect(Math.round(left) - 0.5, Math.round(top) - 0.5, Math.round(w) + 1, Math.round(h) + 1);
      if (this.grid && this.it.known && (!this.laid || this.shape === "wall")) this.lines(g, this.scale > 160 ? 0.1 : 1, left, top, wide, high);
      if (this.laid) person(g, this.shape === "wall" ? left + w * 0.5 : left + w + 0.6 * this.scale, top + h, this.scale, box.height);
      else {
        this.lattice(g, left, top, w, h);
        this.rule(g, left, top, w, h);
      }
      if (this.thing && this.it.known && !this.laid) outline(g, this.thing, box.width / 2, box.height / 2, this.scale);
      this.crosshair(g);
      const step = steps.find((s) => s * this.scale >= 34) ?? 10;
      this.unit = !this.it.known ? "" : step < 0.005 ? "mm" : step >= 1 ? "m" : "cm";
      const ink = getComputedStyle(document.documentElement);
      const colours = [ink.getPropertyValue("--card"), ink.getPropertyValue("--peat-soft")];
      this.ruler(size(across, box.width, 22, dpr), box.width, step, this.x, false, colours);
      this.ruler(size(down, 28, box.height, dpr), box.height, step, this.y, true, colours);
      const tex = this.map ? (this.scale * this.it.width * dpr) / this.map.w : 1;
      this.settle();
      this.zoomLine = tex >= 1 ? `${tex.toFixed(tex < 10 ? 1 : 0)} px a texel` : `${(1 / tex).toFixed(1)} texels a px`;
    },
  });
}
