// @ts-check
// Plain finishes: a kind is chosen, colours are pasted, and each becomes a material.
import { call, fail } from "./api.js";
import { island } from "./island.js";

export function finishes() {
  return island({
    /** @type {any} */ root: null,
    query: "",
    kind: "",
    title: "Choose a kind",
    source: "",
    coloured: false,
    name: "",
    colours: "",
    /** @type {string[]} */ chips: [],
    problem: "",
    busy: false,
    /** @type {{name: string, href: string}[]} */ made: [],

    init() {
      this.root = this.$root;
    },

    /** Shows the kinds whose names have what was typed. */
    narrow() {
      const q = this.query.trim().toLowerCase();
      for (const k of this.root.querySelectorAll("[data-kind]")) k.hidden = !k.dataset.title.toLowerCase().includes(q);
      for (const g of this.root.querySelectorAll("[data-group]")) g.hidden = !g.querySelector("[data-kind]:not([hidden])");
    },

    /** @param {Event} e */
    choose(e) {
      const b = /** @type {HTMLElement} */ (e.currentTarget), d = b.dataset;
      this.kind = d.kind ?? "";
      this.title = b.querySelector("b")?.textContent ?? "";
      this.source = d.source ?? "";
      this.coloured = d.colour === "true";
      this.problem = "";
    },

    counting: 0,
    /** The colours that are typed, as the server reads them. */
    count() {
      clearTimeout(this.counting);
      this.counting = window.setTimeout(async () => {
        const text = this.colours;
        const answer = await call("POST", "/api/v1/finishes", { kind: this.kind, colours: text, dry_run: true }).catch(() => null); // said when they are made
        if (text === this.colours) this.chips = answer?.colours.map((/** @type {{hex: string}} */ k) => k.hex) ?? [];
      }, 120);
    },
    get doing() {
      return this.coloured && this.chips.length > 1 ? `Make ${this.chips.length} finishes` : "Make finish";
    },
    get madeLine() {
      return this.made.length === 1 ? "One material is on the Bench" : `${this.made.length} materials are on the Bench`;
    },

    pick() { this.$refs.file.click(); },
    /** @param {Event} e */
    async load(e) {
      const file = /** @type {HTMLInputElement} */ (e.currentTarget).files?.[0];
      if (!file) return;
      this.colours = (await file.text()).trim();
      this.count();
    },

    async make() {
      this.busy = true;
      this.problem = "";
      try {
        const answer = await call("POST", "/api/v1/finishes", { kind: this.kind, name: this.name.trim(), colours: this.coloured ? this.colours : "" });
        this.made = answer.items;
      } catch (x) {
        this.problem = /** @type {Error} */ (x).message;
        if (!this.problem) fail(/** @type {Error} */ (x));
      } finally {
        this.busy = false;
      }
    },
  });
}
