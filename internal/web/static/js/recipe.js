// @ts-check
// Treatments of the material on the Bench: adding, undoing and reordering them.
import { island } from "./island.js";
import { figure } from "./figure.js";
import { call, fail, shown, tell, turn, wrote } from "./api.js";

/**
 * Adds a treatment, and offers the way back.
 * @param {Element} bench or what is in it
 * @param {Record<string, unknown>} step
 * @param {() => Promise<void>} [then]
 */
export async function treat(bench, step, then) {
  try {
    const m = await call("POST", `${path(bench)}/recipe`, step, shown(bench));
    wrote(bench, m);
    tell("Applying to the full maps.", async () => {
      await turn(m.step);
      await then?.();
    });
  } catch (e) {
    fail(e);
  }
  await then?.();
}

/**
 * Treatments as the API takes them.
 * @param {any[]} recipe
 */
const plain = (recipe) => recipe.map(({ by, at, title, says, ...step }) => step);

/**
 * Changes the list of treatments as it is shown, and offers the way back.
 * @param {Element} root of the list
 * @param {(steps: any[]) => any[]} change
 * @param {string} says
 */
async function change(root, change, says) {
  const at = path(root), seen = idsShown(root), version = shown(root); // of what was pressed; news may come before the answer
  try {
    const old = await call("GET", at);
    // A finished job makes a new version too; that is no conflict while the list is the one
    // shown. The form of one treatment shows no list, and stays strict.
    const same = JSON.stringify(seen) === JSON.stringify(old.recipe.map((/** @type {any} */ t) => t.id));
    const m = await call("PUT", `${at}/recipe`, { steps: plain(change(old.recipe)) }, same ? Math.max(version, old.version) : version);
    wrote(root, m);
    tell(says, m.step ? () => turn(m.step) : null);
  } catch (e) {
    fail(e);
  }
}

/** The numbers of the treatments as they are shown. @param {Element} root of the list */
const idsShown = (root) => Array.from(root.querySelectorAll("[data-treatment]"), (row) => Number(/** @type {HTMLElement} */ (row).dataset.treatment));

/** The address of the material on the Bench. @param {Element} within it */
const path = (within) => `/api/v1/materials/${/** @type {HTMLElement} */ (within.closest("[data-bench]")).dataset.material}`;

/** The list of what was done. */
export function recipe() {
  return island({
    /** @type {any} */ root: null,
    init() {
      this.root = this.$root;
    },

    /** @param {Event} e */
    rowOf(e) {
      return /** @type {HTMLElement} */ (/** @type {Element} */ (e.currentTarget).closest("[data-treatment]"));
    },

    /**
     * Opens the form with a treatment's own figures.
     * @param {Event} e
     */
    open(e) {
      const row = this.rowOf(e);
      const detail = { id: Number(row.dataset.treatment), step: JSON.parse(row.dataset.is ?? "{}") };
      this.root.querySelector("details.treat").dispatchEvent(new CustomEvent("treatment", { detail }));
    },

    /** Asks for the recipe once more as it is: it failed on the server. */
    retry() {
      return change(this.root, (steps) => steps, "Trying again.");
    },

    /** @param {Event} e */
    undo(e) {
      const id = Number(this.rowOf(e).dataset.treatment);
      return change(this.root, (steps) => steps.filter((t) => t.id !== id), "Undone. The others are applied again.");
    },

    /** @param {Event} e */
    shift(e) {
      const id = Number(this.rowOf(e).dataset.treatment), by = /** @type {HTMLElement} */ (e.currentTarget).dataset.way === "up" ? -1 : 1;
      return change(this.root, (steps) => {
        const i = steps.findIndex((t) => t.id === id);
        const out = [...steps];
        [out[i], out[i + by]] = [out[i + by], out[i]];
        return out;
      }, "Applied in the new order.");
    },
  });
}

/** The form of one treatment: a new one, or one that is changed. It stays while it is open. */
export function treatment() {
  return island({
    /** @type {any} */ root: null,
    kind: "close_seams",
    changing: 0, // the treatment that the form is about; 0 for a new one
    init() {
      this.root = this.$root;
      addEventListener("showing", () => this.root.open && this.trySoon());
    },
    get summary() {
      return this.changing ? "Change a treatment" : "Add a treatment";
    },
    get doWord() {
      return this.changing ? "Save changes" : "Apply treatment";
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

    fresh() {
      if (!this.root.open) this.changing = 0;
    },

    /** @param {CustomEvent<{id: number, step: any}>} e */
    async load(e) {
      const { id, step } = e.detail, form = this.root.querySelector("form");
      this.changing = id;
      this.kind = step.kind;
      this.root.open = true;
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

    /** The treatment that the form describes. */
    async step() {
      const f = new FormData(this.root.querySelector("form"));
      /** @type {Record<string, unknown>} */
      const step = { kind: this.kind };
      for (const name of Object.keys(this.asks)) {
        const text = String(f.get(name) ?? "").trim();
        if (name === "channels") step.channels = ["red", "green", "blue"].map((c) => f.get(c)).filter(Boolean);
        else if (text === "") continue;
        else if (["channel", "axes", "metres", "depth_m"].includes(name)) step[name] = text;
        else step[name] = await figure(text, name === "overlap" ? "share" : "number");
      }
      return step;
    },

    says: "", // what the treatment would come to, or why it can't be applied
    timer: 0,
    /** @type {AbortController | null} */ asking: null,

    /** Shows in the lens what would come out, soon after something was chosen. */
    trySoon() {
      clearTimeout(this.timer);
      this.asking?.abort();
      if (this.root.open) this.timer = window.setTimeout(() => this.tryOut(), 120);
      else this.forget();
    },

    async tryOut() {
      const asking = (this.asking = new AbortController()), bench = /** @type {HTMLElement} */ (this.root.closest("[data-bench]"));
      const had = Array.from(bench.querySelectorAll("[data-treatment]"), (row) => JSON.parse(/** @type {HTMLElement} */ (row).dataset.is ?? "{}"));
      const ids = idsShown(bench), channel = new URL(location.href).searchParams.get("map") ?? "base_color";
      try {
        const step = await this.step(), steps = this.changing ? had.map((k, i) => (ids[i] === this.changing ? step : k)) : [...had, step];
        const answer = await fetch(`/bench/${bench.dataset.material}/trial.png`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ steps, channel }), signal: asking.signal });
        if (!answer.ok) {
          this.says = (await answer.json()).detail ?? "";
          return this.look(null);
        }
        const shown = answer.headers.get("X-Channel") ?? channel, says = decodeURIComponent(answer.headers.get("X-Says") ?? "");
        const bitmap = await createImageBitmap(await answer.blob(), { colorSpaceConversion: "none" });
        if (asking.signal.aborted) return;
        this.says = says;
        this.look(bitmap, (answer.headers.get("X-Share") ?? "1 1").split(" ").map(Number), shown === channel ? "Preview, not applied" : `Preview of ${shown.replace("_", " ")}, not applied`);
      } catch (e) {
        if (asking.signal.aborted) return;
        this.says = e instanceof Error && e.name !== "TypeError" ? e.message : "The preview could not be loaded.";
        this.look(null);
      }
    },

    /** @param {ImageBitmap | null} bitmap @param {number[]} [share] @param {string} [says] */
    look(bitmap, share = [1, 1], says = "") {
      dispatchEvent(new CustomEvent("trial", { detail: { bitmap, share, says } }));
    },

    /** Shows the map as it is. */
    forget() {
      clearTimeout(this.timer);
      this.asking?.abort();
      this.says = "";
      this.look(null);
    },

    /** @param {SubmitEvent} _ */
    async add(_) {
      /** @type {Record<string, unknown>} */ let step;
      try {
        step = await this.step();
      } catch (x) {
        return fail(x);
      }
      /** @type {HTMLElement} */ (document.activeElement)?.blur();
      this.root.open = false;
      const id = this.changing;
      this.changing = 0;
      if (!id) return treat(this.root, step);
      return change(this.root, (steps) => steps.map((t) => (t.id === id ? { id, ...step } : t)), "Saved. Applying again.");
    },
  });
}
