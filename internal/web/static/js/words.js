// @ts-check
// Renaming, moving and merging categories and tags.
import { call, fail, tell } from "./api.js";
import { ask } from "./ask.js";
import { parts } from "./parts.js";

export function words() {
  return {
    /** @param {Event} e */
    async rename(e) {
      const { kind, word } = /** @type {HTMLElement} */ (e.currentTarget).dataset;
      const to = await ask(kind === "category" ? "Path of the category" : "Tag", word);
      if (!to || to === word) return;
      tell(`Renaming ${word}…`);
      try {
        const done = await call("POST", "/api/v1/words", { kind, from: word, to });
        tell(done.says, async () => {
          const all = Object.entries(done.was);
          for (let i = 0; i < all.length; i += 500) await call("POST", "/api/v1/corrections", { restore: Object.fromEntries(all.slice(i, i + 500)) });
        });
        await this.show();
      } catch (x) {
        fail(x);
      }
    },
    show() {
      return parts("/words", "words");
    },
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.includes("library")) this.show();
    },
  };
}
