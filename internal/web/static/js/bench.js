// @ts-check
// Bench: figures that are edited where they stand, and releasing.
import { call, part, tell } from "./api.js";
import { treat } from "./recipe.js";

const kinds = { width_m: "length", height_m: "length", depth_m: "length", module_a_m: "length", module_b_m: "length" };

/**
 * What gives a material the size that it had, and its source with it where that is
 * evidence that is still there.
 * @param {any} old
 */
export function sizeBack(old) {
  const of = old.size_evidence.filter((/** @type {any} */ e) => e.source === old.size_source);
  if (of.length === 1 && Math.abs(of[0].width_m / old.width_m - 1) < 1e-6) return { size_source: old.size_source };
  return { width_m: old.width_m, height_m: old.height_m };
}

/** @returns {any} */
export function bench() {
  return {
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced

    init() {
      this.root = this.$root;
    },

    busy: false,
    problem: "",
    timer: 0,

    get path() {
      return `/api/v1/materials/${this.root.dataset.material}`;
    },

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (!e.detail.includes(`material:${this.root.dataset.material}`)) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.reload(), 200);
    },

    async reload() {
      const here = location.pathname + location.search;
      await Promise.all(["ledger", "heading", "release", "chips"].map((p) => part(here, p, document.getElementById(p))));
      const lens = this.root.querySelector("#lens");
      const now = /** @type {HTMLElement | null} */ (this.root.querySelector("[data-lens-now]"))?.dataset.lensNow;
      if (lens && now) lens.dispatchEvent(new CustomEvent("renewed", { detail: now }));
      lens?.dispatchEvent(new CustomEvent("walled"));
    },

    showHeat() {
      this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("heat"));
    },

    /**
     * Says densities in another unit, here and on every other material.
     * @param {Event} e
     */
    sayIn(e) {
      document.cookie = `density=${/** @type {HTMLSelectElement} */ (e.currentTarget).value}; path=/; max-age=31536000; samesite=lax`;
      return this.reload();
    },

    /**
     * Takes the treatment that a finding offers.
     * @param {Event} e
     */
    async mend(e) {
      const step = JSON.parse(/** @type {HTMLElement} */ (e.currentTarget).dataset.step ?? "{}");
      const section = /** @type {HTMLElement} */ (this.root.querySelector("#l-recipe"));
      section.scrollIntoView({ block: "nearest" });
      await treat(this.path, step, () => this.reload());
    },

    /**
     * Says which channel a doubtful map is.
     * @param {Event} e
     */
    async answer(e) {
      const d = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      try {
        await call("PUT", `${this.path}/maps/${d.isMap}`, { channel: d.isChannel });
        await this.reload();
        const delivery = this.root.dataset.delivery; // whose last decision this was
        tell(`Taken as ${d.isChannel}.`, async () => {
          await call("POST", `/api/v1/deliveries/${delivery}/undo`);
          await this.reload();
        });
      } catch (e) {
        tell(/** @type {Error} */ (e).message);
      }
    },

    /** @param {Event} e */
    edit(e) {
      const figure = /** @type {HTMLElement} */ (e.currentTarget);
      const field = figure.dataset.field ?? "";
      const before = figure.dataset.blank === undefined ? (figure.textContent ?? "").trim() : "";
      const input = document.createElement("input");
      input.className = figure.className.replace("figure", "figure-edit").replace("doubt", "");
      input.value = before;
      input.size = Math.max(8, Math.min(36, before.length + 4));
      input.setAttribute("aria-label", field.replace("_m", "").replaceAll("_", " "));
      if (field in kinds) input.placeholder = "1.8 m, 180 cm, 6 ft";
      if (figure.dataset.list !== undefined) input.placeholder = "one, another";
      if (figure.dataset.suggest) input.setAttribute("list", figure.dataset.suggest);
      figure.replaceWith(input);
      input.focus();
      input.select();
      let over = false;
      const end = async (/** @type {boolean} */ keep) => {
        if (over) return;
        over = true;
        const value = input.value.trim();
        if (!keep || value === before) {
          input.replaceWith(figure);
          return this.reload(); // what was held back while somebody typed
        }
        try {
          await this.save(field, figure.dataset.list !== undefined ? value.split(",") : value, before);
          figure.textContent = value;
          input.replaceWith(figure);
          await this.reload();
        } catch (e) {
          over = false;
          input.setAttribute("aria-invalid", "true");
          tell(/** @type {Error} */ (e).message);
          input.focus();
        }
      };
      input.addEventListener("keydown", (k) => {
        if (k.key === "Enter") end(true);
        if (k.key === "Escape") end(false);
        k.stopPropagation();
      });
      input.addEventListener("blur", () => end(input.getAttribute("aria-invalid") !== "true"));
    },

    /**
     * @param {string} field
     * @param {string | string[] | number} value
     * @param {string} before
     */
    async save(field, value, before) {
      if (field === "across" || field === "down") {
        // The wall is a matter of the view, and stays in its address.
        const url = new URL(location.href);
        url.searchParams.set(field, String(value));
        const answer = await fetch(url, { headers: { "X-Part": "ledger" } });
        if (!answer.ok) throw new Error("That is no length: write for example 4.2 m, 420 cm or 14 ft.");
        history.replaceState(null, "", url);
        return;
      }
      const old = await call("GET", this.path);
      if (field === "zero") {
        const v = Number(String(value).replace(",", "."));
        if (Number.isNaN(v)) throw new Error("The zero level is a stored value between 0 and 1.");
        await call("PATCH", this.path, { zero: v }, String(old.version));
        tell("Noted.", async () => {
          await call("PATCH", this.path, { zero: Number(before) });
          await this.reload();
        });
        return;
      }
      const m = await call("PATCH", this.path, { [field]: value }, String(old.version));
      if (field in kinds && (m.width_m !== old.width_m || m.height_m !== old.height_m)) {
        this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: m }));
      }
      tell(field in kinds ? "Noted, and worked through." : "Noted.", async () => {
        await call("PATCH", this.path, this.back(field, old));
        this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: old }));
        await this.reload();
      });
    },

    /**
     * What sets things as they were.
     * @param {string} field
     * @param {any} old
     */
    back(field, old) {
      if (!(field in kinds)) return { [field]: old[field] };
      if (field === "depth_m") return old.depth_m ? { depth_m: old.depth_m } : {};
      return sizeBack(old);
    },

    /**
     * Makes the repeat such that a wall takes whole ones, the other side going along.
     * @param {Event} e
     */
    async fitWhole(e) {
      const { fit, length } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      const old = await call("GET", this.path);
      try {
        const m = await call("PATCH", this.path, { [String(fit)]: Number(length), keep_ratio: true }, String(old.version));
        this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: m }));
        tell("Its repeats come out whole now.", async () => {
          await call("PATCH", this.path, this.back(String(fit), old));
          this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: old }));
          await this.reload();
        });
        await this.reload();
      } catch (e) {
        tell(/** @type {Error} */ (e).message);
      }
    },

    /**
     * Gives the repeat the height at which its pixels are square.
     * @param {Event} e
     */
    async squareUp(e) {
      await this.save("height_m", Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.square), "");
      await this.reload();
    },

    /** @param {Event} e */
    async takeEvidence(e) {
      const source = /** @type {HTMLElement} */ (e.currentTarget).dataset.source;
      try {
        const m = await call("PATCH", this.path, { size_source: source });
        this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: m }));
        await this.reload();
      } catch (e) {
        tell(/** @type {Error} */ (e).message);
      }
    },

    openDialog() {
      this.problem = "";
      this.$refs.dialog.showModal();
      this.$refs.notes.focus();
    },
    closeDialog() {
      this.$refs.dialog.close();
    },

    async publish() {
      if (this.busy) return;
      this.busy = true;
      this.problem = "";
      try {
        const r = await call("POST", `${this.path}/releases`, { notes: this.$refs.notes.value, word: this.$refs.word?.value ?? "" });
        this.$refs.dialog.close();
        this.$refs.notes.value = "";
        tell(`Release ${r.number} is in the Library.`);
        await this.reload();
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      } finally {
        this.busy = false;
      }
    },
  };
}
