// @ts-check
// Bench: figures that are edited where they stand, and releasing.
import { island } from "./island.js";
import { takesFiles } from "./dropping.js";
import { forSuggestions, suggest } from "./combo.js";
import { figure } from "./figure.js";
import { keys } from "./keys.js";
import { Refused, call, fail, fetched, shown, tell, turn, wrote } from "./api.js";
import { parts } from "./parts.js";
import { treat } from "./recipe.js";
import { inTurn, whenUsed } from "./waiting.js";
import { cleared, change, nested } from "./surface.js";

const kinds = { width_m: "length", height_m: "length", depth_m: "length", module_a_m: "length", module_b_m: "length" };

export function bench() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced

    init() {
      takesFiles(Object.assign(this, { root: this.$root }));
      whenUsed(this.root, async () => (await import("./figuring.js")).figuring(this.root, this.owner()));
      keys("Bench", [
        { key: "u", says: "undo", run: () => this.turnNext("undo") },
        { key: "U", says: "redo", run: () => this.turnNext("redo") },
      ]);
    },

    timer: 0,
    inTurn: inTurn(),

    /** What figures under the hand need of the Bench. @returns {import("./figuring.js").Owner} */
    owner() {
      return {
        figures: () => this.figures,
        save: (/** @type {() => Record<string, unknown>} */ change, /** @type {() => void} */ landed) => this.patch(change, "Saved.", landed).catch((/** @type {Error} */ x) => {
          this.failed(x);
          throw x;
        }),
      };
    },

    get path() {
      return `/api/v1/materials/${this.root.dataset.material}`;
    },

    get shown() { // the version of the material
      return shown(this.root);
    },

    /**
     * Changes the material as it is shown, tells the lens, and offers the way back.
     * @param {Record<string, unknown> | (() => Record<string, unknown> | Promise<Record<string, unknown>>)} change a function is asked when those before it are saved
     * @param {string} says
     * @param {() => void} [landed] called when the server has it, before the page is renewed
     */
    async patch(change, says, landed) {
      const m = await this.inTurn(async () => { // each names the version that the one before it made
        const m = await call("PATCH", this.path, typeof change === "function" ? await change() : change, this.shown);
        wrote(this.root, m);
        landed?.();
        return m;
      });
      this.sized(m);
      tell(says, m.step ? () => this.turnStep(m.step) : null);
      await this.reload();
    },

    /** @param {any} m */
    sized(m) {
      this.root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: m }));
    },

    /**
     * @param {number | string} step
     * @param {"undo" | "redo"} [way]
     */
    async turnStep(step, way = "undo") {
      await turn(step, way);
      const m = await call("GET", this.path);
      wrote(this.root, m);
      this.sized(m);
      await this.reload();
    },

    /** The step that a button or key names. @param {Event} e */
    async turnNamed(e) {
      const d = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      await this.turnStep(d.step ?? "", /** @type {"undo" | "redo"} */ (d.way)).catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** Undoes or redoes the step that the heading names. @param {"undo" | "redo"} way */
    turnNext(way) {
      const step = /** @type {HTMLElement | null} */ (this.root.querySelector(`#heading [data-way=${way}]`))?.dataset.step;
      if (!step) return false;
      return this.turnStep(step, way).catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** Says an error; what is shown is out of date if it changed elsewhere. @param {Error} e */
    failed(e) {
      fail(e);
      if (e instanceof Refused && e.status === 412) this.reload();
    },

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (!e.detail.includes(`material:${this.root.dataset.material}`)) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.reload(), 200);
    },

    async reload() {
      const here = location.pathname + location.search;
      await parts(here, "heading", "release", "since", "chips", "ledger");
      const lens = this.root.querySelector("#lens");
      const now = /** @type {HTMLElement | null} */ (this.root.querySelector("[data-lens-now]"))?.dataset.lensNow;
      if (lens && now) lens.dispatchEvent(new CustomEvent("renewed", { detail: now }));
      lens?.dispatchEvent(new CustomEvent("walled"));
      const { surfaceNow: surface, lookNow: look } = /** @type {HTMLElement | null} */ (this.root.querySelector("[data-surface-now]"))?.dataset ?? {};
      if (surface) this.root.querySelector("#lit")?.dispatchEvent(new CustomEvent("relit", { detail: { surface, look } }));
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
      await treat(this.root, step, () => this.reload());
    },

    /**
     * Says which channel a doubtful map is.
     * @param {Event} e
     */
    async answer(e) {
      const d = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      try {
        const m = await call("PUT", `${this.path}/maps/${d.isMap}`, { channel: d.isChannel }, this.shown);
        wrote(this.root, m);
        await this.reload();
        tell(`Assigned as ${d.isChannel}.`, () => this.turnStep(m.step));
      } catch (e) {
        this.failed(/** @type {Error} */ (e));
      }
    },

    /** @param {Event} e */
    edit(e) {
      const figure = /** @type {HTMLElement} */ (e.currentTarget);
      if (figure.dataset.kind === "colour") return import("./figuring.js").then(({ picking }) => picking(this.root, this.owner(), figure));
      const field = figure.dataset.field ?? "";
      const before = figure.dataset.blank === undefined ? (figure.textContent ?? "").trim() : "";
      const input = document.createElement("input");
      input.className = figure.className.replace("figure", "figure-edit").replace("doubt", "");
      input.value = before;
      input.size = Math.max(8, Math.min(36, before.length + 4));
      input.setAttribute("aria-label", field.replace("_m", "").replaceAll("_", " "));
      if (field in kinds) input.placeholder = "1.8 m, 180 cm, 6 ft";
      if (figure.dataset.list !== undefined) input.placeholder = "one, another";
      input.dataset.mine = ""; // news leaves it alone, and changes the rest of the page
      figure.hidden = true;
      figure.after(input);
      input.focus();
      input.select();
      const { suggest: list, facet } = figure.dataset;
      const gone = list || facet ? suggest(input, { list, facet, many: figure.dataset.list !== undefined }) : () => {};
      let over = false;
      const end = async (/** @type {boolean} */ keep) => {
        if (over) return;
        over = true;
        const value = input.value.trim();
        const close = () => {
          const typing = document.activeElement === input || document.activeElement === document.body;
          gone();
          input.remove();
          figure.hidden = false;
          if (typing) figure.focus();
        };
        if (!keep || value === before) return close();
        try {
          await this.save(field, figure.dataset.list !== undefined ? value.split(",") : value);
          close();
          await this.reload();
        } catch (e) {
          over = false;
          input.setAttribute("aria-invalid", "true");
          this.failed(/** @type {Error} */ (e));
          input.focus();
        }
      };
      input.addEventListener("keydown", (k) => {
        if (!forSuggestions(k) && k.key === "Enter") end(true);
        if (!forSuggestions(k) && k.key === "Escape") end(false);
        k.stopPropagation();
      });
      input.addEventListener("input", () => input.removeAttribute("aria-invalid"));
      input.addEventListener("blur", () => end(input.getAttribute("aria-invalid") !== "true"));
    },

    /**
     * @param {string} field
     * @param {string | string[] | number} value
     */
    async save(field, value) {
      if (field === "across" || field === "down") {
        // The wall is a matter of the view, and stays in its address.
        const url = new URL(location.href);
        url.searchParams.set(field, String(value));
        const answer = await fetched(url, { headers: { "X-Part": "ledger" } });
        if (!answer.ok) throw new Error("This is not a length. Write for example 4.2 m, 420 cm or 14 ft.");
        history.replaceState(null, "", url);
        return;
      }
      if (field.startsWith("fig:")) return this.setFigure(field.slice(4), String(value));
      if (field === "zero") value = await figure(String(value), "share");
      await this.patch({ [field]: value }, "Saved.");
    },

    /** The surface figures as they are shown. */
    get figures() {
      return JSON.parse(/** @type {HTMLElement | null} */ (this.root.querySelector("[data-figures]"))?.dataset.figures ?? "{}");
    },

    /** Changes one surface figure. @param {string} path where it stands: "roughness.0" @param {string} text as typed */
    async setFigure(path, text) {
      await this.patch(async () => ({ figures: await change(this.figures, path, text) }), "Saved.");
    },

    /** Turns a figure that is on or off. @param {Event} e */
    async flip(e) {
      const path = /** @type {HTMLElement} */ (e.currentTarget).dataset.toggle ?? "";
      const now = path.split(".").reduce((/** @type {any} */ at, k) => at?.[k], this.figures);
      await this.patch({ figures: nested(path.split("."), !now) }, "Saved.").catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** Puts surface figures back to what changes nothing. @param {Event} e */
    async putBack(e) {
      const names = (/** @type {HTMLElement} */ (e.currentTarget).dataset.reset ?? "").split(" ");
      await this.patch({ figures: cleared(names) }, "Reset.").catch((/** @type {Error} */ x) => this.failed(x));
    },

    /**
     * Makes the repeat such that a wall takes whole ones, the other side going along.
     * @param {Event} e
     */
    async fitWhole(e) {
      const { fit, length } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      await this.patch({ [String(fit)]: Number(length), keep_ratio: true }, "Saved: whole repeats.").catch((/** @type {Error} */ x) => this.failed(x));
    },

    /**
     * Gives the repeat the height at which its pixels are square.
     * @param {Event} e
     */
    async squareUp(e) {
      const height = Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.square);
      await this.patch({ height_m: height }, "Saved.").catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** @param {Event} e */
    async takeEvidence(e) {
      const source = /** @type {HTMLElement} */ (e.currentTarget).dataset.source;
      await this.patch({ size_source: source }, "Saved.").catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** Agrees with a suggested tag. @param {Event} e */
    async agree(e) {
      const { tag, tags } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      await this.patch({ tags: [...(tags ? tags.split("\n") : []), tag] }, `Tagged ${tag}.`).catch((/** @type {Error} */ x) => this.failed(x));
    },

    /** @param {CustomEvent<{wait: Promise<unknown>[]}>} e */
    released(e) {
      e.detail.wait.push(this.reload());
    },
    openDialog() {
      dispatchEvent(new CustomEvent("release", { detail: [{ id: Number(this.root.dataset.material), version: this.shown, name: this.root.querySelector("#heading h1")?.textContent ?? "" }] }));
    },
  });
}
