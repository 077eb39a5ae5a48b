// @ts-check
// A material that somebody names by typing: the one that is called so, or a choice of those that come near it.
import { call } from "./api.js";

/** @typedef {{slug: string, name: string, release_id: number}} Found */

/**
 * The material that a name means. Where none is called exactly so, the nearest are offered.
 * @param {string} name
 * @returns {Promise<Found | null>} null if nothing was chosen
 */
export async function named(name) {
  const text = name.trim(), { items } = await call("GET", `/api/v1/library?q=${encodeURIComponent(text)}&per=8`);
  const same = items.filter((/** @type {Found} */ m) => m.name.toLowerCase() === text.toLowerCase() || m.slug === text);
  if (same.length === 1) return same[0];
  if (!items.length) throw new Error(`No material is called “${text}”. Type another name.`);
  return offer(text, same.length ? same : items);
}

/** @param {string} text @param {Found[]} items @returns {Promise<Found | null>} */
function offer(text, items) {
  const box = document.createElement("dialog"), head = document.createElement("p"), list = document.createElement("div"), leave = document.createElement("button");
  box.className = "ask";
  head.className = "label";
  head.textContent = `Which one is “${text}”?`;
  box.setAttribute("aria-label", head.textContent);
  list.className = "mt-2 grid gap-1";
  for (const m of items) {
    const b = document.createElement("button");
    b.type = "button";
    b.className = "act quiet text-left";
    b.textContent = m.name;
    b.addEventListener("click", () => box.close(m.slug));
    list.append(b);
  }
  leave.type = "button";
  leave.className = "link mt-3";
  leave.textContent = "Cancel";
  leave.addEventListener("click", () => box.close(""));
  box.append(head, list, leave);
  document.body.append(box);
  box.showModal();
  return new Promise((done) => box.addEventListener("close", () => {
    done(items.find((m) => m.slug === box.returnValue) ?? null);
    box.remove();
  }));
}
