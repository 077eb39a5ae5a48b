// @ts-check
// A choice list that is stepped through by keys acts once, when it is left or Enter is pressed, not at each arrow
// (WCAG 2.2, 3.2.2). Escape takes back what was stepped to. Lists without a box (.bare) only change
// what is looked at: they follow each arrow.

/** The list that keys have changed and that has not acted yet. @type {HTMLSelectElement | null} */
let stepped = null;
let before = "", byKeys = false;

/** @param {EventTarget | null} at @returns {HTMLSelectElement | null} */
const listOf = (at) => (at instanceof HTMLSelectElement && !at.matches(".bare") ? at : null);

function act() {
  const list = stepped;
  stepped = null;
  byKeys = false;
  if (list && list.value !== before) for (const type of ["input", "change"]) list.dispatchEvent(new Event(type, { bubbles: true }));
}

addEventListener("keydown", (e) => {
  const list = listOf(e.target);
  if (!list || e.altKey || e.ctrlKey || e.metaKey) return;
  if (e.key === "Enter" && stepped) {
    e.preventDefault();
    act();
  } else if (e.key === "Escape" && stepped) {
    e.stopImmediatePropagation();
    list.value = before;
    stepped = null;
  } else if (/^(Arrow|Page|Home|End|.$)/.test(e.key) && e.key !== " ") {
    if (stepped !== list) before = list.value;
    byKeys = true;
  } else byKeys = false;
}, true);
addEventListener("pointerdown", () => (byKeys = false), true);
addEventListener("focusout", act, true);
for (const type of ["input", "change"]) addEventListener(type, (e) => {
  const list = e.isTrusted ? listOf(e.target) : null;
  if (!list) return;
  if (!byKeys) { // chosen by the pointer: it acts now, and what was stepped to before is settled
    stepped = null;
    return;
  }
  e.stopImmediatePropagation();
  stepped = list;
}, true);
