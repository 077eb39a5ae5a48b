// @ts-check
// Treatments of the material on the Bench: adding, undoing and reordering them.
import { call, tell } from "./api.js";

/**
 * Adds a treatment, and offers the way back.
 * @param {string} path of the material
 * @param {Record<string, unknown>} step
 * @param {() => Promise<void>} [then]
 */
export async function treat(path, step, then) {
  try {
    const old = await call("GET", path);
    await call("POST", `${path}/recipe`, step, String(old.version));
    tell("It is being carried out on the full maps.", async () => {
      await call("PUT", `${path}/recipe`, { steps: plain(old.recipe) });
      await then?.();
    });
    await then?.();
  } catch (e) {
    tell(/** @type {Error} */ (e).message);
  }
}

/**
 * Treatments as the API takes them.
 * @param {any[]} recipe
 */
const plain = (recipe) => recipe.map(({ by, at, title, says, ...step }) => step);

/** @returns {any} */
export function recipe() {
  return {
    /** @type {any} */ root: null,
    kind: "close_seams",
    init() {
      this.root = this.$root;
    },
    changing: 0, // the treatment that the form is about; 0 for a new one
    get summary() {
      return this.changing ? "Change a treatment" : "Add a treatment";
    },
    get doWord() {
      return this.changing ? "Change it" : "Do it";
    },
    /** @param {Event} e the list's own form, opened for a new treatment */
    fresh(e) {
      const details = /** @type {HTMLDetailsElement} */ (/** @type {Element} */ (e.currentTarget).closest("details"));
      if (!details.open) this.changing = 0;
    },

    /**
     * Opens the form with a treatment's own figures.
     * @param {Event} e
     */
    async open(e) {
      const row = /** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-treatment]"));
      const step = JSON.parse(row.dataset.is ?? "{}");
      const details = /** @type {HTMLDetailsElement} */ (this.root.querySelector("details.treat"));
      const form = /** @type {HTMLFormElement} */ (details.querySelector("form"));
      this.changing = Number(row.dataset.treatment);
      this.kind = step.kind;
      details.open = true;
      await this.$nextTick();
      for (const name of Object.keys(this.asks)) {
        const field = /** @type {HTMLInputElement | HTMLSelectElement | null} */ (form.querySelector(`[name="${name}"]`));
        if (field) field.value = step[name] === undefined ? "" : name === "overlap" ? `${Math.round(100 * step[name])} %` : name === "metres" || name === "depth_m" ? `${step[name]} m` : String(step[name]);
      }
      for (const [i, c] of ["red", "green", "blue"].entries()) {
        const field = /** @type {HTMLSelectElement | null} */ (form.querySelector(`[name="${c}"]`));
        if (field && step.channels) field.value = step.channels[i] ?? "";
      }
      /** @type {HTMLElement | null} */ (form.querySelector("label:not([style*='none']) .field:not(#treat-kind)"))?.focus();
    },

    get path() {
      return `/api/v1/materials/${this.root.dataset.material}`;
    },
    get chosen() {
      return /** @type {HTMLOptionElement | null} */ (this.root?.querySelector(`option[value="${this.kind}"][data-help]`));
    },
    get help() {
      return this.chosen?.dataset.help ?? "";
    },
    get asks() {
      return Object.fromEntries(JSON.parse(this.chosen?.dataset.params ?? "[]").map((/** @type {string} */ p) => [p, true]));
    },

    /** @param {SubmitEvent} e */
    async add(e) {
      const form = /** @type {HTMLFormElement} */ (e.target);
      const f = new FormData(form);
      /** @type {Record<string, unknown>} */
      const step = { kind: this.kind };
      for (const name of Object.keys(this.asks)) {
        const text = String(f.get(name) ?? "").trim();
        if (name === "channels") step.channels = ["red", "green", "blue"].map((c) => f.get(c)).filter(Boolean);
        else if (text === "") continue;
        else if (["channel", "axes", "metres", "depth_m"].includes(name)) step[name] = text;
        else {
          const v = Number(text.replace("%", "").replace(",", "."));
          if (Number.isNaN(v)) return tell(`${text} is not a figure.`);
          step[name] = name === "overlap" && (text.includes("%") || v > 1) ? v / 100 : v;
        }
      }
      /** @type {HTMLElement} */ (document.activeElement)?.blur();
      /** @type {HTMLDetailsElement} */ (form.closest("details")).open = false;
      const id = this.changing;
      this.changing = 0;
      if (!id) return treat(this.path, step);
      return this.change((steps) => steps.map((t) => (t.id === id ? { id, ...step } : t)), "Changed; it is carried out again.");
    },

    /**
     * Changes the list of treatments.
     * @param {(steps: any[]) => any[]} change
     * @param {string} says
     */
    async change(change, says) {
      try {
        const old = await call("GET", this.path);
        await call("PUT", `${this.path}/recipe`, { steps: plain(change(old.recipe)) }, String(old.version));
        tell(says, () => call("PUT", `${this.path}/recipe`, { steps: plain(old.recipe) }));
      } catch (e) {
        tell(/** @type {Error} */ (e).message);
      }
    },

    /** @param {Event} e */
    idOf(e) {
      return Number(/** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-treatment]")).dataset.treatment);
    },

    /** @param {Event} e */
    undo(e) {
      const id = this.idOf(e);
      return this.change((steps) => steps.filter((t) => t.id !== id), "Undone; the rest is carried out again.");
    },

    /** @param {Event} e */
    shift(e) {
      const id = this.idOf(e), by = /** @type {HTMLElement} */ (e.currentTarget).dataset.way === "up" ? -1 : 1;
      return this.change((steps) => {
        const i = steps.findIndex((t) => t.id === id);
        const out = [...steps];
        [out[i], out[i + by]] = [out[i + by], out[i]];
        return out;
      }, "Carried out in the new order.");
    },
  };
}
