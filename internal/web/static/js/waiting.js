// @ts-check
// What waits: changes for the one before them, scripts for somebody who uses them.

/**
 * Runs acts one after the other: each begins when the one before it has ended, well or badly.
 * @returns {<T>(act: () => Promise<T>) => Promise<T>}
 */
export function inTurn() {
  /** @type {Promise<unknown>} */ let last = Promise.resolve();
  return (act) => {
    const next = last.then(act, act);
    last = next.catch(() => {});
    return next;
  };
}

/** Acts once, when a pointer or the focus comes to an element. @param {HTMLElement} root @param {() => unknown} act */
export function whenUsed(root, act) {
  const names = ["pointerover", "pointerdown", "focusin"];
  const wake = () => {
    for (const name of names) root.removeEventListener(name, wake);
    act();
  };
  for (const name of names) root.addEventListener(name, wake);
}
