// @ts-check
// A button that deletes what a page shows. It can be restored from the page that it leads to.
import { call, fail, shown } from "./api.js";
import { island } from "./island.js";

export function deleting() {
  return island({
    /** @param {MouseEvent} e */
    async remove(e) {
      const button = /** @type {HTMLElement} */ (e.currentTarget);
      const { draft, delivery } = button.dataset;
      try {
        if (draft) await call("DELETE", `/api/v1/materials/${Number(draft)}`, undefined, shown(button));
        else await call("DELETE", `/api/v1/deliveries/${Number(delivery)}`, undefined, button.dataset.version);
        location.href = "/deleted";
      } catch (x) {
        fail(x);
      }
    },
  });
}
