// @ts-check
// The ledger's figures under the hand: the lenses follow a gesture at once, and its end is one change of the material.
import { gestures } from "./gestures.js";
import { colour, moved, nested, relooked } from "./surface.js";

/**
 * @typedef {object} Owner
 * @property {() => any} figures the surface figures as they are
 * @property {(change: Record<string, unknown>, landed: () => void) => Promise<void>} save
 */

/**
 * Opens the picker for a colour of the ledger.
 * @param {HTMLElement} root @param {Owner} owner @param {HTMLElement} at
 */
export async function picking(root, owner, at) {
  const lit = /** @type {HTMLElement | null} */ (root.querySelector("#lit")), look = JSON.parse(lit?.dataset.look ?? "null");
  const shade = (/** @type {any} */ now) => lit?.dispatchEvent(new CustomEvent("figured", { detail: now }));
  const path = (at.dataset.field ?? "").slice(4).split("."), text = (at.textContent ?? "").trim(), label = (at.getAttribute("aria-label") ?? "").split(":")[0];
  const { lensNow } = /** @type {HTMLElement | null} */ (root.querySelector("[data-lens-now]"))?.dataset ?? {};
  const base = JSON.parse(lensNow ?? "{}").maps?.find((/** @type {{Channel: string}} */ m) => m.Channel === "base_color");
  const { pick } = await import("./picker.js");
  pick(at, {
    label, text, rgb: colour(text), map: base?.At ?? "", albedo: path.at(-1) === "base_color", read: colour,
    preview: (rgb) => look && shade(relooked(look, nested(path, rgb))),
    restore: () => shade(null),
    async save(rgb) {
      await owner.save({ figures: nested(path, rgb) }, () => {});
      shade(null);
    },
  });
}

/** @param {HTMLElement} root @param {Owner} owner */
export function figuring(root, owner) {
  const lit = () => /** @type {HTMLElement | null} */ (root.querySelector("#lit")), lens = () => root.querySelector("#lens");
  const shade = (/** @type {any} */ look) => lit()?.dispatchEvent(new CustomEvent("figured", { detail: look }));
  const path = (/** @type {string} */ field) => (field.startsWith("fig:") ? field.slice(4) : "");

  root.dataset.hands = ""; // figures can be dragged now
  gestures(root, {
    preview(field, value) {
      const look = JSON.parse(lit()?.dataset.look ?? "null");
      if (path(field)) {
        const figures = owner.figures(), change = moved(figures, path(field), value);
        if (look) shade(relooked(look, change));
        const list = path(field).split(".").reduce((at, k) => at?.[k], change);
        return Array.isArray(list) && list.some((v) => v !== list[0]) ? list.map((v) => Number(v.toPrecision(4))).join(" ") : "";
      }
      const at = /** @type {HTMLElement | null} */ (root.querySelector(`.figure[data-field="${field}"][data-now]`)), times = value / (Number(at?.dataset.now) || 1);
      if (look) {
        if (field === "depth_m") look.depth *= times;
        else if (field === "zero") look.zero = value;
        else look.size[field === "width_m" ? 0 : 1] *= times;
        shade(look);
      }
      if (field !== "zero") lens()?.dispatchEvent(new CustomEvent("resized", { detail: { [field]: value } }));
      return "";
    },
    restore(field) {
      shade(null);
      const at = /** @type {HTMLElement | null} */ (root.querySelector(`.figure[data-field="${field}"][data-now]`));
      if (at && !path(field) && field !== "zero") lens()?.dispatchEvent(new CustomEvent("resized", { detail: { [field]: Number(at.dataset.now) } }));
    },
    async save(field, value, landed) {
      await owner.save(path(field) ? { figures: moved(owner.figures(), path(field), value) } : { [field]: value }, landed);
      shade(null); // the page has it now
    },
  });
}
