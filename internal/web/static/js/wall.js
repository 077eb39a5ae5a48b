// @ts-check
// The Library's wall: search as you type, filters and extents without loading the
// page anew. Every state is in the address.
import { call, fail, tell } from "./api.js";
import { ask } from "./ask.js";
import { figure } from "./figure.js";
import { keys } from "./keys.js";
import { parts } from "./parts.js";

export function wall() {
  return {
    timer: 0,

    init() {
      keys("Library", [
        { key: "[", says: "less of each material", run: () => this.step(-1) },
        { key: "]", says: "more of each material", run: () => this.step(1) },
      ]);
      const field = /** @type {HTMLInputElement | null} */ (document.querySelector("[data-find]"));
      field?.addEventListener("input", () => {
        clearTimeout(this.timer);
        this.timer = window.setTimeout(() => {
          const url = new URL(location.href);
          if (field.value.trim()) url.searchParams.set("q", field.value);
          else url.searchParams.delete("q");
          url.searchParams.delete("page");
          this.go(url.href, true);
        }, 60);
      });
      field?.form?.addEventListener("submit", (e) => e.preventDefault());
      addEventListener("popstate", () => {
        if (field) field.value = new URL(location.href).searchParams.get("q") ?? "";
        this.show();
      });
      // A picture that is dropped or pasted anywhere on the Library is searched by.
      addEventListener("dragover", (e) => { if (e.dataTransfer?.types.includes("Files")) e.preventDefault(); });
      addEventListener("drop", (e) => {
        const file = e.dataTransfer?.files[0];
        if (!file) return;
        e.preventDefault();
        this.like(file);
      });
      addEventListener("paste", (e) => {
        const file = [...(e.clipboardData?.files ?? [])].find((f) => f.type.startsWith("image/"));
        if (file) this.like(file);
      });
    },

    /**
     * @param {string} href
     * @param {boolean} [replace]
     */
    async go(href, replace) {
      history[replace ? "replaceState" : "pushState"](null, "", href);
      await this.show();
    },

    async show() {
      await parts(() => location.href, "results");
    },

    /** @param {MouseEvent} e */
    follow(e) {
      if (e.ctrlKey || e.metaKey || e.shiftKey) return;
      e.preventDefault();
      const a = /** @type {HTMLAnchorElement} */ (e.currentTarget);
      const field = /** @type {HTMLInputElement | null} */ (document.querySelector("[data-find]"));
      if (field) field.value = new URL(a.href).searchParams.get("q") ?? "";
      this.go(a.href);
    },

    /** Keeps what is searched for. @param {Event} e */
    async saveSearch(e) {
      const name = await ask("Name of the search", /** @type {HTMLElement} */ (e.currentTarget).dataset.says);
      if (!name) return;
      try {
        await call("POST", "/api/v1/searches", { name, address: location.search });
        tell("Saved under Collections.");
      } catch (x) {
        fail(x);
      }
    },

    /**
     * Finds choices of a facet that has more than are shown.
     * @param {Event} e
     */
    findChoice(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget);
      clearTimeout(this.timer);
      this.timer = window.setTimeout(async () => {
        const box = /** @type {HTMLElement} */ (field.closest("div")?.querySelector("[data-found]"));
        const text = field.value.trim();
        if (!text) return box.replaceChildren();
        const { items } = await call("GET", `${field.dataset.search}&text=${encodeURIComponent(text)}`);
        if (field.value.trim() !== text) return;
        box.replaceChildren(...items.map((/** @type {any} */ k) => {
          const url = new URL(location.href);
          url.searchParams.set(field.dataset.facetName ?? "", k.value);
          url.searchParams.delete("page");
          const a = document.createElement("a"), name = document.createElement("span"), count = document.createElement("span");
          a.href = url.href;
          name.textContent = k.value;
          count.textContent = k.count;
          count.className = "num soft";
          a.append(name, count);
          a.addEventListener("click", (c) => this.follow(c));
          return a;
        }));
        if (!items.length) box.textContent = "No matches.";
      }, 120);
    },

    /** Narrows by the figures that are typed. @param {SubmitEvent} e */
    async narrow(e) {
      const form = /** @type {HTMLFormElement} */ (e.currentTarget), url = new URL(location.href);
      url.searchParams.delete("page");
      const kinds = /** @type {Record<string, ["length" | "number", number]>} */ ({ width_m: ["length", 1], density_px_m: ["number", 1], relief_m: ["number", 0.001], roughness: ["number", 1], cost: ["number", 1e6] });
      try {
        for (const [name, [kind, factor]] of Object.entries(kinds)) {
          const ends = [];
          for (const end of [name, `${name}_most`]) {
            const text = /** @type {HTMLInputElement} */ (form.elements.namedItem(end)).value.trim();
            ends.push(text ? String(Number(((await figure(text, kind)) * factor).toPrecision(6))) : "");
          }
          if (ends[0] || ends[1]) url.searchParams.set(name, ends.join(".."));
          else url.searchParams.delete(name);
        }
        const days = ["released", "released_most"].map((n) => /** @type {HTMLInputElement} */ (form.elements.namedItem(n)).value);
        const ends = days.map((d, i) => (d ? String(Date.parse(`${d}T00:00:00Z`) / 1000 + (i ? 86399 : 0)) : ""));
        if (ends[0] || ends[1]) url.searchParams.set("released", ends.join(".."));
        else url.searchParams.delete("released");
      } catch (x) {
        return fail(x);
      }
      document.querySelector("details.choice[open]")?.removeAttribute("open");
      await this.go(url.href);
    },

    pick() {
      /** @type {any} */ (this).$refs.picture.click();
    },
    /** @param {Event} e */
    picked(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget), file = field.files?.[0];
      field.value = "";
      if (file) this.like(file);
    },

    /** Finds what looks like a picture; it is described and not kept. @param {File} file */
    async like(file) {
      tell(`Looking at ${file.name || "the picture"}…`);
      try {
        const answer = await fetch(`/api/v1/looks?name=${encodeURIComponent(file.name || "The picture")}`, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } });
        const body = await answer.json();
        if (!answer.ok) throw new Error(body.detail);
        await this.go(body.page);
      } catch (x) {
        fail(x);
      }
    },

    /** @param {number} by */
    step(by) {
      const all = /** @type {HTMLAnchorElement[]} */ ([...document.querySelectorAll("[data-extent]")]);
      const now = all.findIndex((a) => a.hasAttribute("aria-current"));
      const next = all[Math.max(0, Math.min(all.length - 1, now + by))];
      if (next && next !== all[now]) this.go(next.href, true);
    },

    /** @param {WheelEvent} e */
    turn(e) {
      this.step(e.deltaY > 0 ? 1 : -1);
    },

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.includes("library") && !document.querySelector("details.choice[open]")) this.show();
    },
  };
}
