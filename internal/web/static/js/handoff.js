// @ts-check
// The handoff sentence: its choices, what they cost, and taking.
import { island } from "./island.js";
import { call } from "./api.js";
import { figure } from "./figure.js";
import { keep } from "./packing.js";

export function handoff() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    bytes: "",
    memory: "",
    line: "",
    says: "",
    lost: "",
    note: "finds the smallest tier that is enough.",
    word: "Download",
    href: "",
    query: "",
    problem: "",
    busy: false,
    scanned: true,
    profileHref: "/profiles",
    listing: "",
    /** @type {{path: string, name: string, href: string, size: string}[]} */ files: [],

    init() {
      this.root = this.$root;
      for (const [name, key] of /** @type {const} */ ([["bytes", "bytes"], ["memory", "memory"], ["line", "line"], ["says", "says"], ["lost", "lost"]])) this[key] = this.root.querySelector(`[x-text=${name}]`).textContent;
      this.href = this.root.dataset.href;
      this.reckon();
    },

    /** @param {string} name @returns {HTMLSelectElement} */
    select(name) {
      return this.root.querySelector(`[data-${name}]`);
    },

    /** The form that is chosen. */
    get form() {
      const value = (/** @type {string} */ name) => this.select(name).value, profile = value("profile");
      const own = profile === "as_scanned" ? Object.entries({ normal: value("normal"), roughness: value("rough"), format: value("format") }).filter(([, v]) => v) : [];
      return /** @type {Record<string, string>} */ ({ tier: value("tier"), profile, ...Object.fromEntries(own) });
    },

    asked: 0,

    /**
     * Asks for the cost and address of what is chosen now. Of several questions only the last one's answer counts.
     * @param {number} [distance] of a camera, metres: the tier follows it
     */
    async reckon(distance) {
      const mine = ++this.asked, profile = this.select("profile").value;
      this.scanned = profile === "as_scanned";
      this.profileHref = `/profiles/${profile}`;
      const q = new URLSearchParams({ ...this.form, release: this.root.dataset.release });
      if (typeof distance === "number") q.set("distance_m", String(distance));
      try {
        const c = await call("GET", `/library/${this.root.dataset.slug}/cost?${q}`);
        if (mine !== this.asked) return;
        this.bytes = c.fetch;
        this.memory = c.memory;
        this.says = c.says;
        this.lost = c.lost;
        this.line = c.pixels.startsWith("0 ") ? "figures, no maps" : `${c.pixels} px, ${c.error}`;
        this.href = c.href;
        this.query = c.query;
        this.problem = "";
        if (c.note) {
          this.note = c.note;
          this.select("tier").value = c.tier;
        }
        if (this.root.querySelector("details")?.open) this.list();
      } catch (e) {
        if (mine === this.asked) this.problem = /** @type {Error} */ (e).message;
      }
    },

    /** Chooses the smallest tier that is enough for a camera at the distance that was typed. */
    async enough() {
      const input = /** @type {HTMLInputElement} */ (this.root.querySelector("[data-distance]"));
      if (!input.value.trim()) return;
      try {
        await this.reckon(await figure(input.value, "length"));
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      }
    },

    /** Waits until the files are made. Until then the server says how far it is. @param {string} href @param {(says: string) => void} tell */
    async made(href, tell) {
      for (;;) {
        const ready = await fetch(`${href}&wait=10`, { headers: { Range: "bytes=0-0" } });
        if (ready.status !== 202) {
          if (!ready.ok) throw new Error((await ready.json().catch(() => null))?.detail ?? `The server answered ${ready.status}.`);
          return ready;
        }
        const { done, of } = await ready.json();
        tell(`Making file ${Math.min(done + 1, of)} of ${of}…`);
        await new Promise((next) => setTimeout(next, 300));
      }
    },

    /** Lists the files of what is chosen, each with its address. */
    async list() {
      if (!this.root.querySelector("details")?.open) return;
      this.files = [];
      this.listing = "Making the files…";
      const href = this.href.replace("/handoff?", "/manifest?");
      try {
        const m = await (await this.made(href, (says) => (this.listing = says))).json();
        if (href !== this.href.replace("/handoff?", "/manifest?")) return;
        this.files = m.files.map((/** @type {any} */ f) => ({ path: f.path, name: f.path.split("/").pop(), href: f.href, size: `${(f.bytes / 1e6).toFixed(f.bytes > 1e6 ? 1 : 3)} MB` }));
        this.listing = "";
        this.bytes = `${(m.bytes / 1e6).toFixed(1)} MB`;
        this.line = this.line.replace(/file size.*/, "exact file size");
      } catch (e) {
        this.listing = /** @type {Error} */ (e).message;
      }
    },

    async take() {
      if (this.busy) return;
      this.busy = true;
      this.word = "Preparing…";
      this.problem = "";
      try {
        await this.reckon(); // what was chosen a moment ago is what is taken
        if (this.problem) return;
        const ready = await this.made(this.href, (says) => (this.word = says));
        keep(this.form);
        const size = Number((ready.headers.get("Content-Range") ?? "").split("/")[1]);
        if (size) this.line = `${(size / 1e6).toFixed(1)} MB, exact`;
        const a = document.createElement("a");
        a.href = this.href;
        a.download = "";
        document.body.append(a);
        a.click();
        a.remove();
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      } finally {
        this.busy = false;
        this.word = "Download";
      }
    },
  });
}
