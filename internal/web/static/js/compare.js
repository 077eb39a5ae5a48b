// @ts-check
// Two to four looks under one light, at one real scale, seen by one camera: side by side, wiped, flickering,
// or as their difference.
import { fail } from "./api.js";
import { island } from "./island.js";
import { difference, lab } from "./likeness.js";

const words = /** @type {Record<string, string>} */ ({ shape: "on", yaw: "yaw", pitch: "pitch", zoom: "zoom", turn: "turn", plaster: "plaster", channel: "channel" });

export function compare() {
  return island({
    /** @type {any} */ root: null,
    way: "side",
    at: "50",
    env: "moor",
    /** @type {{id: string, title: string}[]} */ lights: [],
    /** @type {any} */ view: { shape: "ball", size: 1, yaw: 0, pitch: 8, zoom: 1, panX: 0, panY: 0, turn: 0, tilt: 0, strength: 1, exposure: 0, tone: true, background: "#777777", relief: true, plaster: false, channel: "", drift: 0, room: 0 },
    /** @type {{Name: string, What: string, Surface: string, Look: import("./lit/figures.js").Look, Px: number}[]} */ looks: [],
    /** @type {import("./lit/stage.js").Stage | null} */ stage: null,
    /** @type {typeof import("./lit/packs.js") | null} */ packs: null,
    /** @type {import("./lit/stage.js").Surface[]} */ surfaces: [],
    /** @type {any} */ held: null,
    /** @type {HTMLCanvasElement[]} */ pictures: [],
    /** @type {HTMLCanvasElement[]} */ own: [], // where pictures are kept that are put into one
    wanted: 0,
    writing: 0, // until the address says what is shown
    timer: 0,
    turnOf: 0,
    problem: "",
    says: "",
    scaleLine: "",

    async init() {
      this.root = this.$root;
      this.root.compare = this; // for scripts that drive the page
      this.looks = JSON.parse(this.root.dataset.looks);
      this.lights = JSON.parse(this.root.dataset.props).lights;
      this.view.size = Number(this.root.dataset.natural) || 1;
      const q = new URLSearchParams(location.search);
      for (const [k, word] of Object.entries(words)) {
        const text = q.get(word);
        if (text !== null) this.view[k] = typeof this.view[k] === "number" ? Number(text) || 0 : typeof this.view[k] === "boolean" ? text === "1" : text;
      }
      this.view.zoom ||= 1;
      this.env = q.get("env") ?? "moor";
      if (this.looks.length > 1) this.way = q.get("way") ?? "side";
      new ResizeObserver(() => this.again()).observe(this.$refs.mats);
      await this.load();
    },

    /** Sets the stage up and gets what there is to draw with. */
    async load() {
      try {
        const [{ Stage, relief }, packs] = await Promise.all([import("./lit/stage.js"), import("./lit/packs.js")]);
        this.packs = packs;
        const canvas = new OffscreenCanvas(1, 1); // nothing waits for it to be shown
        const stage = (this.stage = new Stage(canvas));
        canvas.addEventListener("webglcontextlost", () => {
          this.stage = null;
          this.surfaces = [];
          this.load(); // on a new canvas
        });
        const [values, light] = await Promise.all([packs.tables(), packs.light(this.lightURL())]);
        stage.tables(values);
        stage.lit(light);
        for (const px of [256, 1024, 2048]) {
          const want = this.looks.map((k, i) => (px <= Math.max(k.Px, 256) && (px <= 1024 || this.surfaces[i]?.head.w >= 1024) ? packs.maps(`${k.Surface}&px=${px}`, px) : null));
          const had = this.surfaces, got = await Promise.all(want);
          this.surfaces = got.map((maps, i) => {
            if (!maps) return had[i];
            stage.free(had[i]);
            return Object.assign(stage.load(maps, this.looks[i].Look), { __v_skip: true });
          });
          this.view.room = Math.max(...this.surfaces.map((s) => relief(s).top));
          this.again();
        }
        this.root.setAttribute("data-ready", "");
      } catch (x) {
        this.problem = this.stage ? /** @type {Error} */ (x).message : "This browser has no WebGL: the figures below are what can be compared.";
      }
    },

    lightURL() { return `/light/${this.env}/light.bin`; },
    /** @param {string} id */
    thumb(id) { return `/light/${id}/thumb.png`; },

    again() {
      this.root.removeAttribute("data-settled");
      clearTimeout(this.wanted);
      this.wanted = window.setTimeout(() => this.paint(), 10);
    },

    paint() {
      const { stage } = this;
      if (!stage?.light || this.surfaces.length !== this.looks.length) return;
      const single = this.way !== "side", dpr = devicePixelRatio || 1;
      const frames = /** @type {HTMLCanvasElement[]} */ ([...this.root.querySelectorAll("[data-look] canvas")]);
      const place = single ? this.$refs.whole : frames[0];
      const w = Math.round(place.clientWidth * dpr), h = Math.round(place.clientHeight * dpr);
      if (!w || !h) return;
      const draw = (/** @type {number} */ i, /** @type {boolean} */ fast) => {
        stage.surface = this.surfaces[i];
        const began = performance.now();
        let places = stage.places;
        for (let k = 0; k < (fast ? 1 : places); k++) {
          stage.draw(this.view, w, h, fast ? -1 : k);
          stage.wait();
          if (k === 0 && performance.now() - began > 120) places = 1; // without a graphics card, fewer do
        }
        const to = (this.pictures[i] = single ? (this.own[i] ??= document.createElement("canvas")) : frames[i]);
        to.width = w;
        to.height = h;
        to.getContext("2d", { willReadFrequently: true })?.drawImage(stage.canvas, 0, 0);
      };
      this.scaleLine = `${this.view.shape} of ${this.view.size} m, ${this.lights.find((/** @type {{id: string}} */ l) => l.id === this.env)?.title.toLowerCase() ?? "own light"}`;
      this.pictures = [];
      this.surfaces.forEach((_, i) => draw(i, true));
      if (single) this.compose(w, h);
      if (this.held) return;
      // Then each in full, one a frame.
      const rest = (/** @type {number} */ i) => {
        if (i < this.surfaces.length) {
          draw(i, false);
          this.wanted = window.setTimeout(() => rest(i + 1), 0);
          return;
        }
        if (single) this.compose(w, h);
        this.root.setAttribute("data-settled", "");
      };
      this.wanted = window.setTimeout(() => rest(0), 0);
    },

    /** Puts two pictures into one. @param {number} w @param {number} h */
    compose(w, h) {
      const [a, b] = this.pictures, c = this.$refs.whole, name = (/** @type {number} */ i) => `${this.looks[i].Name}, ${this.looks[i].What}`;
      c.width = w;
      c.height = h;
      const g = /** @type {CanvasRenderingContext2D} */ (c.getContext("2d", { willReadFrequently: true }));
      clearInterval(this.timer);
      if (this.way === "wipe") {
        const x = (Number(this.at) / 100) * w;
        g.drawImage(a, 0, 0);
        g.drawImage(b, x, 0, w - x, h, x, 0, w - x, h);
        g.fillStyle = "#fff";
        g.fillRect(Math.round(x), 0, 1, h);
        this.says = `${name(0)}  |  ${name(1)}`;
      } else if (this.way === "flicker") {
        const show = () => {
          this.turnOf = (this.turnOf + 1) % this.pictures.length;
          g.drawImage(this.pictures[this.turnOf], 0, 0);
          this.says = name(this.turnOf);
        };
        show();
        this.flick = show;
        if (matchMedia("(prefers-reduced-motion: reduce)").matches) this.says += ". Space shows the other";
        else this.timer = window.setInterval(show, 700);
      } else this.heat(g, a, b, w, h);
    },

    /** Shows the next picture of a flicker. @type {(() => void) | null} */ flick: null,

    /** The difference of two pictures: from grey (none) to bright at ΔE 20. @param {CanvasRenderingContext2D} g @param {HTMLCanvasElement} a @param {HTMLCanvasElement} b @param {number} w @param {number} h */
    heat(g, a, b, w, h) {
      const name = (/** @type {number} */ i) => `${this.looks[i].Name}, ${this.looks[i].What}`;
      const read = (/** @type {HTMLCanvasElement} */ c) => /** @type {CanvasRenderingContext2D} */ (c.getContext("2d", { willReadFrequently: true })).getImageData(0, 0, w, h).data;
      const [p, q] = [read(a), read(b)], out = g.createImageData(w, h);
      let [sum, most, count] = [0, 0, 0];
      for (let i = 0; i < p.length; i += 4) {
        const same = p[i] === q[i] && p[i + 1] === q[i + 1] && p[i + 2] === q[i + 2];
        const d = same ? 0 : difference(lab(p[i], p[i + 1], p[i + 2]), lab(q[i], q[i + 1], q[i + 2]));
        if (!(p[i] === 119 && p[i + 1] === 119 && same)) {
          sum += d;
          count++;
        }
        most = Math.max(most, d);
        const t = Math.min(1, d / 20), grey = 40 + 0.25 * (0.3 * p[i] + 0.6 * p[i + 1] + 0.1 * p[i + 2]);
        out.data.set([grey + (255 - grey) * Math.min(1, t * 1.6), grey + (200 - grey) * Math.max(0, t * 1.8 - 0.5), grey + (90 - grey) * Math.max(0, t * 3 - 2), 255], i);
      }
      g.putImageData(out, 0, 0);
      this.says = `ΔE ${(sum / Math.max(count, 1)).toFixed(1)} in the mean, ${most.toFixed(1)} at most (brightest: 20): ${name(0)} against ${name(1)}`;
    },

    set(/** @type {any} */ change) {
      Object.assign(this.view, change);
      this.view.zoom = Math.max(0.2, Math.min(40, this.view.zoom));
      const url = new URL(location.href);
      for (const [k, word] of Object.entries(words)) url.searchParams.set(word, typeof this.view[k] === "boolean" ? String(Number(this.view[k])) : String(typeof this.view[k] === "number" ? Math.round(this.view[k] * 1000) / 1000 : this.view[k]));
      url.searchParams.set("env", this.env);
      url.searchParams.set("way", this.way);
      clearTimeout(this.writing); // a browser takes only so many addresses
      if (!this.held) this.writing = window.setTimeout(() => history.replaceState(null, "", url), 250);
      this.again();
    },
    changed() { this.set({}); },
    togglePlaster() { this.set({ plaster: !this.view.plaster }); },
    /** @param {Event} e */
    chooseWay(e) {
      clearInterval(this.timer);
      this.way = /** @type {HTMLElement} */ (e.currentTarget).dataset.way ?? "side";
      this.set({});
    },
    /** @param {Event} e */
    chooseShape(e) { this.set({ shape: /** @type {HTMLElement} */ (e.currentTarget).dataset.shape }); },
    /** @param {Event} e */
    async chooseLight(e) {
      this.env = /** @type {HTMLElement} */ (e.currentTarget).dataset.env ?? "moor";
      const { env } = this, light = await this.packs?.light(this.lightURL()).catch((/** @type {Error} */ x) => fail(x));
      if (light && env === this.env) this.stage?.lit(light);
      this.set({});
    },
    /** @param {PointerEvent} e */
    grab(e) {
      this.$refs.mats.setPointerCapture(e.pointerId);
      this.held = { x: e.clientX, y: e.clientY, yaw: this.view.yaw, pitch: this.view.pitch };
    },
    /** @param {PointerEvent} e */
    drag(e) {
      if (!this.held) return;
      this.set({ yaw: this.held.yaw + (e.clientX - this.held.x) * 0.4, pitch: Math.max(-90, Math.min(90, this.held.pitch + (e.clientY - this.held.y) * 0.4)) });
    },
    drop() {
      this.held = null;
      this.set({});
    },
    /** @param {WheelEvent} e */
    wheel(e) { this.set({ zoom: this.view.zoom * Math.exp(-e.deltaY * 0.0015) }); },
    /** @param {KeyboardEvent} e */
    key(e) {
      if (e.key === " " && this.way === "flicker" && this.flick) {
        e.preventDefault();
        return this.flick();
      }
      const v = this.view, move = /** @type {Record<string, any>} */ ({ ArrowLeft: { yaw: v.yaw - 5 }, ArrowRight: { yaw: v.yaw + 5 }, ArrowUp: { pitch: Math.max(-90, v.pitch - 5) }, ArrowDown: { pitch: Math.min(90, v.pitch + 5) }, "+": { zoom: v.zoom * 1.25 }, "-": { zoom: v.zoom / 1.25 }, ",": { turn: v.turn - 5 }, ".": { turn: v.turn + 5 } })[e.key];
      if (!move || e.ctrlKey || e.metaKey) return;
      e.preventDefault();
      this.set(move);
    },
  });
}
