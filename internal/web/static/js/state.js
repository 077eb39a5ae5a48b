// @ts-check
// What the reader of a page has done and the server doesn't know yet: one store for the page. Whatever puts the server's
// HTML on the page calls draw() afterwards, so that the store is drawn over it: news and searches can't take it away.

/** @typedef {{id: string, version: string, release: string, name: string}} Choice one thing of a list, as it was last shown */

export const state = {
  /** What is chosen of the page's list, also what the list does not show just now. @type {Map<string, Choice>} */
  chosen: new Map(),
  /** Favourites; null until they are known. @type {Set<number> | null} */
  stars: null,
  /** Fields of forms that were changed and not sent, by where they stand. @type {Map<string, string>} */
  typed: new Map(),
};

/** @type {Set<(root: ParentNode) => void>} */
const drawers = new Set();

/**
 * Adds something that draws a part of the store.
 * @param {(root: ParentNode) => void} drawer gets what is to be drawn on
 * @returns {() => void} takes it away
 */
export function draws(drawer) {
  drawers.add(drawer);
  drawer(document);
  return () => drawers.delete(drawer);
}

/** Draws the store on a part of the page, or on all of it. @param {ParentNode} [root] */
export function draw(root = document) {
  for (const drawer of drawers) drawer(root);
}

/** @typedef {HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement} Field */

/** Whether a form is sent by a press: its fields are kept until then. @param {Field} f */
const sendable = (f) => f.form && f.name && !f.form.matches("[role=search], [data-live]") && f.type !== "file" && f.type !== "password";

/** Where a field stands: the id of its form or of what that is in, the form among those there, its name. Forms of a list need an id. @param {Field} f */
function place(f) {
  const near = f.form?.closest("[id]"), form = /** @type {HTMLFormElement} */ (f.form);
  const at = [...(near?.querySelectorAll("form") ?? [])].indexOf(form);
  return `${near?.id ?? ""}/${at}/${f.name}${f.type === "checkbox" || f.type === "radio" ? `=${f.value}` : ""}`;
}

/** @param {Field} f */
const ticks = (f) => f instanceof HTMLInputElement && (f.type === "checkbox" || f.type === "radio");
/** What a field holds. @param {Field} f */
const held = (f) => (ticks(f) ? String(/** @type {HTMLInputElement} */ (f).checked) : f.value);

/** Whether a field holds something else than the server gave it. @param {Field} f */
function changed(f) {
  if (ticks(f)) return /** @type {HTMLInputElement} */ (f).checked !== /** @type {HTMLInputElement} */ (f).defaultChecked;
  if (!(f instanceof HTMLSelectElement)) return f.value !== f.defaultValue;
  const given = [...f.options].findIndex((o) => o.defaultSelected);
  return f.selectedIndex !== Math.max(0, given);
}

/** The fields of forms in a part of the page that are sent by a press. @param {ParentNode} root @returns {Field[]} */
const fields = (root) => [...root.querySelectorAll("input, textarea, select")].map((e) => /** @type {Field} */ (e)).filter(sendable);

/** Notes what is typed on the page and not sent: before it is changed. */
export function gather() {
  state.typed.clear();
  for (const f of fields(document)) if (changed(f)) state.typed.set(place(f), held(f));
}

/** Whether what a field holds was typed and not sent, as gather noted it. @param {Element} e */
export const unsent = (e) => "form" in e && state.typed.has(place(/** @type {Field} */ (e)));

/** Whether anything on the page is typed and not sent. */
export const anythingUnsent = () => fields(document).some(changed);

/** Puts what is typed and not sent into its fields. */
export function retype() {
  if (!state.typed.size) return;
  for (const f of fields(document)) {
    const was = state.typed.get(place(f));
    if (was === undefined || was === held(f)) continue;
    if (ticks(f)) /** @type {HTMLInputElement} */ (f).checked = was === "true";
    else f.value = was;
  }
}
