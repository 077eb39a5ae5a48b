// @ts-check
// Choosing things of a list: the same on Intake, Bench and Library. What is chosen stays chosen while filters, pages and
// news change what is shown, until it is cleared. An item is [data-item] with its version; its box is [data-choose].
import { keys } from "./keys.js";
import { draw, draws, state } from "./state.js";

/** @type {string} the item that was chosen last: from it on, Shift chooses a row of them */
let last = "";

/** @returns {HTMLElement[]} */
const items = () => [...document.querySelectorAll("[data-item]")].map((e) => /** @type {HTMLElement} */ (e));

/** @param {HTMLElement} e @returns {import("./state.js").Choice} */
const choiceOf = (e) => ({ id: e.dataset.item ?? "", version: e.dataset.version ?? "", release: e.dataset.release ?? "", name: e.dataset.name ?? "" });

const told = () => dispatchEvent(new CustomEvent("chosen"));

/** Shows which items are chosen, and learns the versions that are shown. @param {ParentNode} root */
function show(root) {
  for (const e of root.querySelectorAll("[data-item]")) {
    const item = /** @type {HTMLElement} */ (e), on = state.chosen.has(item.dataset.item ?? "");
    if (on) state.chosen.set(item.dataset.item ?? "", choiceOf(item));
    item.toggleAttribute("data-chosen", on);
    const box = /** @type {HTMLInputElement | null} */ (item.querySelector("[data-choose]"));
    if (box) box.checked = on;
  }
}

/**
 * Chooses an item, or no longer.
 * @param {HTMLElement} item
 * @param {boolean} on
 * @param {boolean} [through] all from the last one on
 */
export function choose(item, on, through = false) {
  const all = items(), at = all.indexOf(item), from = all.findIndex((e) => e.dataset.item === last);
  const [lo, hi] = through && from >= 0 ? [Math.min(at, from), Math.max(at, from)] : [at, at];
  for (const e of all.slice(lo, hi + 1)) {
    if (!e.querySelector("[data-choose]")) continue;
    if (on) state.chosen.set(e.dataset.item ?? "", choiceOf(e));
    else state.chosen.delete(e.dataset.item ?? "");
  }
  last = item.dataset.item ?? "";
  draw();
  told();
}

/** Chooses nothing. */
export function clear() {
  state.chosen.clear();
  draw();
  told();
}

/** No longer chooses some. @param {(string | number)[]} ids */
export function unchoose(ids) {
  for (const id of ids) state.chosen.delete(String(id));
  draw();
  told();
}

/** What is chosen, in the order in which it was. */
export const chosen = () => [...state.chosen.values()];
/** What is chosen, with the versions that were shown. */
export const versions = () => chosen().map(({ id, version }) => ({ id: Number(id), version: Number(version) }));

/** @param {EventTarget | null} t */
const itemAt = (t) => /** @type {HTMLElement | null} */ (t instanceof Element ? t.closest("[data-item]") : null);

/**
 * Lets items of a page be chosen: by their boxes, with Ctrl and Shift, and by keys.
 * @param {string} place in the list of keys
 * @param {string} what one of them is: "material", "set"
 */
export function choosing(place, what) {
  draws(show);
  document.addEventListener("click", (e) => {
    const t = /** @type {Element} */ (e.target), item = itemAt(t), box = /** @type {HTMLInputElement | null} */ (t.closest("[data-choose]"));
    if (!item) return;
    if (box) return choose(item, box.checked, e.shiftKey);
    if (t.closest("a") && (e.shiftKey || e.ctrlKey || e.metaKey) && item.querySelector("[data-choose]")) {
      e.preventDefault();
      choose(item, !state.chosen.has(item.dataset.item ?? ""), e.shiftKey);
    }
  });
  keys(place, [
    { key: "x", scope: "list", says: `choose the ${what}`, run: (e) => { // on a map of Intake it is another key
      const item = /** @type {Element} */ (e.target).closest("[data-cell]") ? null : itemAt(e.target);
      return item?.querySelector("[data-choose]") ? choose(item, !state.chosen.has(item.dataset.item ?? "")) : false;
    } },
    { key: "Escape", scope: "list", says: "clear the selection", run: () => (state.chosen.size ? clear() : false) },
  ]);
}
