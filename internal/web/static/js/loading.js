// @ts-check
// What the Lit lens draws with: a material's maps and figures, the light, the tables, a backdrop. Small maps come
// first, larger ones as far as the screen can show them.
import { fail } from "./api.js";
import { litPart } from "./part.js";

/** A part of the Lit lens. */
export function loading() {
  return litPart({
    /** @type {import("./lit/stage.js").Stage | null} */ stage: null,
    /** @type {typeof import("./lit/stage.js") | null} */ drawing: null,
    /** @type {typeof import("./lit/packs.js") | null} */ packs: null,
    /** @type {import("./lit/figures.js").Look | null} what the maps are shaded with */ figures: null,
    problem: "",
    seen: 0, // how often something to draw with has come: what is said of it depends on it
    sharp: 0, // pixels of the maps that are there
    /** @type {AbortController | null} */ loading: null,

    /** Gets what there is to draw with. */
    async begin() {
      this.rule();
      this.loading?.abort();
      const { signal } = (this.loading = new AbortController());
      this.problem = "";
      if (this.still) return this.drawStill();
      try {
        [this.drawing, this.packs] = await Promise.all([import("./lit/stage.js"), import("./lit/packs.js")]);
        if (!this.stage && !this.raise()) return this.drawStill();
        const { packs, stage } = this;
        if (!packs || !stage) return;
        const small = packs.maps(this.packURL(256), 256, signal), light = packs.light(this.lightURL(), signal);
        if (!stage.table) stage.tables(await packs.tables());
        this.takeUp(await small, await light);
        await this.sharpen(signal);
      } catch (e) {
        if (/** @type {Error} */ (e).name !== "AbortError") this.problem = /** @type {Error} */ (e).message;
      }
    },

    /** Sets the stage up; false where there is no WebGL: then the server draws. */
    raise() {
      if (!this.drawing) return false;
      const { Stage } = this.drawing, view = this.$refs.view;
      try {
        this.stage = new Stage(view);
      } catch {
        this.still = true;
        return false;
      }
      view.addEventListener("webglcontextlost", (/** @type {Event} */ e) => (e.preventDefault(), this.root.removeAttribute("data-settled")));
      view.addEventListener("webglcontextrestored", () => { // nothing of the old one is left
        this.stage = new Stage(view);
        this.sharp = 0;
        if (this.on) this.begin();
      });
      return true;
    },

    /** @param {import("./lit/packs.js").Maps | null} maps @param {import("./lit/packs.js").Light | null} light */
    takeUp(maps, light) {
      const { stage } = this;
      if (!stage) return;
      this.seen++;
      this.dress();
      if (maps) {
        stage.free(stage.surface);
        stage.surface = stage.load(maps, this.figures ?? JSON.parse(this.root.dataset.look));
        this.sharp = maps.px;
        if (this.view.channel && !this.drawing?.known(stage.surface).includes(this.view.channel)) this.view.channel = "";
      }
      if (light) stage.lit(light);
      this.again();
    },

    /** What is seen has become larger: larger maps may be wanted. */
    finer() {
      if (this.loading && !this.still) this.sharpen(this.loading.signal).catch((/** @type {Error} */ e) => e.name === "AbortError" || fail(e));
    },
    /** @type {AbortSignal | null} of the maps that are on their way */ sharpening: null,

    /** Takes larger maps, up to what the screen can show. @param {AbortSignal} signal */
    async sharpen(signal) {
      if (this.sharpening === signal) return;
      this.sharpening = signal;
      try {
        await this.takeLarger(signal);
      } finally {
        if (this.sharpening === signal) this.sharpening = null;
      }
    },
    /** @param {AbortSignal} signal */
    async takeLarger(signal) {
      for (const px of [1024, 2048, 4096]) {
        const s = this.stage?.surface;
        if (!s || !this.packs || px <= this.sharp || s.head.w < this.sharp && s.head.h < this.sharp) continue;
        const seen = (Math.max(...s.look.size) / this.perPixel()) * (devicePixelRatio || 1);
        if (px / 2 >= seen) break;
        this.takeUp(await this.packs.maps(this.packURL(px), px, signal), null);
      }
    },

    coming: "", // the light that is on its way: until it is there, what is drawn is not what was asked for
    /** @param {string} id */
    async takeLight(id) {
      this.env = this.coming = id;
      this.root.removeAttribute("data-settled");
      this.writeAddress();
      try {
        const light = this.still ? null : await this.packs?.light(this.lightURL());
        if (this.env !== id) return;
        this.coming = "";
        if (light) this.takeUp(null, light);
        else this.again();
      } catch (e) {
        if (this.env === id) this.coming = "";
        fail(/** @type {Error} */ (e));
      }
    },

    /** Notes that all is drawn as it was asked for. */
    settle() {
      if (!this.coming) this.root.setAttribute("data-settled", String(this.sharp));
    },

    packURL(/** @type {number} */ px) {
      return `${this.root.dataset.surface}&px=${px}`;
    },
    lightURL() {
      return `/light/${this.env}/light.bin`;
    },

    /** Shades the maps that are there with other figures. @param {import("./lit/figures.js").Look | null} look null: as the page has them @param {boolean} [moving] the hand moves them */
    shade(look, moving) {
      this.figures = look;
      this.seen++;
      const s = this.stage?.surface;
      if (s) s.look = look ?? JSON.parse(this.root.dataset.look);
      if (s || !moving) this.again(moving);
    },

    /** The material looks otherwise now. @param {{surface: string, look: string}} now */
    relight(now) {
      const other = now.surface !== this.root.dataset.surface;
      if (!other && now.look === this.root.dataset.look) return;
      this.root.dataset.surface = now.surface;
      this.root.dataset.look = now.look;
      this.shade(null);
      if (!other) return;
      this.sharp = 0;
      if (this.on) this.begin();
    },

    /** Gets the backdrop that the view names. */
    async dress() {
      const id = this.view.background, { stage } = this;
      if (!stage || !id.startsWith("own-") || stage.backingOf === id) return;
      stage.backingOf = id;
      try {
        const answer = await fetch(`/backdrops/${id}/picture.png`);
        if (!answer.ok) throw new Error((await answer.json().catch(() => null))?.detail ?? "The backdrop could not be read.");
        stage.back(await createImageBitmap(await answer.blob()));
        this.again();
      } catch (x) {
        fail(/** @type {Error} */ (x));
      }
    },
  });
}
