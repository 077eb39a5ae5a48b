// @ts-check
// The page of the studio's standards: densities, cameras, and severities.
import { call, fail, tell } from "./api.js";
import { figure } from "./figure.js";
import { parts } from "./parts.js";

export function standards() {
  return {
    /**
     * Changes the standards as they are shown.
     * @param {(st: any) => void} change
     * @param {string} says
     */
    async change(change, says) {
      const shown = Number(/** @type {HTMLElement} */ (document.querySelector("[data-standards-version]")).dataset.standardsVersion);
      try {
        const old = await call("GET", "/api/v1/standards");
        const st = structuredClone(old);
        change(st);
        await call("PUT", "/api/v1/standards", st, shown);
        await this.show(); // before it is said: what is typed after that is not drawn over
        tell(says, async () => {
          await call("PUT", "/api/v1/standards", old, shown + 1);
          await this.show();
        });
        return true;
      } catch (e) {
        fail(e);
        await this.show();
        return false;
      }
    },
    /** Keeps the words that mean the same. @param {SubmitEvent} e */
    async saveWords(e) {
      const form = /** @type {HTMLFormElement} */ (e.target);
      const groups = String(new FormData(form).get("words")).split("\n").map((line) => line.split(",").map((w) => w.trim()).filter(Boolean)).filter((g) => g.length > 1);
      try {
        await call("PUT", "/api/v1/synonyms", { groups }, form.dataset.wordsVersion);
        await this.show();
        tell("Saved.");
      } catch (x) {
        fail(x);
      }
    },
    /** Keeps the words of the trade. @param {SubmitEvent} e */
    async saveTrade(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form);
      await this.keepTrade(form, { off: !f.get("on"), text: String(f.get("trade")) });
    },
    /** Puts the words of the trade back to those that came with the program. @param {Event} e */
    async shipTrade(e) {
      const form = /** @type {HTMLFormElement} */ (/** @type {Element} */ (e.target).closest("form"));
      form.reset();
      await this.keepTrade(form, { off: false, text: "" });
    },
    /** @param {HTMLFormElement} form @param {{off: boolean, text: string}} words */
    async keepTrade(form, words) {
      try {
        const was = await call("GET", "/api/v1/thesaurus");
        await call("PUT", "/api/v1/thesaurus", words, form.dataset.tradeVersion);
        form.reset();
        await this.show();
        tell("Saved.", async () => {
          await call("PUT", "/api/v1/thesaurus", was, "*");
          await this.show();
        });
      } catch (x) {
        fail(x);
      }
    },
    show() {
      return parts("/standards", "standards-list");
    },

    /** @param {SubmitEvent} e */
    async addDensity(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form);
      const per = await figure(String(f.get("density")), "number").catch(fail);
      if (per === undefined) return;
      const density = { name: f.get("name"), px_per_m: per * Number(f.get("unit")) };
      if (await this.change((/** @type {any} */ st) => st.densities.push(density), "Saved.")) form.reset();
    },
    /** @param {SubmitEvent} e */
    async addCamera(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form);
      /** @type {Record<string, unknown>} */
      const camera = { name: f.get("name") };
      try {
        for (const [field, name, kind] of /** @type {[string, string, import("./figure.js").Kind][]} */ ([["distance", "distance_m", "length"], ["lines", "lines", "number"], ["angle", "angle_deg", "degrees"], ["focal", "focal_mm", "number"], ["sensor", "sensor_mm", "number"]])) {
          const text = String(f.get(field) ?? "").trim();
          camera[name] = text ? await figure(text, kind) : 0;
        }
      } catch (x) {
        return fail(x);
      }
      if (await this.change((/** @type {any} */ st) => st.cameras.push(camera), "Saved.")) form.reset();
    },
    /** @param {Event} e */
    remove(e) {
      const { list, name } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      return this.change((/** @type {any} */ st) => (st[String(list)] = st[String(list)].filter((/** @type {any} */ x) => x.name !== name)), "Removed.");
    },
    /** @param {Event} e */
    review(e) {
      const on = /** @type {HTMLInputElement} */ (e.currentTarget).checked;
      return this.change((/** @type {any} */ st) => (st.reviewed = on), on ? "Only a lead releases now." : "Librarians release by themselves again.");
    },
    /** What downloads begin with for people who have not chosen. */
    async convention() {
      const value = (/** @type {string} */ k) => /** @type {HTMLSelectElement} */ (document.querySelector(`[data-convention=${k}]`)).value;
      await call("PUT", "/api/v1/convention?studio=true", { profile: value("profile"), tier: value("tier"), normal: "", roughness: "", format: "" }, "*").then(() => tell("Saved."), fail);
    },

    /** @param {Event} e */
    weigh(e) {
      const select = /** @type {HTMLSelectElement} */ (e.currentTarget);
      return this.change((/** @type {any} */ st) => (st.severities[String(select.dataset.code)] = select.value), "Severity saved. Findings are being graded again.");
    },
  };
}
