// @ts-check
// Deciding on releases: approving, retiring, correcting the description; and answering reviews.
import { call, fail, tell } from "./api.js";
import { island } from "./island.js";
import { named } from "./named.js";
import { parts } from "./parts.js";

export function standing() {
  return island({
    get path() {
      return `/api/v1/releases/${this.$root.dataset.release}`;
    },

    /** @param {Event} e */
    async stand(e) {
      await this.decide({ state: /** @type {HTMLElement} */ (e.currentTarget).dataset.state });
    },

    /** @param {SubmitEvent} e */
    async retire(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target)), name = String(f.get("replacement")).trim();
      let replacement = "";
      try {
        if (name) {
          const found = await named(name);
          if (!found) return;
          replacement = found.slug;
        }
      } catch (x) {
        return fail(x);
      }
      await this.decide({ state: "retired", reason: f.get("reason"), replacement });
    },

    /** @param {Record<string, unknown>} what */
    async decide(what) {
      try {
        await call("PUT", `${this.path}/state`, what, this.$root.dataset.version);
        location.reload();
      } catch (x) {
        fail(x);
      }
    },

    /** @param {SubmitEvent} e */
    async correct(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target));
      /** @param {string} name */
      const list = (name) => String(f.get(name)).split(",").map((w) => w.trim()).filter(Boolean);
      const plain = Object.fromEntries(["contact_class", "licence", "author", "rights", "notes"].map((n) => [n, String(f.get(n)).trim()]));
      try {
        await call("PATCH", this.path, { tags: list("tags"), categories: list("categories"), ...plain }, this.$root.dataset.version);
        location.reload();
      } catch (x) {
        fail(x);
      }
    },
  });
}

export function reviews() {
  return {
    /** @param {Event} e @param {Record<string, unknown>} answer @param {string} says */
    async answer(e, answer, says) {
      const { review, version } = /** @type {HTMLElement} */ (/** @type {HTMLElement} */ (e.target).closest("[data-review]")).dataset;
      try {
        await call("PUT", `/api/v1/materials/${review}/review`, answer, version);
        tell(says);
        await parts(location.href, "review-list");
      } catch (x) {
        fail(x);
      }
    },
    /** @param {SubmitEvent} e */
    async approve(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target));
      await this.answer(e, { answer: "approve", override: f.get("override") ?? "" }, "Approved and released.");
    },
    /** @param {Event} e */
    async giveBack(e) {
      const form = /** @type {HTMLFormElement} */ (/** @type {HTMLElement} */ (e.target).closest("form"));
      await this.answer(e, { answer: "return", reason: new FormData(form).get("reason") }, "Returned.");
    },
    /** @param {Event} e */
    async unschedule(e) {
      await call("DELETE", `/api/v1/schedules/${/** @type {HTMLElement} */ (e.currentTarget).dataset.batch}`, undefined, "*").catch(fail);
      await parts(location.href, "review-list");
    },
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.includes("reviews")) parts(location.href, "review-list");
    },
  };
}
