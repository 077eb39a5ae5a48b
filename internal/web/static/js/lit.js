// @ts-check
// The Lit lens: a material on a shape of a real size, under light. Drag turns the shape and nothing
// else; where the light comes from stands on rulers of degrees. What it shows is in the address.
import { fail } from "./api.js";
import { bearings } from "./bearing.js";
import { figure } from "./figure.js";
import { keys } from "./keys.js";
import { keeping } from "./keeping.js";
import { loading } from "./loading.js";
import { litPart } from "./part.js";
import { stills } from "./still.js";
import { turning } from "./turning.js";

/** The steps of true scale. */
const sizes = [0.1, 0.25, 0.5, 1, 2, 4];

/** What the view is when the address says nothing. */
const neutral = { shape: "ball", size: 1, yaw: 0, pitch: 8, zoom: 1, panX: 0, panY: 0, turn: 0, tilt: 0, strength: 1, exposure: 0, tone: true, background: "mat", relief: true, plaster: false, channel: "", drift: 0 };

/** The words of the address. */
const words = /** @type {Record<string, string>} */ ({ shape: "on", size: "size", yaw: "yaw", pitch: "pitch", zoom: "zoom", panX: "px", panY: "py", turn: "turn", tilt: "tilt", exposure: "ev", background: "bg", plaster: "plaster", relief: "relief", channel: "channel" });

/** @returns {Lit} */
export function lit() {
  /** @type {any} */ const it = {};
  for (const part of [seeing(), loading(), turning(), bearings(), keeping(), stills()]) Object.defineProperties(it, Object.getOwnPropertyDescriptors(part));
  return it;
}

function seeing() {
  return litPart({
    /** @type {any} */ root: null,
    on: false,
    view: { ...neutral },
    env: "moor",
    /** @type {Prop[]} */ lights: [],
    /** @type {Prop[]} */ meshes: [],
    /** @type {Prop[]} */ drops: [], // pictures to stand behind
    part: 0, // of the pictures at rest that have been drawn
    wanted: 0, // animation frame
    pixels: 1, // of the canvas to one of the screen, while something moves
    writing: 0, // timer of the address

    init() {
      this.root = this.$root;
      this.root.lens = this; // for scripts that drive the page
      Object.assign(this, JSON.parse(this.root.dataset.props ?? "{}"));
      this.natural = Number(this.root.dataset.natural) || 1;
      this.view.size = this.natural;
      this.readAddress();
      addEventListener("look", (e) => this.look(/** @type {CustomEvent} */ (e).detail === "lit"));
      this.root.addEventListener("relit", (/** @type {CustomEvent} */ e) => this.relight(e.detail));
      this.root.addEventListener("figured", (/** @type {CustomEvent} */ e) => this.shade(e.detail, true));
      new ResizeObserver(() => (this.again(), this.finer())).observe(this.$refs.mat);
      addEventListener("room", () => this.rule());
      this.keys();
      if (new URLSearchParams(location.search).get("lens") === "lit") this.look(true);
    },

    natural: 1,

    keys() {
      const when = (/** @type {() => unknown} */ act) => () => (this.on ? (act(), true) : false);
      const size = (/** @type {number} */ by) => when(() => this.resize(by));
      keys("Lit lens", [
        { key: ",", says: "light from further left", run: when(() => this.turnLight(-5, 0)), scope: "lit" },
        { key: ".", says: "light from further right", run: when(() => this.turnLight(5, 0)), scope: "lit" },
        { key: "<", says: "light lower", run: when(() => this.turnLight(0, -5)), scope: "lit" },
        { key: ">", says: "light higher", run: when(() => this.turnLight(0, 5)), scope: "lit" },
        { key: "[", says: "smaller shape", run: size(-1), scope: "lit" },
        { key: "]", says: "larger shape", run: size(1), scope: "lit" },
        { key: "e", says: "next environment", run: when(() => this.nextLight()), scope: "lit" },
        { key: "s", says: "next shape", run: when(() => this.nextShape()), scope: "lit" },
        { key: "p", says: "plaster", run: when(() => this.toggle("plaster")), scope: "lit" },
        { key: "r", says: "relief", run: when(() => this.toggle("relief")), scope: "lit" },
        { key: "(", says: "darker by half a stop", run: when(() => this.set({ exposure: this.view.exposure - 0.5 })), scope: "lit" },
        { key: ")", says: "brighter by half a stop", run: when(() => this.set({ exposure: this.view.exposure + 0.5 })), scope: "lit" },
        { key: "0", says: "frame the shape", run: when(() => this.frame()), scope: "lit" },
      ]);
    },

    /** @param {boolean} on */
    async look(on) {
      if (on === this.on) return;
      this.on = on;
      this.root.hidden = !on;
      document.getElementById("lens")?.toggleAttribute("hidden", on);
      if (on) {
        dispatchEvent(new CustomEvent("lens", { detail: "lit" }));
        this.writeAddress();
        await this.begin();
      } else {
        this.loading?.abort();
        if (!document.querySelector("[x-data=lens]")) dispatchEvent(new CustomEvent("lens", { detail: "flat" }));
      }
    },

    /** Metres that a pixel of the page covers, at the distance of the shape's middle. */
    perPixel() {
      const box = this.$refs.mat.getBoundingClientRect();
      const stage = this.stage;
      const drawing = this.drawing;
      if (!stage?.surface || !drawing) return this.view.size / Math.max(1, Math.min(box.width, box.height));
      const mesh = this.mesh, radius = mesh ? ((mesh.radius_m ?? 0.5) * this.view.size) / (mesh.size_m ?? 1) : 0;
      return drawing.cameraOf(this.view, drawing.relief(stage.surface), box.width, box.height, radius).metres;
    },

    /** @param {Partial<typeof neutral>} change */
    set(change) {
      Object.assign(this.view, change);
      this.view.zoom = Math.max(0.2, Math.min(40, this.view.zoom));
      this.view.exposure = Math.max(-12, Math.min(12, this.view.exposure));
      clearTimeout(this.writing); // not at every step of the hand
      this.writing = setTimeout(() => (this.writeAddress(), this.finer()), 100);
      this.dress();
      this.again(true);
    },
    /** @param {"plaster" | "relief" | "tone"} what */
    toggle(what) {
      this.set({ [what]: !this.view[what] });
    },
    togglePlaster() { this.toggle("plaster"); },
    toggleRelief() { this.toggle("relief"); },
    toggleTone() { this.toggle("tone"); },
    frame() {
      this.set({ zoom: 1, panX: 0, panY: 0, yaw: 0, pitch: 8 });
    },
    /** @param {number} by */
    resize(by) {
      const at = sizes.findIndex((s) => s >= this.view.size - 1e-6), i = at < 0 ? sizes.length - 1 : at;
      this.set({ size: sizes[Math.max(0, Math.min(sizes.length - 1, i + by))] });
    },
    smaller() { this.resize(-1); },
    larger() { this.resize(1); },
    /** @param {Event} e */
    async typeSize(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget);
      try {
        this.set({ size: Math.max(0.001, Math.min(1000, await figure(field.value, "length"))) });
      } catch (x) {
        fail(/** @type {Error} */ (x));
      }
    },
    /** @param {Event} e */
    chooseShape(e) {
      this.takeShape(/** @type {HTMLElement} */ (e.currentTarget).dataset.shape ?? "ball");
    },
    nextShape() {
      const list = ["ball", "slab", "block", "column", "drape", "swatch"];
      this.takeShape(list[(list.indexOf(this.view.shape) + 1) % list.length]);
    },
    /** @param {Event} e */
    chooseLight(e) {
      return this.takeLight(/** @type {HTMLElement} */ (e.currentTarget).dataset.env ?? "moor");
    },
    nextLight() {
      const i = this.lights.findIndex((/** @type {{id: string}} */ l) => l.id === this.env);
      return this.takeLight(this.lights[(i + 1) % this.lights.length].id);
    },
    chooseChannel() { this.set({}); },
    changed() { this.set({ exposure: Number(this.view.exposure) || 0 }); },

    get lightLine() {
      return (this.lights.find((/** @type {{id: string}} */ l) => l.id === this.env)?.title ?? "Own light").toLowerCase() + (this.view.turn ? `, turned ${Math.round(this.view.turn)}°` : "") + (this.view.tilt ? `, ${this.view.tilt > 0 ? "raised" : "lowered"} ${Math.abs(Math.round(this.view.tilt))}°` : "");
    },
    get shapeLine() {
      const size = this.view.size, m = (/** @type {number} */ v) => (v < 0.1 ? `${Math.round(v * 1000)} mm` : `${v.toFixed(2)} m`);
      const says = /** @type {Record<string, string>} */ ({ ball: `ball ⌀ ${m(size)}`, slab: `slab ${m(size)} a side`, block: `block ${m(size)} a side`, column: `column ⌀ ${m(size / 2)}, ${m(size)} high`, drape: `drape ${m(size)} × ${m(size * 1.1)}`, swatch: `swatch ${m(size)} across` });
      const s = this.seen ? this.stage?.surface : null, h = s && this.drawing ? this.drawing.relief(s) : null, deep = h ? (h.top - h.bottom) * 1000 : 0;
      return `${says[this.view.shape] ?? `${this.mesh?.title ?? "mesh"} ${m(size)}`}${deep > 0.002 ? `   relief ${deep.toFixed(1)} mm, ${this.view.relief ? "true" : "off"}` : ""}`;
    },
    get missing() {
      const s = this.seen ? this.stage?.surface : null, has = s && this.drawing?.known(s);
      if (!has) return "";
      const lacks = [["base_color", "base colour"], ["roughness", "roughness"], ["normal", "normals"]].filter(([id]) => !has.includes(id)).map(([, says]) => says);
      return lacks.length && !this.view.channel ? `No ${lacks.join(", no ")}: neutral instead` : "";
    },
    /** @param {string} id */
    thumb(id) { return `/light/${id}/thumb.png`; },
    get sizeText() { return this.view.size < 0.1 ? `${Math.round(this.view.size * 1000)} mm` : `${this.view.size.toFixed(2)} m`; },

    readAddress() {
      const q = new URLSearchParams(location.search), v = /** @type {Record<string, any>} */ (this.view);
      for (const [k, word] of Object.entries(words)) {
        const text = q.get(word);
        if (text === null || q.get("lens") !== "lit") continue;
        v[k] = typeof v[k] === "number" ? Number(text) || 0 : typeof v[k] === "boolean" ? text === "1" : text;
      }
      this.view.zoom ||= 1;
      this.view.size ||= this.natural;
      this.env = (q.get("lens") === "lit" && q.get("env")) || "moor";
    },
    writeAddress() {
      if (!this.on) return;
      const url = new URL(location.href), v = /** @type {Record<string, any>} */ (this.view), plain = /** @type {Record<string, any>} */ ({ ...neutral, size: this.natural });
      url.searchParams.set("lens", "lit");
      for (const [k, word] of Object.entries(words)) {
        if (v[k] === plain[k]) url.searchParams.delete(word);
        else url.searchParams.set(word, typeof v[k] === "boolean" ? String(Number(v[k])) : typeof v[k] === "number" ? String(Math.round(v[k] * 1000) / 1000) : v[k]);
      }
      if (this.env === "moor") url.searchParams.delete("env");
      else url.searchParams.set("env", this.env);
      history.replaceState(null, "", url);
    },
  });
}
