// @ts-check
// What is done with several materials of the Library at once, and the page of collections.
import { call, fail, tell } from "./api.js";
import { ask } from "./ask.js";
import { island } from "./island.js";
import { parts } from "./parts.js";
import { chosen as picked, clear } from "./choosing.js";

export function chosen() {
  return island({
    count: 0,
    /** @type {any} */ root: null,

    init() {
      this.root = this.$root;
      addEventListener("chosen", () => this.changed());
    },
    get label() {
      return `${this.count} chosen`;
    },
    get few() {
      return this.count > 1 && this.count < 5;
    },
    get refs() {
      return picked().map((k) => `r${k.release}`).join(",");
    },
    get sheet() {
      return this.count ? `/sheet?of=${this.refs}` : "";
    },
    get compare() {
      return this.count ? `/compare?of=${this.refs}` : "";
    },
    async changed() {
      const first = this.count === 0 && picked().length > 0;
      this.count = picked().length;
      if (first) await this.fill();
    },
    /** Lists one's collections. */
    async fill() {
      const select = /** @type {HTMLSelectElement} */ (this.root.querySelector("[data-to]"));
      const { items } = await call("GET", "/api/v1/collections").catch(() => ({ items: [] }));
      const me = document.body.dataset.person;
      const own = items.filter((/** @type {any} */ k) => k.owner === me && !k.favourites).map((/** @type {any} */ k) => new Option(k.name, k.id));
      select.replaceChildren(new Option("collection…", ""), ...own, new Option("a new collection", "new"));
    },
    /** Puts what is chosen into a collection. */
    async keep() {
      const select = /** @type {HTMLSelectElement} */ (this.root.querySelector("[data-to]")), to = select.value;
      const items = picked().map((k) => Number(k.id));
      try {
        if (to === "new") {
          const k = await call("POST", "/api/v1/collections", { name: `Collection of ${new Date().toLocaleDateString("en-GB", { day: "numeric", month: "long" })}`, items });
          tell(`Kept ${k.count} in “${k.name}”.`, () => call("DELETE", `/api/v1/collections/${k.id}`, undefined, "*"), [{ word: "Open", key: "o", act: async () => location.assign("/collections") }]);
        } else if (to) {
          const k = await call("PATCH", `/api/v1/collections/${to}`, { add: items }, "*");
          tell(`Kept in “${k.name}”: ${k.count} materials.`, async () => {
            await call("PATCH", `/api/v1/collections/${to}`, { remove: items }, "*");
          });
        }
      } catch (x) {
        fail(x);
      }
      select.value = "";
      await this.fill();
    },
    pack() {
      dispatchEvent(new CustomEvent("pack", { detail: { address: `/api/v1/packs?of=${this.refs}`, title: this.count === 1 ? "Download 1 material" : `Download ${this.count} materials` } }));
    },
    /** Corrects the descriptions of what is chosen. @param {SubmitEvent} e */
    async describe(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target)), what = String(f.get("what")), text = String(f.get("value")).trim();
      if (!text) return;
      const list = text.split(",").map((w) => w.trim()).filter(Boolean), many = /tags|categories/.test(what);
      try {
        const { was } = await call("POST", "/api/v1/corrections", { releases: picked().map((k) => Number(k.release)), [what]: many ? list : text });
        tell(`Corrected ${picked().length}.`, async () => {
          await call("POST", "/api/v1/corrections", { restore: was });
        });
        /** @type {HTMLFormElement} */ (e.target).reset();
      } catch (x) {
        fail(x);
      }
    },
    none() {
      clear();
    },
  });
}

export function collections() {
  return island({
    show() {
      return parts("/collections", "kept");
    },
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.some((t) => t === "collections" || t === "library" || t === "searches")) this.show();
    },
    /** @param {Event} e */
    of(e) {
      return /** @type {HTMLElement} */ (/** @type {HTMLElement} */ (e.target).closest("[data-collection]")).dataset;
    },
    /** @param {Event} e @param {Record<string, unknown>} change */
    async change(e, change) {
      const { collection, version } = this.of(e);
      await call("PATCH", `/api/v1/collections/${collection}`, change, version).catch(fail);
      await this.show();
    },
    async add() {
      const name = await ask("Name of the collection");
      if (name) await call("POST", "/api/v1/collections", { name }).catch(fail);
      await this.show();
    },
    /** @param {Event} e */
    async rename(e) {
      const name = await ask("Name of the collection", /** @type {HTMLElement} */ (e.target).dataset.name);
      if (name) await this.change(e, { name });
    },
    /** @param {Event} e */
    async share(e) {
      await this.change(e, { shared: /** @type {HTMLElement} */ (e.target).dataset.shared !== "true" });
    },
    /** @param {Event} e */
    async recolour(e) {
      await this.change(e, { colour: /** @type {HTMLInputElement} */ (e.target).value });
    },
    /** @param {Event} e */
    async remove(e) {
      const { collection, version } = this.of(e), name = /** @type {HTMLElement} */ (e.target).dataset.name;
      try {
        const was = await call("GET", `/api/v1/collections/${collection}`);
        await call("DELETE", `/api/v1/collections/${collection}`, undefined, version);
        tell(`Removed “${name}”.`, async () => {
          await call("POST", "/api/v1/collections", was);
          await this.show();
        });
      } catch (x) {
        fail(x);
      }
      await this.show();
    },
    /** @param {Event} e */
    pack(e) {
      const { collection } = this.of(e), name = /** @type {HTMLElement} */ (e.target).dataset.name;
      dispatchEvent(new CustomEvent("pack", { detail: { address: `/api/v1/packs?collection=${collection}`, title: `Download “${name}”` } }));
    },
    pick() {
      /** @type {any} */ (this).$refs.file.click();
    },
    /** Reads an exported collection. @param {Event} e */
    async read(e) {
      const field = /** @type {HTMLInputElement} */ (e.target), file = field.files?.[0];
      field.value = "";
      if (!file) return;
      try {
        const k = await call("POST", "/api/v1/collections", JSON.parse(await file.text()));
        tell(`Imported “${k.name}”: ${k.count} materials.${k.missing?.length ? ` Not in this Library: ${k.missing.join(", ")}.` : ""}`);
      } catch (x) {
        fail(x instanceof SyntaxError ? `${file.name} is not JSON.` : x);
      }
      await this.show();
    },
    /** Nothing of a search is new once it is opened. @param {Event} e */
    look(e) {
      const id = /** @type {HTMLElement} */ (e.currentTarget).dataset.search;
      navigator.sendBeacon(`/api/v1/searches/seen?id=${id}`);
    },
    /** @param {Event} e */
    async forget(e) {
      await call("DELETE", `/api/v1/searches/${/** @type {HTMLElement} */ (e.currentTarget).dataset.search}`, undefined, "*").catch(fail);
      await this.show();
    },
  });
}
