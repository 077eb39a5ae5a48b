// @ts-check
// Figures that are dragged, stepped by arrows and turned by the wheel where they stand. One gesture is one change: what
// it makes of the figure is shown at once, and sent when it ends. Escape puts back.

/**
 * @typedef {object} Hooks
 * @property {(field: string, value: number) => string} preview shows a figure as it would be; gives the text of one that is more than a number
 * @property {(field: string, value: number) => void} restore shows it as it was again
 * @property {(field: string, value: number, landed: () => void) => Promise<unknown>} save begins at once; landed is called when the server has it, before the page is renewed
 */

/** @typedef {{at: HTMLElement, field: string, text: string, label: string, from: number, value: number, timer: number}} Gesture */

/** Pixels that a pointer moves before a press is a drag, and those of one step. */
const slack = 4, pace = 2;
/** Milliseconds without a key or a turn of the wheel that end a gesture. */
const rest = 700;

/** How a figure is stepped: see reach in bench_surface.go. @param {HTMLElement} at */
function reachOf(at) {
  const { by, least, most, ratio, unit } = at.dataset;
  return { by: Number(by), least: Number(least), most: Number(most), ratio: ratio !== undefined, unit: unit ?? "" };
}

/** A value some steps further: of a ratio, a step is a hundredth of it. @param {HTMLElement} at @param {number} from @param {number} steps */
export function stepped(at, from, steps) {
  const { by, least, most, ratio } = reachOf(at);
  const v = ratio && from > 0 ? Number((from * 1.01 ** steps).toPrecision(4)) : Math.round((from + steps * by) / (by / 10)) * (by / 10);
  return Number(Math.max(least, Math.min(most, v)).toPrecision(12));
}

/** @param {HTMLElement} at @param {number} v */
function textOf(at, v) {
  const { unit } = reachOf(at);
  if (unit === "m") return v < 0.1 ? `${(1000 * v).toFixed(1)}\u00a0mm` : `${v.toFixed(2)}\u00a0m`;
  if (unit === "mm") return `${(1000 * v).toFixed(1)}\u00a0mm`;
  return String(Number(v.toPrecision(6)));
}

/** @param {KeyboardEvent | WheelEvent | PointerEvent} e */
const pitch = (e) => (e.shiftKey ? 10 : e.altKey ? 0.1 : 1);

/** @param {HTMLElement} root @param {Hooks} hooks */
export function gestures(root, hooks) {
  /** @type {Gesture | null} */ let now = null;
  /** @type {{at: HTMLElement, x: number, id: number} | null} */ let pressed = null;
  const figure = (/** @type {EventTarget | null} */ t) => /** @type {HTMLElement | null} */ (t instanceof Element ? t.closest(".figure[data-by]") : null);

  /** @param {HTMLElement} at @returns {Gesture} */
  const begin = (at) => {
    if (now?.at === at) return now;
    if (now) finish();
    at.dataset.mine = ""; // news leaves it alone
    const from = Number(at.dataset.now);
    return (now = { at, field: at.dataset.field ?? "", text: (at.textContent ?? "").trim(), label: at.getAttribute("aria-label") ?? "", from, value: from, timer: 0 });
  };
  /** @param {Gesture} g @param {number} value */
  const put = (g, value) => {
    g.value = value;
    const text = hooks.preview(g.field, value) || textOf(g.at, value);
    g.at.textContent = text;
    if (g.label.endsWith(g.text)) g.at.setAttribute("aria-label", g.label.slice(0, -g.text.length) + text);
  };
  /** @param {Gesture} g */
  const back = (g) => {
    g.at.textContent = g.text;
    if (g.label) g.at.setAttribute("aria-label", g.label);
    delete g.at.dataset.mine;
    hooks.restore(g.field, g.from);
  };
  const cancel = () => {
    const g = now;
    if (!g) return;
    now = null;
    clearTimeout(g.timer);
    back(g);
  };
  const finish = () => {
    const g = now;
    if (!g) return;
    if (g.value === g.from) return cancel();
    now = null;
    clearTimeout(g.timer);
    const saved = hooks.save(g.field, g.value, () => delete g.at.dataset.mine);
    set(g.field, g.value); // the next gesture begins there
    saved.catch(() => {
      set(g.field, g.from);
      back(g);
    });
  };
  /** @param {string} field @param {number} value */
  const set = (field, value) => {
    for (const at of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll(`.figure[data-field="${field}"]`))) at.dataset.now = String(value);
  };
  /** Ends a gesture when nothing more comes. Where the page was busy meanwhile, what was pressed may still be on its way. @param {Gesture} g */
  const endSoon = (g) => {
    const due = performance.now() + rest;
    clearTimeout(g.timer);
    g.timer = window.setTimeout(() => (performance.now() > due + 100 ? endSoon(g) : finish()), rest);
  };
  /** @param {HTMLElement} at @param {number} steps */
  const step = (at, steps) => {
    const g = begin(at);
    put(g, stepped(at, g.value, steps));
    endSoon(g);
  };

  let ended = -Infinity; // when a drag did: its click is no press
  root.addEventListener("click", (e) => {
    if (e.timeStamp - ended < 200) e.stopPropagation();
    ended = -Infinity;
  }, true);
  root.addEventListener("pointerdown", (e) => {
    ended = -Infinity;
    const at = figure(e.target);
    if (at && e.button === 0 && !pressed) pressed = { at, x: e.clientX, id: e.pointerId };
  });
  root.addEventListener("pointermove", (e) => {
    if (!pressed || e.pointerId !== pressed.id) return;
    const { at, x } = pressed;
    if (!at.hasPointerCapture(e.pointerId)) {
      if (Math.abs(e.clientX - x) < slack) return;
      at.setPointerCapture(e.pointerId);
      at.focus();
      root.dataset.dragging = "";
      pressed.x = e.clientX;
    }
    const g = begin(at);
    clearTimeout(g.timer);
    put(g, stepped(at, g.value, ((e.clientX - pressed.x) / pace) * pitch(e)));
    pressed.x = e.clientX;
  });
  const drop = (/** @type {PointerEvent} */ e) => {
    const captured = figure(e.target)?.hasPointerCapture(e.pointerId);
    if (captured) ended = e.timeStamp;
    if (!pressed || e.pointerId !== pressed.id) return;
    const { at } = pressed, dragged = at.hasPointerCapture(e.pointerId);
    pressed = null;
    delete root.dataset.dragging;
    if (!dragged) return;
    if (e.type === "pointercancel") cancel();
    else finish();
  };
  root.addEventListener("pointerup", drop);
  root.addEventListener("pointercancel", drop);
  root.addEventListener("keydown", (e) => {
    const at = figure(e.target);
    if (!at || e.ctrlKey || e.metaKey) return;
    const steps = /** @type {Record<string, number>} */ ({ ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 })[e.key];
    if (steps) step(at, steps * pitch(e));
    else if (e.key === "Escape" && now) {
      pressed = null; // the rest of a drag means nothing
      delete root.dataset.dragging;
      cancel();
    }
    else if (e.key === "Enter" && now) finish();
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
  root.addEventListener("focusout", (e) => {
    if (now && e.target === now.at && !pressed) finish();
  });
  root.addEventListener("wheel", (e) => {
    const at = figure(e.target);
    if (!at || at !== document.activeElement || !(e.deltaY || e.deltaX)) return;
    e.preventDefault();
    step(at, -Math.sign(e.deltaY || e.deltaX) * pitch(e)); // with Shift a wheel turns sideways
  }, { passive: false });
  return {
    /** Shows once more what the gesture under way makes of its figure: the page was drawn anew. */
    again() {
      if (now) put(now, now.value);
    },
  };
}
