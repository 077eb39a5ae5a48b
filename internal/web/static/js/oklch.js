// @ts-check
// Colours as OKLCh: lightness 0..1, chroma, hue in degrees (Ottosson 2020), and where the gamut of sRGB ends.

/** @typedef {[number, number, number]} Three */

/** @param {number[]} rgb linear @returns {Three} */
export function oklch([r, g, b]) {
  const x = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b), y = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b), z = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  const l = 0.2104542553 * x + 0.793617785 * y - 0.0040720468 * z, a = 1.9779984951 * x - 2.428592205 * y + 0.4505937099 * z, k = 0.0259040371 * x + 0.7827717662 * y - 0.808675766 * z;
  return [l, Math.hypot(a, k), ((Math.atan2(k, a) * 180) / Math.PI + 360) % 360];
}

/** Linear light, which may leave 0..1. @param {number[]} lch @returns {Three} */
export function linearOf([l, c, h]) {
  const a = c * Math.cos((h * Math.PI) / 180), b = c * Math.sin((h * Math.PI) / 180);
  const x = (l + 0.3963377774 * a + 0.2158037573 * b) ** 3, y = (l - 0.1055613458 * a - 0.0638541728 * b) ** 3, z = (l - 0.0894841775 * a - 1.291485548 * b) ** 3;
  return [4.0767416621 * x - 3.3077115913 * y + 0.2309699292 * z, -1.2684380046 * x + 2.6097574011 * y - 0.3413193965 * z, -0.0041960863 * x - 0.7034186147 * y + 1.707614701 * z];
}

/** Whether linear light lies within sRGB. @param {number[]} rgb */
export const inside = (rgb) => rgb.every((v) => v >= -1e-4 && v <= 1 + 1e-4);

/** The largest chroma that sRGB has at a lightness and a hue. @param {number} l @param {number} h */
export function edge(l, h) {
  let [lo, hi] = [0, 0.4];
  for (let i = 0; i < 18; i++) {
    const c = (lo + hi) / 2;
    if (inside(linearOf([l, c, h]))) lo = c;
    else hi = c;
  }
  return lo;
}

/** @param {number} v */
const coded = (v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);

/** Linear light as #rrggbb, cut at black and white. @param {number[]} rgb */
export const hexOf = (rgb) => `#${rgb.map((v) => Math.round(255 * coded(Math.min(1, Math.max(0, v)))).toString(16).padStart(2, "0")).join("")}`;
