// @ts-check
// Talking to the server: JSON calls, and parts of pages.

/**
 * Calls the API. Problems become errors whose message is the server's sentence.
 * @param {string} method
 * @param {string} path
 * @param {unknown} [body]
 * @param {string | number} [version] of what is changed, as it is shown; "*" for whatever there is
 */
export async function call(method, path, body, version) {
  /** @type {Record<string, string>} */
  const headers = { Accept: "application/json" };
  if (body !== undefined) headers["Content-Type"] = "application/json";
  if (version) headers["If-Match"] = version === "*" ? "*" : `"${version}"`;
  let answer;
  try {
    answer = await fetch(path, { method, headers, body: body === undefined ? undefined : JSON.stringify(body) });
  } catch {
    throw new Error("The server cannot be reached. Check the connection and try again.");
  }
  const data = answer.status === 204 ? null : await answer.json().catch(() => null);
  if (!answer.ok) throw new Refused(data?.detail ?? `The server answered ${answer.status}.`, answer.status);
  return data;
}

/**
 * The version of the material on the Bench that is shown. An edit made here counts at once,
 * before the page has been brought up to date.
 * @param {Element} within the Bench
 */
export function shown(within) {
  const bench = /** @type {HTMLElement} */ (within.closest("[data-bench]"));
  const now = /** @type {HTMLElement} */ (bench.querySelector("[data-lens-now]"));
  return Math.max(Number(now.dataset.version), Number(bench.dataset.wrote ?? 0));
}

/**
 * Notes the version that an edit made here has made.
 * @param {Element} within the Bench
 * @param {{version: number}} material as the server answered
 */
export function wrote(within, material) {
  /** @type {HTMLElement} */ (within.closest("[data-bench]")).dataset.wrote = String(material.version);
}

/** A refusal of the server, with its sentence. */
export class Refused extends Error {
  /**
   * @param {string} says
   * @param {number} status
   */
  constructor(says, status) {
    super(says);
    this.status = status;
  }
}

/**
 * Undoes a recorded step, or with redo does it again, and says so.
 * @param {number | string} step
 * @param {"undo" | "redo"} [way]
 */
export async function turn(step, way = "undo") {
  const { says } = await call("POST", `/api/v1/steps/${step}/${way}`);
  tell(`${way === "undo" ? "Undone" : "Redone"}: ${says}.`);
}

// A press is let to its end: what is under it isn't changed between down and up,
// or the click would go nowhere.
let pressed = false;
addEventListener("pointerdown", (e) => (pressed = e.button === 0), true);
for (const end of ["pointerup", "pointercancel", "dragend"]) addEventListener(end, () => (pressed = false), true);
addEventListener("pointermove", (e) => (pressed &&= e.buttons !== 0), true); // let go where nobody heard of it

/** Waits until no button of the mouse is down, and what the press did is done. */
async function unpressed() {
  while (pressed) await new Promise((done) => setTimeout(done, 20));
}

/** How often a part was asked for. @type {WeakMap<Element, number>} */
const asked = new WeakMap();

/**
 * Fetches a part of a page and puts it into an element, keeping focus and open
 * details where they were. An element that somebody types in is left alone, but
 * for what stays anyway: the same rows, a filter, a form that is open (data-keep).
 * Of several questions for one element the last that was asked counts.
 * @param {string} url
 * @param {string} part
 * @param {Element | null} into
 */
export async function part(url, part, into) {
  if (!into) return;
  const mine = (asked.get(into) ?? 0) + 1;
  asked.set(into, mine);
  const answer = await fetch(url, { headers: { "X-Part": part } });
  if (!answer.ok) return;
  const html = await answer.text();
  await unpressed();
  if (asked.get(into) !== mine) return;
  const kept = /** @type {HTMLElement[]} */ ([...into.querySelectorAll("[data-keep]")]).filter((e) => !(e instanceof HTMLDetailsElement) || e.open);
  const focus = /** @type {HTMLElement | null} */ (into.contains(document.activeElement) ? document.activeElement : null);
  const stays = kept.some((k) => k.contains(focus));
  if (!stays && focus?.matches("input, textarea")) return;
  const caret = stays && focus instanceof HTMLInputElement ? [focus.selectionStart, focus.selectionEnd] : null;
  const key = focus && !stays ? keyOf(focus) : "";
  const which = (/** @type {HTMLElement} */ d) => d.dataset.facet ?? d.className + Object.keys(d.dataset);
  const open = [...into.querySelectorAll("details")].filter((d) => d.open).map(which);
  const fresh = document.createElement("template");
  fresh.innerHTML = html;
  // Rows that are the same stay: their pictures are loaded, and nothing is built twice.
  const rows = new Map([...into.querySelectorAll("tr[data-set]")].map((r) => [r.outerHTML, r]));
  for (const r of fresh.content.querySelectorAll("tr[data-set]")) {
    const old = rows.get(r.outerHTML);
    if (old) r.replaceWith(old);
  }
  for (const k of kept) fresh.content.querySelector(`[data-keep="${k.dataset.keep}"]`)?.replaceWith(k); // with what is typed in it
  into.replaceChildren(fresh.content);
  if (stays) {
    focus?.focus({ preventScroll: true });
    if (caret) /** @type {HTMLInputElement} */ (focus).setSelectionRange(caret[0], caret[1]);
  }
  for (const d of into.querySelectorAll("details")) if (open.includes(which(d))) d.open = true;
  if (key) /** @type {HTMLElement | null} */ (into.querySelector(key))?.focus();
}

/** @param {Element} e */
function keyOf(e) {
  for (const name of ["data-map", "data-accept", "data-leave", "data-field", "data-chip", "href"]) {
    const v = e.getAttribute(name);
    if (v) return `[${name}="${CSS.escape(v)}"]`;
  }
  return "";
}

/**
 * Says something at the foot of the page, with a way back if there is one, and
 * with what else could be done.
 * @param {string} text
 * @param {(() => Promise<void>) | null} [undo]
 * @param {{word: string, key: string, act: () => Promise<void>}[]} [more]
 */
export function tell(text, undo = null, more = []) {
  dispatchEvent(new CustomEvent("tell", { detail: { text, undo, more } }));
}
