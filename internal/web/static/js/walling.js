// @ts-check
// A wall or a floor of one's own size on a material's page: how many repeats it takes.
import { fail } from "./api.js";
import { figure } from "./figure.js";
import { island } from "./island.js";
import { parts } from "./parts.js";

export function walling() {
  return island({
    /** @param {Event} e */
    async measure(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget);
      try {
        const metres = await figure(field.value, "length"), url = new URL(location.href);
        if (!(metres > 0)) throw new Error("A wall has a width and a height above 0.");
        url.searchParams.set(field.name, `${metres} m`);
        history.replaceState(null, "", url);
        field.removeAttribute("aria-invalid");
        await parts(url.href, "wall");
      } catch (x) {
        field.setAttribute("aria-invalid", "true");
        fail(/** @type {Error} */ (x));
      }
    },
  });
}
