// @ts-check
// Downloading several materials at once: in which form is shown and asked first, as on a material's page.
import { call } from "./api.js";
import { island } from "./island.js";

/** @typedef {{address: string, title: string}} Pack address of the pack without its form */

/** Waits until a pack is made, and fetches it. @param {string} href @param {(says: string) => void} say */
async function fetchPack(href, say) {
  for (;;) {
    const ready = await fetch(`${href}&wait=10`, { headers: { Range: "bytes=0-0" } });
    if (ready.status !== 202) {
      if (!ready.ok) throw new Error((await ready.json().catch(() => null))?.detail ?? `The server answered ${ready.status}.`);
      break;
    }
    const { done, of } = await ready.json();
    say(`Making ${done + 1} of ${of}…`);
    await new Promise((next) => setTimeout(next, 300));
  }
  location.assign(href);
}

/** What somebody chose is what all pages begin with from now on. @param {Record<string, string>} choice */
export const keep = (choice) => call("PUT", "/api/v1/convention", { profile: "", tier: "", normal: "", roughness: "", format: "", ...choice }, "*").catch(() => null);

export function packing() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    title: "Download",
    word: "Download",
    address: "",
    profile: "as_scanned",
    tier: "source",
    normal: "y+",
    roughness: "roughness",
    format: "png",
    /** @type {{id: string, name: string}[]} */ profiles: [],
    busy: false,
    problem: "",

    init() {
      this.root = this.$root;
    },
    get scanned() {
      return this.profile === "as_scanned";
    },

    /** @param {CustomEvent<Pack>} e */
    async open(e) {
      Object.assign(this, { title: e.detail.title, address: e.detail.address, problem: "", word: "Download", busy: false });
      this.root.showModal();
      try {
        const [{ items }, { holds }] = await Promise.all([call("GET", "/api/v1/profiles"), call("GET", "/api/v1/convention")]);
        this.profiles = items.map((/** @type {any} */ k) => ({ id: k.id, name: k.document.name }));
        await this.$nextTick(); // the choices are there
        for (const name of /** @type {const} */ (["profile", "tier", "normal", "roughness", "format"])) if (holds[name]) this[name] = holds[name];
      } catch (x) {
        this.problem = /** @type {Error} */ (x).message;
      }
    },
    close() {
      this.root.close();
    },
    /** The form that is chosen. */
    get form() {
      const { profile, tier, normal, roughness, format } = this;
      return /** @type {Record<string, string>} */ ({ profile, tier, ...(this.scanned ? { normal, roughness, format } : {}) });
    },
    async fetch() {
      if (this.busy) return;
      this.busy = true;
      this.problem = "";
      try {
        await fetchPack(`${this.address}&${new URLSearchParams(this.form)}`, (says) => (this.word = says));
        keep(this.form);
        this.root.close();
      } catch (x) {
        this.problem = /** @type {Error} */ (x).message;
      }
      this.busy = false;
      this.word = "Download";
    },
  });
}
