// @ts-check
// The Bench's list: filters in the address, materials chosen and changed together.
import { call, fail, tell, turn } from "./api.js";
import { choosing, chosen, clear, unchoose, versions } from "./choosing.js";
import { changing } from "./changing.js";
import { keys } from "./keys.js";
import { parts } from "./parts.js";

export function drafts() {
  return {
    count: 0, // of what is chosen
    ...changing(),
    timer: 0, // until news is shown
    typing: 0, // until what is typed is looked for: news must not put it off for ever

    /** @returns {string} */
    get label() {
      return `${this.count} chosen`;
    },
    /** @returns {string} */
    get release() {
      return `Release ${this.count}…`;
    },
    /** @param {string} href */
    async go(href) {
      history.replaceState(null, "", href);
      await this.show();
    },

    async show() {
      await parts(() => location.href, "drafts");
    },

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (!e.detail.some((t) => ["deliveries", "library", "material"].includes(t.split(":")[0]))) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.show(), 200);
    },

    /** @param {MouseEvent} e */
    click(e) {
      const t = /** @type {HTMLElement} */ (e.target);
      if (t.closest("[data-none]")) return clear();
      const link = /** @type {HTMLAnchorElement | null} */ (t.closest("a[data-go]"));
      if (link && !e.ctrlKey && !e.metaKey && !e.shiftKey) {
        e.preventDefault();
        this.go(link.href);
      }
    },

    /** Another station or order, or another thing to change. @param {Event} e */
    pick(e) {
      if (/** @type {HTMLElement} */ (e.target).matches("[name=what]")) this.suggest();
      const form = /** @type {HTMLElement} */ (e.target).closest("form");
      if (/** @type {HTMLElement} */ (e.target).matches("#station, #sort") && form) this.filter(form);
    },

    /** @param {HTMLFormElement} form */
    filter(form) {
      const url = new URL(form.action);
      for (const [name, value] of new FormData(form)) if (value) url.searchParams.set(name, String(value));
      this.go(url.href);
    },

    init() {
      const move = (/** @type {KeyboardEvent} */ e) => this.move(e);
      choosing("Bench", "material");
      addEventListener("chosen", () => (this.count = chosen().length));
      keys("Bench", [
        { key: "f", says: "show only materials with …", run: () => /** @type {HTMLInputElement | null} */ (document.getElementById("filter"))?.select() },
        ...["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"].map((key) => ({ key, says: key === "ArrowUp" ? "from material to material" : "", run: move })),
      ]);
      document.getElementById("drafts")?.addEventListener("input", (e) => {
        const t = /** @type {HTMLInputElement} */ (e.target);
        if (!t.matches("[data-filter]") || !t.form) return;
        clearTimeout(this.typing);
        const form = t.form;
        this.typing = window.setTimeout(() => this.filter(form), 120);
      });
      this.suggest();
    },

    /** @param {SubmitEvent} e */
    async submit(e) {
      e.preventDefault();
      const form = /** @type {HTMLFormElement} */ (e.target);
      if (form.closest("dialog")) return;
      if (!form.matches("[data-bulk]")) return this.filter(form);
      const materials = versions();
      const does = /** @type {HTMLButtonElement | null} */ (e.submitter)?.value;
      if (does === "sheet" || does === "compare") {
        const of = materials.map((m) => `m${m.id}`);
        if (does === "compare" && of.length > 4) return fail(new Error("Up to four can be compared at once."));
        location.href = `/${does}?of=${of.join(",")}`;
        return;
      }
      try {
        if (does === "release") return dispatchEvent(new CustomEvent("release", { detail: chosen().map((k) => ({ id: Number(k.id), version: Number(k.version), name: k.name })) }));
        if (does === "delete") await this.delete(materials);
        else await this.changeAll(form, materials);
      } catch (err) {
        fail(err);
      }
      await this.show();
    },

    /** @param {{id: number, version: number}[]} materials */
    async delete(materials) {
      const { step } = await call("POST", "/api/v1/materials/delete", { materials });
      clear();
      tell(materials.length === 1 ? "Draft deleted." : `${materials.length} drafts deleted.`, () => turn(step));
    },

    /** What was released or scheduled is not chosen any more. @param {CustomEvent<{ids: number[], wait: Promise<unknown>[]}>} e */
    released(e) {
      unchoose(e.detail.ids);
      e.detail.wait.push(this.show());
    },

    /**
     * From card to card, by how they lie.
     * @param {KeyboardEvent} e
     */
    move(e) {
      const all = cards(), at = all.indexOf(/** @type {HTMLElement} */ (/** @type {Element} */ (e.target).closest("[data-draft]")));
      if (at < 0) return false;
      const row = all.filter((c) => c.offsetTop === all[0].offsetTop).length;
      const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -row, ArrowDown: row }[e.key] ?? 0;
      const next = all[at + by];
      /** @type {HTMLElement | null | undefined} */ (next?.querySelector("a"))?.focus();
    },
  };
}

/** @returns {HTMLElement[]} */
function cards() {
  return [...document.querySelectorAll("[data-draft]")].map((c) => /** @type {HTMLElement} */ (c));
}
