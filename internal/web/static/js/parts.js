// @ts-check
// Parts of a page, brought up to date in place: the elements that are there are
// changed into what the server renders now, so that focus, selection, scroll,
// open details, dialogs and pictures stay.
import { Idiomorph } from "../vendor/idiomorph.js";
import { fail, fetched } from "./api.js";
import { draw, gather, retype, unsent } from "./state.js";

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

/** Parts that could not be fetched: they are fetched when the line is there again, or by a press. @type {Map<string, {again: () => Promise<boolean>, said: string}>} */
const missed = new Map();
addEventListener("line", () => {
  for (const { again } of missed.values()) again();
});

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
  /** @type {string | null} */ let problem = "The server can't be reached.";
  const html = await fetched(url, { headers: { "X-Part": key }, signal: mine.signal })
    .then(async (answer) => {
      if (answer.ok) return answer.text();
      problem = answer.status === 401 ? null : await says(answer);
      return null;
    })
    .catch(() => null);
  await released();
  if (underWay.get(key) !== mine) return false; // a newer call
  underWay.delete(key);
  if (html === null) {
    const again = () => parts(where, ...names);
    const said = `This page is not up to date. ${problem}`;
    missed.set(key, { again, said });
    if (problem) fail(said, again);
    return false;
  }
  const was = missed.get(key);
  if (was) dispatchEvent(new CustomEvent("mended", { detail: was.said }));
  missed.delete(key);
  if (typeof where !== "string" && where() !== url) return parts(where, ...names);
  const fresh = document.createElement("template");
  fresh.innerHTML = html;
  gather();
  for (const t of /** @type {NodeListOf<HTMLTemplateElement>} */ (fresh.content.querySelectorAll("template[data-part]"))) {
    const old = document.getElementById(t.dataset.part ?? "");
    if (old) morph(old, t.content);
  }
  retype();
  draw();
  return true;
}

/** The sentence of an answer that refuses. @param {Response} answer */
async function says(answer) {
  const text = await answer.text().catch(() => "");
  try {
    return JSON.parse(text).detail;
  } catch {
    return `The server answered ${answer.status}.`;
  }
}

/**
 * Changes the children of an element into others. An island ([data-island]) owns what is in it: it is told what the server
 * has now ("renewed", with the fresh element), and the morph never enters it.
 * @param {Element} old
 * @param {DocumentFragment} fresh
 */
export function morph(old, fresh) {
  Idiomorph.morph(old, [...fresh.childNodes], {
    morphStyle: "innerHTML",
    callbacks: {
      // What a script put there itself (an open edit), and a dialog that somebody is looking at.
      beforeNodeRemoved: (/** @type {Node} */ n) => !(n instanceof HTMLElement && (n.dataset.mine !== undefined || n.matches("dialog[open]") || n.querySelector("dialog[open]"))),
      beforeNodeMorphed: (/** @type {Node} */ n, /** @type {Node} */ now) => {
        if (!(n instanceof HTMLElement)) return true;
        if (n.dataset.island !== undefined) {
          n.dispatchEvent(new CustomEvent("renewed", { detail: now }));
          return false;
        }
        return !(n.hasAttribute("x-text") || n.dataset.mine !== undefined); // text that Alpine writes
      },
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
  if (name === "value" || name === "checked" || name === "selected") {
    const field = e instanceof HTMLOptionElement ? e.closest("select") : e;
    return !!field && field !== document.activeElement && !unsent(field) && !field.hasAttribute("x-model");
  }
  if (name === "style") return !e.hasAttribute("x-show");
  return name !== "x-cloak" && !e.hasAttribute(`:${name}`);
}
