// @ts-check
// Parts of a page, brought up to date in place: the elements that are there are
// changed into what the server renders now, so that focus, selection, scroll,
// open details, dialogs and pictures stay.
import { Idiomorph } from "../vendor/idiomorph.js";
import { fetched } from "./api.js";

// A press is left to finish: what is under the pointer isn't moved between down
// and up, or the click would go somewhere else.
let pressed = false;
addEventListener("pointerdown", (e) => (pressed = e.button === 0), true);
for (const end of ["pointerup", "pointercancel", "dragend"]) addEventListener(end, () => (pressed = false), true);
addEventListener("pointermove", (e) => (pressed &&= e.buttons !== 0), true); // released outside of the window

/** Waits until no button of the mouse is down. */
async function released() {
  while (pressed) await new Promise((done) => setTimeout(done, 20));
}

/** The request under way for each list of parts; a newer one ends it. @type {Map<string, AbortController>} */
const underWay = new Map();

/**
 * Fetches parts of a page in one answer and morphs the elements with these ids.
 * Of several calls for the same parts only the last one counts.
 * @param {string | (() => string)} where the page's address; a function where it may change meanwhile: then it is asked for again
 * @param {...string} names ids of elements, and names of templates
 * @returns {Promise<boolean>} whether the page shows what the server has now
 */
export async function parts(where, ...names) {
  const key = names.join(","), url = typeof where === "string" ? where : where();
  underWay.get(key)?.abort();
  const mine = new AbortController();
  underWay.set(key, mine);
  const html = await fetched(url, { headers: { "X-Part": key }, signal: mine.signal })
    .then((answer) => (answer.ok ? answer.text() : null))
    .catch(() => null); // ended by a newer call, or the connection is lost: the stream says so
  await released();
  if (underWay.get(key) !== mine) return false;
  underWay.delete(key);
  if (html === null) return false;
  if (typeof where !== "string" && where() !== url) return parts(where, ...names);
  const fresh = document.createElement("template");
  fresh.innerHTML = html;
  for (const t of /** @type {NodeListOf<HTMLTemplateElement>} */ (fresh.content.querySelectorAll("template[data-part]"))) {
    const old = document.getElementById(t.dataset.part ?? "");
    if (old) morph(old, t.content);
  }
  return true;
}

/**
 * Changes the children of an element into others.
 * @param {Element} old
 * @param {DocumentFragment} fresh
 */
function morph(old, fresh) {
  Idiomorph.morph(old, [...fresh.childNodes], {
    morphStyle: "innerHTML",
    callbacks: {
      // What a script put there itself: an open edit.
      // A dialog that is open, too: somebody is looking at it.
      beforeNodeRemoved: (/** @type {Node} */ n) => !(n instanceof HTMLElement && (n.dataset.mine !== undefined || n.matches("dialog[open]") || n.querySelector("dialog[open]"))),
      // Text that Alpine writes, and a part within the part that a script fills.
      beforeNodeMorphed: (/** @type {Node} */ n) => !(n instanceof HTMLElement && (n.hasAttribute("x-text") || n.dataset.mine !== undefined)),
      beforeAttributeUpdated: keeps,
    },
  });
}

/**
 * Whether an attribute may be changed: not if it is the reader's doing or Alpine's.
 * @param {string} name
 * @param {Element} e
 */
function keeps(name, e) {
  if (name === "open") return !(e instanceof HTMLDetailsElement || e instanceof HTMLDialogElement);
  if (name === "aria-pressed") return !e.matches("[data-chip]"); // the lens says which map it shows
  if (name === "hidden") return !(e.nextElementSibling?.hasAttribute("data-mine"));
  if (name === "value" && (e instanceof HTMLInputElement || e instanceof HTMLTextAreaElement)) {
    return e !== document.activeElement && e.value === e.defaultValue && !e.hasAttribute("x-model"); // typed, and not yet sent
  }
  if (name === "style") return !e.hasAttribute("x-show");
  return name !== "x-cloak" && !e.hasAttribute(`:${name}`);
}
