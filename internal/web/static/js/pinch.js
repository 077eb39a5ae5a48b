// @ts-check
// Two fingers on a picture: they bring it nearer and move it. While both are down, what listens to one pointer hears nothing.

/**
 * @param {HTMLElement} on
 * @param {object} does
 * @param {() => void} does.begin what one finger had begun is given up
 * @param {(by: number, x: number, y: number, dx: number, dy: number) => void} does.move by how much they are further apart than before, where their middle is on the element, and how far it has moved
 */
export function pinches(on, { begin, move }) {
  /** @type {Map<number, {x: number, y: number}>} */ const down = new Map();
  const state = () => {
    const [a, b] = [...down.values()], box = on.getBoundingClientRect();
    return { far: Math.max(1, Math.hypot(a.x - b.x, a.y - b.y)), x: (a.x + b.x) / 2 - box.left, y: (a.y + b.y) / 2 - box.top };
  };
  on.addEventListener("pointerdown", (e) => {
    if (e.pointerType !== "touch") return;
    down.set(e.pointerId, { x: e.clientX, y: e.clientY });
    if (down.size < 2) return;
    e.stopImmediatePropagation();
    on.setPointerCapture(e.pointerId);
    if (down.size === 2) begin();
  }, true);
  on.addEventListener("pointermove", (e) => {
    const finger = down.get(e.pointerId);
    if (!finger || down.size < 2) return;
    e.stopImmediatePropagation();
    if (down.size > 2) return;
    const was = state();
    [finger.x, finger.y] = [e.clientX, e.clientY];
    const now = state();
    move(now.far / was.far, now.x, now.y, now.x - was.x, now.y - was.y);
  }, true);
  for (const end of ["pointerup", "pointercancel"]) {
    on.addEventListener(end, (e) => {
      const two = down.size > 1;
      down.delete(/** @type {PointerEvent} */ (e).pointerId);
      if (two) e.stopImmediatePropagation();
    }, true);
  }
}
