// @ts-check
// The editor of handoff profiles: the page's fields as a document, tried on a material, saved.
import { call, fail, tell } from "./api.js";
import { island } from "./island.js";
import { named } from "./named.js";

export function profile() {
  return island({
    problem: "",
    busy: false,
    tried: false,
    folder: "",
    takes: "",
    /** @type {string[]} */ missing: [],
    /** @type {{name: string, line: string, pictures: {says: string, href: string}[]}[]} */ files: [],
    others: "",
    /** @type {any} */ root: null, // $root is lost to a method whose element was removed

    init() {
      this.root = this.$root;
      for (const row of this.root.querySelectorAll("[data-file]")) fits(row);
      this.kept = JSON.parse(this.field.value);
      this.was = JSON.stringify(this.document());
      addEventListener("beforeunload", (e) => this.leaving || JSON.stringify(this.document()) === this.was || e.preventDefault());
    },

    /** The document as it was opened: what no field stands for stays as it is. @type {any} */ kept: {},
    was: "", // what the fields stood for then
    leaving: false, // whether all has been saved
    /** Where the document is shown. @returns {HTMLTextAreaElement} */
    get field() {
      return this.root.querySelector("[data-document]");
    },

    /** The document that the fields stand for. */
    document() {
      /** @param {string} name */
      const value = (name) => /** @type {HTMLInputElement} */ (this.root.querySelector(`[name="${name}"]`)).value.trim();
      /** @param {string} name */
      const ticked = (name) => [...this.root.querySelectorAll(`[name="${name}"]:checked`)].map((e) => /** @type {HTMLInputElement} */ (e).value);
      const tiers = ticked("tiers"), all = this.root.querySelectorAll('[name="tiers"]').length;
      const { tiers: _, ...rest } = this.kept;
      return {
        ...rest, name: value("name"), purpose: value("purpose"), normal: value("normal"), workflow: value("workflow"), height: value("height"), figures: value("figures"), uv: value("uv"), pixels: value("pixels"),
        ...(tiers.length < all ? { tiers } : {}), names: value("names"), files: [...this.root.querySelectorAll("[data-file]")].map(fileOf), descriptions: ticked("descriptions"),
      };
    },

    /** Something was changed: the document follows, and so does what was tried. */
    /** @param {Event} e */
    changed(e) {
      const target = /** @type {HTMLElement} */ (e.target), row = target.closest("[data-file]");
      if (row) fits(row);
      this.problem = "";
      this.written();
      if (this.tried) return this.attempt();
    },
    /** The document as the fields have it now. */
    written() {
      this.field.value = JSON.stringify(this.document(), null, 2);
    },
    add() {
      const blank = /** @type {HTMLTemplateElement} */ (this.root.querySelector("[data-blank]"));
      const row = /** @type {HTMLElement} */ (/** @type {Element} */ (blank.content.firstElementChild).cloneNode(true));
      this.root.querySelector("[data-files]").append(row);
      fits(row);
      this.written();
      /** @type {HTMLElement} */ (row.querySelector("[data-word]")).focus();
    },
    /** @param {Event} e */
    drop(e) {
      const row = /** @type {HTMLElement} */ (e.target).closest("[data-file]");
      row?.remove();
      this.written();
      if (this.tried) return this.attempt();
    },

    asked: 0,
    /** Tries the profile on the material that is named. */
    async attempt() {
      const mine = ++this.asked;
      this.busy = true;
      this.problem = "";
      try {
        const name = /** @type {HTMLInputElement} */ (this.root.querySelector('[name="example"]')).value;
        const found = await named(name);
        if (!found) return;
        const tier = /** @type {HTMLSelectElement} */ (this.root.querySelector('[name="tier"]')).value;
        const t = await call("POST", `/api/v1/trials?release=${found.release_id}&tier=${tier}`, this.document());
        if (mine !== this.asked) return;
        this.folder = t.folder;
        this.takes = `of ${t.of}: ${t.fetch} to fetch, ${t.memory} of video memory`;
        this.missing = t.missing;
        this.files = t.files.map((/** @type {any} */ f) => ({ ...f, line: `${f.says} · ${f.bytes}${f.extra ? " · for the descriptions" : ""}` }));
        this.others = t.others.join("  ");
        this.tried = true;
      } catch (e) {
        if (mine === this.asked) this.problem = /** @type {Error} */ (e).message;
      } finally {
        if (mine === this.asked) this.busy = false;
      }
    },

    async copy() {
      try {
        const p = await call("POST", "/api/v1/profiles", this.document());
        this.leaving = true;
        location.assign(`/profiles/${p.id}`);
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      }
    },
    async save() {
      const { id, version } = this.root.dataset;
      try {
        await call("PUT", `/api/v1/profiles/${id}`, this.document(), version);
        this.leaving = true;
        location.reload();
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      }
    },
    async remove() {
      const { id, version } = this.root.dataset, was = this.document();
      try {
        await call("DELETE", `/api/v1/profiles/${id}`, undefined, version);
        tell("Removed. Handoffs that were made by it can still be taken.", async () => {
          const p = await call("POST", "/api/v1/profiles", was);
          location.assign(`/profiles/${p.id}`);
        });
      } catch (e) {
        fail(e);
      }
    },

    /** Saves the document that was typed or pasted as a profile of its own. */
    async saveDocument() {
      try {
        const p = await call("POST", "/api/v1/profiles", JSON.parse(this.field.value));
        this.leaving = true;
        location.assign(`/profiles/${p.id}`);
      } catch (e) {
        this.problem = e instanceof SyntaxError ? `This is not JSON: ${e.message}.` : /** @type {Error} */ (e).message;
      }
    },
  });
}

/**
 * A row as a file of the document.
 * @param {Element} row
 */
function fileOf(row) {
  /** @param {string} what */
  const value = (what) => /** @type {HTMLInputElement} */ (row.querySelector(`[data-${what}]`)).value.trim();
  const holds = [...row.querySelectorAll("[data-hold]")].map((e) => /** @type {HTMLSelectElement} */ (e).value).filter(Boolean).map((v) => JSON.parse(v));
  const quality = Number(value("quality"));
  return { holds, ...(value("word") ? { word: value("word") } : {}), format: value("format"), ...(packs(row) && value("packing") ? { compression: value("packing") } : {}), ...(value("format") === "jpeg" && quality ? { quality } : {}), ...(value("colour") ? { colour: value("colour") } : {}) };
}

/** Whether a row's format has a choice of compressions. @param {Element} row */
const packs = (row) => /tiff|exr/.test(/** @type {HTMLSelectElement} */ (row.querySelector("[data-format]")).value);

/**
 * Shows the fields that fit the row: packing of TIFF and EXR, quality of JPEG, and as many
 * components as there is room for.
 * @param {Element} row
 */
function fits(row) {
  const format = /** @type {HTMLSelectElement} */ (row.querySelector("[data-format]")).value;
  const packing = /** @type {HTMLSelectElement} */ (row.querySelector("[data-packing]"));
  packing.hidden = !packs(row);
  for (const o of packing.options) o.hidden = Boolean(o.value) && o.value !== "none" && (o.value === "deflate") !== format.startsWith("tiff");
  /** @type {HTMLElement} */ (row.querySelector("[data-quality]")).hidden = format !== "jpeg";
  let used = 0;
  for (const e of row.querySelectorAll("[data-hold]")) {
    const select = /** @type {HTMLSelectElement} */ (e);
    select.hidden = used >= 4 && !select.value || !select.value && select.previousElementSibling !== null && !(/** @type {HTMLSelectElement} */ (select.previousElementSibling).value);
    if (select.value) used += width(JSON.parse(select.value));
  }
}

/** How many components an option stands for. @param {{channel?: string, part?: string}} c */
const width = (c) => (!c.part && ["base_color", "emissive", "specular", "sheen", "normal"].includes(c.channel ?? "") ? 3 : 1);
