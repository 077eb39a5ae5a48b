// @ts-check
// The ledger's figures under the hand: the lenses follow a gesture at once, and its end is one change of the material.
import { gestures } from "./gestures.js";
import { colour, laid, moved, nested, relooked } from "./surface.js";

/**
 * @typedef {object} Owner
 * @property {() => any} figures the surface figures as they are
 * @property {(change: () => Record<string, any>, landed: () => void) => Promise<void>} save change is asked for when those before it have been saved
 */

/** The Lit lens, the figures that it is shaded with, and what a change makes of them. @param {HTMLElement} root */
function shading(root) {
  const lit = () => /** @type {HTMLElement | null} */ (root.querySelector("#lit")), look = () => JSON.parse(lit()?.dataset.look ?? "null");
  const at = (/** @type {string} */ field) => Number(/** @type {HTMLElement | null} */ (root.querySelector(`.figure[data-field="${field}"][data-now]`))?.dataset.now) || 1;
  /** The look with a change of the material: figures, or a size, a depth or a zero level. @param {Record<string, any>} change */
  const changed = (change) => {
    const now = look();
    if (!now) return null;
    if (change.figures) return relooked(now, change.figures);
    const [[field, value]] = Object.entries(change);
    if (field === "zero") return { ...now, zero: value };
    if (field === "depth_m") return { ...now, depth: (now.depth * value) / at(field) };
    return { ...now, size: now.size.map((/** @type {number} */ v, /** @type {number} */ i) => (i === (field === "width_m" ? 0 : 1) ? (v * value) / at(field) : v)) };
  };
  return {
    show: (/** @type {any} */ now) => lit()?.dispatchEvent(new CustomEvent("figured", { detail: now })),
    changed,
    /** The page has a change before the server: the next gesture begins there. Gives what takes it back. @param {Record<string, any>} change */
    keep(change) {
      const now = changed(change), element = lit(), ledger = /** @type {HTMLElement | null} */ (root.querySelector("[data-figures]"));
      const was = [element?.dataset.look, ledger?.dataset.figures];
      if (now && element) element.dataset.look = JSON.stringify(now);
      if (ledger && change.figures) ledger.dataset.figures = JSON.stringify(laid(JSON.parse(ledger.dataset.figures ?? "{}"), change.figures));
      return () => {
        if (element) element.dataset.look = was[0];
        if (ledger) ledger.dataset.figures = was[1];
      };
    },
  };
}

/**
 * Opens the picker for a colour of the ledger.
 * @param {HTMLElement} root @param {Owner} owner @param {HTMLElement} at
 */
export async function picking(root, owner, at) {
  const { show, changed, keep } = shading(root), path = (at.dataset.field ?? "").slice(4).split("."), text = (at.textContent ?? "").trim();
  const { lensNow } = /** @type {HTMLElement | null} */ (root.querySelector("[data-lens-now]"))?.dataset ?? {};
  const base = JSON.parse(lensNow ?? "{}").maps?.find((/** @type {{Channel: string}} */ m) => m.Channel === "base_color");
  const { pick } = await import("./picker.js");
  pick(at, {
    label: (at.getAttribute("aria-label") ?? "").split(":")[0], text, rgb: colour(text), map: base?.At ?? "", albedo: path.at(-1) === "base_color", read: colour,
    preview: (rgb) => show(changed({ figures: nested(path, rgb) })),
    restore: () => show(null),
    async save(rgb) {
      const change = { figures: nested(path, rgb) }, takeBack = keep(change);
      await owner.save(() => change, () => {}).catch((x) => {
        takeBack();
        throw x;
      });
      show(null); // the page has it now
    },
  });
}

/** @param {HTMLElement} root @param {Owner} owner */
export function figuring(root, owner) {
  const { show, changed, keep } = shading(root);
  const path = (/** @type {string} */ field) => (field.startsWith("fig:") ? field.slice(4) : "");
  const change = (/** @type {string} */ field, /** @type {number} */ value) => (path(field) ? { figures: moved(owner.figures(), path(field), value) } : { [field]: value });
  /** The lenses of maps know sizes and depths. @param {string} field @param {number} value */
  const size = (field, value) => {
    if (!path(field) && field !== "zero") root.querySelector("#lens")?.dispatchEvent(new CustomEvent("resized", { detail: { [field]: value } }));
  };
  root.dataset.hands = ""; // figures can be dragged now
  const hand = gestures(root, {
    preview(field, value) {
      const now = change(field, value);
      show(changed(now));
      size(field, value);
      const list = path(field) && path(field).split(".").reduce((/** @type {any} */ at, k) => at?.[k], now.figures);
      return Array.isArray(list) && list.some((v) => v !== list[0]) ? list.map((v) => Number(v.toPrecision(4))).join(" ") : "";
    },
    restore(field, value) {
      show(null);
      size(field, value);
    },
    async save(field, value, landed) {
      const takeBack = keep(change(field, value));
      await owner.save(() => change(field, value), landed).catch((x) => {
        takeBack();
        throw x;
      });
      show(null); // the page has it now
      hand.again();
    },
  });
  root.querySelector("#lit")?.addEventListener("relit", () => hand.again()); // the page was renewed meanwhile
}
