// @ts-check
// All keys of a page: one registry, which listens, refuses a key that is taken, and fills the list
// behind "?". Keys are told by what they type, not by where they lie, so that every layout of
// keyboards works.

/**
 * @typedef {object} Shortcut
 * @property {string} key as KeyboardEvent has it: "j", "U", "Enter", " ", "/"
 * @property {string} says what it does, for the list; one that says nothing is not listed
 * @property {((e: KeyboardEvent) => unknown)} [run] false if it is not meant just now; without it another part listens
 * @property {boolean} [typing] also while somebody types in a field
 * @property {string} [scope] of keys that count in one state of the page alone: in another scope the key may mean something else
 */

/** The shortcuts of the page by key. @type {Map<string, (Shortcut & {place: string})[]>} */
const all = new Map();

/** What listens when no shortcut took a key. @type {((e: KeyboardEvent) => void)[]} */
const others = [];

const fields = "input:not([type=checkbox]), textarea, select";

/**
 * Adds shortcuts of a place.
 * @param {string} place its name in the list
 * @param {Shortcut[]} list
 */
export function keys(place, list) {
  for (const k of list) {
    const there = all.get(k.key) ?? [], same = there.find((o) => !o.scope || !k.scope || o.scope === k.scope);
    if (same) throw new Error(`The key ${k.key} of ${place} is taken by ${same.place}: ${same.says}.`);
    all.set(k.key, [...there, { ...k, place }]);
  }
}

/** @param {(e: KeyboardEvent) => void} listen to keys that no shortcut took */
export function otherKeys(listen) {
  others.push(listen);
}

const off = "aldermoor.letters";
/** Whether single characters are shortcuts, here in this browser: who speaks or has unsteady hands may not want them. */
export const letters = () => localStorage.getItem(off) !== "off";
/** @param {boolean} on */
export function setLetters(on) {
  if (on) localStorage.removeItem(off);
  else localStorage.setItem(off, "off");
}

addEventListener("keydown", (e) => {
  if (e.key.length === 1 && e.key !== " " && !letters()) return;
  if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented || document.querySelector("dialog[open]")) return;
  const typing = /** @type {Element} */ (e.target).matches(fields);
  for (const k of all.get(e.key) ?? []) if (k.run && (!typing || k.typing) && k.run(e) !== false) return e.preventDefault();
  if (!typing) for (const listen of others) listen(e);
});

const names = /** @type {Record<string, string>} */ ({ " ": "Space", Escape: "Esc", ArrowUp: "arrows" });

/** The list for people: places in the order in which they came, each with its keys. */
export function listed() {
  /** @type {Map<string, {keys: string[], says: string}[]>} */
  const out = new Map();
  for (const k of [...all.values()].flat()) {
    if (!k.says) continue;
    const list = out.get(k.place) ?? [];
    out.set(k.place, list);
    const same = list.find((o) => o.says === k.says);
    if (same) same.keys.push(names[k.key] ?? k.key);
    else list.push({ keys: [names[k.key] ?? k.key], says: k.says });
  }
  return out;
}
