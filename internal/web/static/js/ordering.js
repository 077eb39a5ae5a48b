// @ts-check
// A collection's order by hand: a card is dragged to its place, or moved by a step with keys.
import { call, fail, tell } from "./api.js";

/** What heads a collection of one's own that is shown in its own order. @returns {HTMLElement | null} */
const mine = () => (new URL(location.href).searchParams.get("sort") === "hand" ? document.querySelector("[data-mine-to-order]") : null);

/** Moves a card within its collection by a step. @param {HTMLElement} card @param {number} by */
export async function shift(card, by) {
  if (!mine()) return tell("Open a collection of yours to change its order.");
  const other = /** @type {HTMLElement | null} */ (by < 0 ? card.previousElementSibling : card.nextElementSibling);
  if (other && (await put(card, other, by > 0))) /** @type {HTMLElement} */ (card.querySelector(".sample")).focus();
}

/**
 * Puts a card before or after another one, in the collection and on the page.
 * @param {HTMLElement} card @param {HTMLElement} other @param {boolean} after
 */
async function put(card, other, after) {
  const head = mine();
  if (!head) return false;
  const at = `/api/v1/collections/${head.dataset.collection}`, id = Number(card.dataset.card);
  try {
    const c = await call("GET", at);
    const items = c.materials.map((/** @type {any} */ m) => m.material_id).filter((/** @type {number} */ n) => n !== id);
    items.splice(items.indexOf(Number(other.dataset.card)) + (after ? 1 : 0), 0, id);
    await call("PATCH", at, { items }, c.version);
  } catch (x) {
    fail(/** @type {Error} */ (x));
    return false;
  }
  if (after) other.after(card);
  else other.before(card);
  return true;
}

/** Lets cards be dragged into another order. @param {HTMLElement} root holds the cards */
export function dragging(root) {
  /** @type {HTMLElement | null} */ let held = null;
  const card = (/** @type {Event} */ e) => /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-card]"));
  const mark = (/** @type {HTMLElement | null} */ on, after = false) => {
    for (const c of root.querySelectorAll("[data-drop]")) c.removeAttribute("data-drop");
    on?.setAttribute("data-drop", after ? "after" : "before");
  };
  /** Whether the pointer is past the middle: across in the wall, down in the table. @param {DragEvent} e @param {HTMLElement} c */
  const past = (e, c) => {
    const box = c.getBoundingClientRect();
    return root.dataset.shelf === "table" ? e.clientY > box.top + box.height / 2 : e.clientX > box.left + box.width / 2;
  };
  root.addEventListener("dragstart", (e) => {
    held = mine() ? card(e) : null;
    if (!held || !e.dataTransfer) return;
    e.dataTransfer.effectAllowed = "move";
    held.setAttribute("data-held", "");
  });
  root.addEventListener("dragover", (e) => {
    const over = card(e);
    if (!held || !over) return;
    e.preventDefault(); // it may be dropped here
    mark(over === held ? null : over, past(e, over));
  });
  root.addEventListener("drop", (e) => {
    const over = card(e);
    if (!held || !over) return;
    e.preventDefault();
    if (over !== held) put(held, over, past(e, over));
  });
  root.addEventListener("dragend", () => {
    held?.removeAttribute("data-held");
    held = null;
    mark(null);
  });
}
