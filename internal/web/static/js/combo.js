// @ts-check
// Suggestions under a text field, for one value or for several between commas.
import Combobox from "../vendor/combobox-nav.js";
import { call } from "./api.js";

/**
 * @typedef {object} Source
 * @property {string} [facet] of the Library whose values are suggested: tag, category
 * @property {string} [list] or the id of a datalist
 * @property {boolean} [many] values between commas
 */

const most = 8;
let count = 0;

/**
 * Suggests values while somebody types.
 * @param {HTMLInputElement} input
 * @param {Source} source
 * @returns {() => void} takes the suggestions away
 */
export function suggest(input, source) {
  const list = document.createElement("ul");
  list.id = `suggestions-${++count}`;
  list.className = "suggestions";
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", "Suggestions");
  list.dataset.mine = "";
  list.hidden = true;
  document.body.append(list);
  const box = new Combobox(input, list, { tabInsertsSuggestions: false });
  let asked = 0;

  const parts = () => (source.many ? input.value.split(",") : [input.value]);
  const hide = () => {
    if (list.hidden) return;
    list.hidden = true;
    box.stop();
  };
  const fill = async () => {
    const mine = ++asked, all = parts(), text = all[all.length - 1].trim();
    const had = all.slice(0, -1).map((w) => w.trim().toLowerCase());
    const found = (await values(source, text)).filter((v) => !had.includes(v.toLowerCase()) && v !== text).slice(0, most);
    if (mine !== asked || document.activeElement !== input) return;
    list.replaceChildren(...found.map((v, i) => {
      const option = document.createElement("li");
      option.id = `${list.id}-${i}`;
      option.setAttribute("role", "option");
      option.textContent = v;
      return option;
    }));
    if (!found.length) return hide();
    const at = input.getBoundingClientRect();
    list.style.left = `${at.left}px`;
    list.style.minWidth = `${Math.max(at.width, 160)}px`;
    const room = innerHeight - at.bottom > 34 * found.length + 12;
    list.style.top = room ? `${at.bottom + 2}px` : "";
    list.style.bottom = room ? "" : `${innerHeight - at.top + 2}px`;
    box.stop();
    list.hidden = false;
    box.start();
  };

  /** @param {Event} e */
  const take = (e) => {
    const value = /** @type {HTMLElement} */ (e.target).textContent ?? "";
    input.value = [...parts().slice(0, -1).map((w) => w.trim()), value].join(", ") + (source.many ? ", " : "");
    input.dispatchEvent(new Event("input", { bubbles: true }));
    if (!source.many) hide();
  };
  /** @param {KeyboardEvent} e */
  const escape = (e) => {
    if (e.key !== "Escape" || list.hidden) return;
    hide();
    e.preventDefault(); // the field stays
  };

  list.addEventListener("mousedown", (e) => e.preventDefault()); // the field keeps the focus
  list.addEventListener("combobox-commit", take);
  input.addEventListener("keydown", escape, true);
  input.addEventListener("input", fill);
  input.addEventListener("focus", fill);
  input.addEventListener("blur", hide);
  addEventListener("scroll", hide, { passive: true });
  if (document.activeElement === input) fill();
  return () => {
    hide();
    box.destroy();
    list.remove();
    removeEventListener("scroll", hide);
  };
}

/**
 * What begins like a text, or has a word that does.
 * @param {Source} source
 * @param {string} text
 * @returns {Promise<string[]>}
 */
async function values(source, text) {
  if (source.facet) {
    const { items } = await call("GET", `/library/choices?facet=${source.facet}&text=${encodeURIComponent(text)}`).catch(() => ({ items: [] }));
    return items.map((/** @type {{value: string}} */ k) => k.value);
  }
  const options = /** @type {HTMLDataListElement | null} */ (document.getElementById(source.list ?? ""))?.options ?? [];
  return [...options].map((o) => o.value).filter((v) => v.toLowerCase().includes(text.toLowerCase()));
}

/**
 * Whether a key of the field is meant for its suggestions.
 * @param {KeyboardEvent} e
 */
export const forSuggestions = (e) => e.defaultPrevented || (e.key === "Enter" && /** @type {Element} */ (e.target).hasAttribute("aria-activedescendant"));
