// @ts-check
// A region that is fetched anew when one of its topics changes.
import { island } from "./island.js";
import { parts } from "./parts.js";

export function refresh() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced

    init() {
      this.root = this.$root;
    },

    timer: 0,
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      const topics = (this.root.dataset.topics ?? "").split(" ");
      if (!e.detail.some((t) => topics.includes(t.split(":")[0]))) return;
      clearTimeout(this.timer);
      const name = this.root.dataset.part ?? "";
      this.timer = window.setTimeout(() => parts(location.href, name), 200);
    },
  });
}
