// @ts-check
// Picking a colour: sliders of lightness, chroma and hue with the edge of sRGB, a value to type, the last ones used, and
// the mean of a disc of the picture. What is picked shows at once; Escape puts back.
import { call } from "./api.js";
import { edge, hexOf, inside, linearOf, oklch } from "./oklch.js";

/**
 * @typedef {object} Picking
 * @property {string} label
 * @property {string} text the colour as it is written
 * @property {number[]} rgb linear
 * @property {string} map address of the base colour map, or ""
 * @property {boolean} albedo whether it is light that a surface reflects, which has physical bounds
 * @property {(text: string) => number[]} read linear light of a typed colour; an error with a sentence otherwise
 * @property {(rgb: number[]) => void} preview
 * @property {() => void} restore
 * @property {(rgb: number[]) => Promise<unknown>} save
 */

const tracks = [["Lightness", 1, 0.005], ["Chroma", 0.37, 0.002], ["Hue", 360, 1]];
const kept = "aldermoor.colours";
const mostKept = 8;

/** @returns {string[]} */
const recent = () => {
  try {
    const list = JSON.parse(localStorage.getItem(kept) ?? "[]");
    return Array.isArray(list) ? list.filter((k) => /^#[0-9a-f]{6}$/.test(k)) : [];
  } catch {
    return []; // damaged: nothing is lost that matters
  }
};

/** @param {string} tag @param {Record<string, string>} attributes @param {(Node | string)[]} inner */
function element(tag, attributes, ...inner) {
  const e = document.createElement(tag);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  e.append(...inner);
  return e;
}

/**
 * Opens the picker beside what it changes. Closing it keeps the colour, Escape puts back.
 * @param {HTMLElement} at @param {Picking} what
 */
export function pick(at, what) {
  const box = element("div", { popover: "auto", class: "picker", role: "dialog", "aria-label": `Colour: ${what.label}` });
  box.dataset.mine = "";
  let rgb = what.rgb, lch = oklch(rgb.map((v) => Math.min(1, Math.max(0, v)))), put = false, over = false;

  const field = /** @type {HTMLInputElement} */ (element("input", { class: "field num", "aria-label": what.label, spellcheck: "false" }));
  const says = element("p", { class: "soft", "aria-live": "polite" }), wrong = element("p", { class: "stop", role: "alert" });
  const swatch = element("canvas", { class: "picked", width: "44", height: "34", "aria-hidden": "true" });
  const rows = tracks.map(([name, most, step], i) => {
    const track = /** @type {HTMLCanvasElement} */ (element("canvas", { width: "232", height: "10", "aria-hidden": "true" }));
    const range = /** @type {HTMLInputElement} */ (element("input", { type: "range", min: "0", max: String(most), step: String(step), "aria-label": String(name) }));
    range.addEventListener("input", () => {
      lch[i] = Number(range.value);
      take(linearOf([lch[0], Math.min(lch[1], edge(lch[0], lch[2])), lch[2]]));
    });
    return { track, range, row: element("label", {}, element("span", {}, String(name)), element("span", { class: "track" }, track, range)) };
  });

  /** @param {number[]} now */
  const take = (now) => {
    rgb = now.map((v) => Number(Math.min(100, Math.max(0, v)).toFixed(6)));
    field.value = rgb.some((v) => v > 1.0005) ? rgb.map((v) => Number(v.toPrecision(3))).join(" ") : hexOf(rgb);
    field.removeAttribute("aria-invalid");
    wrong.textContent = "";
    what.preview(rgb);
    draw();
  };
  const draw = () => {
    const g = /** @type {CanvasRenderingContext2D} */ (/** @type {HTMLCanvasElement} */ (swatch).getContext("2d"));
    g.fillStyle = hexOf(rgb);
    g.fillRect(0, 0, 44, 34);
    rows.forEach(({ track, range }, i) => {
      range.value = String(lch[i]);
      const c = /** @type {CanvasRenderingContext2D} */ (track.getContext("2d")), most = Number(tracks[i][1]);
      for (let x = 0; x < track.width; x += 2) {
        const at = /** @type {[number, number, number]} */ (lch.map((v, k) => (k === i ? (x / track.width) * most : v)));
        const light = linearOf(at), fits = inside(light);
        c.fillStyle = fits ? hexOf(light) : (x / 2) % 3 ? "#777777" : "#c8c8c8"; // hatched: beyond sRGB
        c.fillRect(x, 0, 2, 10);
      }
    });
    const reflects = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2], most = edge(lch[0], lch[2]);
    const bounds = !what.albedo ? "" : reflects > 0.9 ? "Reflects more than fresh snow (90 %)." : reflects < 0.02 ? "Reflects less than charcoal (2 %)." : `Reflects ${Math.round(100 * reflects)} %: physical (2 to 90 %).`;
    says.textContent = [bounds, lch[1] <= most + 0.001 ? "" : most < 0.005 ? "No colour is this light or dark: change the lightness." : `At the edge of sRGB: chroma ${most.toFixed(3)}.`].filter(Boolean).join(" ");
    says.className = what.albedo && (reflects > 0.9 || reflects < 0.02) ? "doubt" : "soft";
  };
  /** Reads what is typed; false if it is no colour. */
  const typed = () => {
    try {
      const now = what.read(field.value);
      lch = oklch(now.map((v) => Math.min(1, Math.max(0, v))));
      rgb = now;
      wrong.textContent = "";
      field.removeAttribute("aria-invalid");
      what.preview(rgb);
      draw();
      return true;
    } catch (x) {
      wrong.textContent = /** @type {Error} */ (x).message;
      field.setAttribute("aria-invalid", "true");
      return false;
    }
  };
  field.addEventListener("change", typed);
  const close = () => /** @type {any} */ (box).hidePopover();
  box.addEventListener("keydown", (e) => {
    e.stopPropagation();
    if (e.key === "Escape") put = true;
    if (e.key === "Enter" && e.target === field && (field.value === what.text || typed())) {
      e.preventDefault();
      close();
    }
  });

  const last = element("p", { class: "recent", "aria-label": "Last used" }, ...recent().map((hex) => {
    const b = element("button", { type: "button", "aria-label": hex, title: hex });
    b.style.background = hex;
    b.addEventListener("click", () => {
      field.value = hex;
      typed();
    });
    return b;
  }));
  box.append(element("p", { class: "flex gap-2" }, swatch, field), ...rows.map((r) => r.row), says, wrong, last);
  if (what.map) box.append(fromPicture(what.map, (now) => {
    lch = oklch(now);
    take(now);
  }, wrong));

  box.addEventListener("toggle", (e) => {
    if (/** @type {ToggleEvent} */ (e).newState !== "closed" || over) return;
    over = true;
    box.remove();
    at.focus();
    if (put || rgb.every((v, i) => Math.abs(v - what.rgb[i]) < 1e-6)) return what.restore();
    localStorage.setItem(kept, JSON.stringify([hexOf(rgb), ...recent().filter((k) => k !== hexOf(rgb))].slice(0, mostKept)));
    what.save(rgb).catch(() => what.restore());
  });
  document.body.append(box);
  /** @type {any} */ (box).showPopover();
  const near = at.getBoundingClientRect(), own = box.getBoundingClientRect();
  box.style.left = `${Math.max(8, Math.min(near.left, innerWidth - own.width - 8))}px`;
  box.style.top = `${near.bottom + own.height + 8 < innerHeight ? near.bottom + 4 : Math.max(8, Math.min(near.top - own.height - 4, innerHeight - own.height - 8))}px`;
  field.value = what.text;
  draw();
  field.focus();
  field.select();
}

/**
 * The base colour map, from which the mean of a disc is taken: by pointer, or by arrows and Enter.
 * @param {string} map @param {(rgb: number[]) => void} take @param {HTMLElement} wrong
 */
function fromPicture(map, take, wrong) {
  const img = element("img", { src: `${map}/picture.jpg?px=256`, alt: "", draggable: "false" }), ring = element("span", { class: "ring", "aria-hidden": "true" });
  const radius = /** @type {HTMLInputElement} */ (element("input", { type: "range", min: "0.5", max: "15", step: "0.5", value: "3", "aria-label": "Radius of the disc, percent of the width" }));
  const mat = element("div", { class: "from", role: "application", tabindex: "0", "aria-label": "Base colour map: arrows move the disc, Enter picks its mean" }, img, ring);
  let [u, v] = [0.5, 0.5];
  const place = () => {
    const r = Number(radius.value) / 100, w = mat.clientWidth, h = mat.clientHeight;
    ring.style.width = ring.style.height = `${Math.max(4, 2 * r * w)}px`;
    ring.style.left = `${u * w}px`;
    ring.style.top = `${v * h}px`;
  };
  const get = async () => {
    try {
      take((await call("GET", `${map}/mean?u=${u.toFixed(4)}&v=${v.toFixed(4)}&radius=${Number(radius.value) / 100}`)).linear);
    } catch (x) {
      wrong.textContent = /** @type {Error} */ (x).message;
    }
  };
  const point = (/** @type {PointerEvent} */ e) => {
    const b = mat.getBoundingClientRect();
    [u, v] = [(e.clientX - b.left) / b.width, (e.clientY - b.top) / b.height].map((k) => Math.max(0, Math.min(1, k)));
    place();
  };
  mat.addEventListener("pointermove", point);
  mat.addEventListener("click", get);
  mat.addEventListener("keydown", (e) => {
    const by = /** @type {Record<string, number[]>} */ ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] })[e.key], n = e.shiftKey ? 0.1 : 0.01;
    if (by) [u, v] = [u + by[0] * n, v + by[1] * n].map((k) => Math.max(0, Math.min(1, k)));
    else if (e.key === "Enter") get();
    else return;
    e.preventDefault();
    place();
  });
  radius.addEventListener("input", place);
  img.addEventListener("load", place);
  return element("details", { class: "more" }, element("summary", {}, "From the picture"), mat, element("label", {}, element("span", {}, "Disc"), radius));
}
