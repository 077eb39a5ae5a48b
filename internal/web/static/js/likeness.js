// @ts-check
// How different two pictures look: CIEDE2000 (Sharma, Wu & Dalal 2005) of pixels in sRGB.

/** @param {number} v 0..255 */
const linear = (v) => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);

/** @param {number} r @param {number} g @param {number} b @returns {[number, number, number]} */
export function lab(r, g, b) {
  const [R, G, B] = [linear(r), linear(g), linear(b)];
  const f = (/** @type {number} */ t) => (t > 216 / 24389 ? Math.cbrt(t) : (24389 / 27 * t + 16) / 116);
  const x = f((0.4124564 * R + 0.3575761 * G + 0.1804375 * B) / 0.95047), y = f(0.2126729 * R + 0.7151522 * G + 0.072175 * B), z = f((0.0193339 * R + 0.119192 * G + 0.9503041 * B) / 1.08883);
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

/** @param {number[]} p @param {number[]} q */
export function difference([l1, a1, b1], [l2, a2, b2]) {
  const seventh = (/** @type {number} */ c) => c ** 7, p25 = 25 ** 7, deg = Math.PI / 180;
  const c = (Math.hypot(a1, b1) + Math.hypot(a2, b2)) / 2, g = 0.5 * (1 - Math.sqrt(seventh(c) / (seventh(c) + p25)));
  a1 *= 1 + g;
  a2 *= 1 + g;
  const c1 = Math.hypot(a1, b1), c2 = Math.hypot(a2, b2);
  const hue = (/** @type {number} */ a, /** @type {number} */ b) => (a || b ? (Math.atan2(b, a) + 2 * Math.PI) % (2 * Math.PI) : 0);
  const h1 = hue(a1, b1), h2 = hue(a2, b2);
  let dh = c1 * c2 ? h2 - h1 : 0;
  if (dh > Math.PI) dh -= 2 * Math.PI;
  else if (dh < -Math.PI) dh += 2 * Math.PI;
  let mean = h1 + h2;
  if (c1 * c2) mean = Math.abs(h1 - h2) <= Math.PI ? mean / 2 : mean < 2 * Math.PI ? mean / 2 + Math.PI : mean / 2 - Math.PI;
  const l = (l1 + l2) / 2, cm = (c1 + c2) / 2;
  const t = 1 - 0.17 * Math.cos(mean - 30 * deg) + 0.24 * Math.cos(2 * mean) + 0.32 * Math.cos(3 * mean + 6 * deg) - 0.2 * Math.cos(4 * mean - 63 * deg);
  const sl = 1 + (0.015 * (l - 50) ** 2) / Math.sqrt(20 + (l - 50) ** 2), sc = 1 + 0.045 * cm, sh = 1 + 0.015 * cm * t;
  const rt = -Math.sin(60 * deg * Math.exp(-(((mean / deg - 275) / 25) ** 2))) * 2 * Math.sqrt(seventh(cm) / (seventh(cm) + p25));
  const x = (l2 - l1) / sl, y = (c2 - c1) / sc, z = (2 * Math.sqrt(c1 * c2) * Math.sin(dh / 2)) / sh;
  return Math.sqrt(Math.max(0, x * x + y * y + z * z + rt * y * z));
}

/**
 * Mean and 99th percentile of the difference of two pictures of RGBA.
 * @param {Uint8Array | Uint8ClampedArray} a @param {Uint8Array | Uint8ClampedArray} b
 */
export function alike(a, b) {
  const all = [];
  for (let i = 0; i < a.length; i += 4) all.push(a[i] === b[i] && a[i + 1] === b[i + 1] && a[i + 2] === b[i + 2] ? 0 : difference(lab(a[i], a[i + 1], a[i + 2]), lab(b[i], b[i + 1], b[i + 2])));
  const sorted = [...all].sort((x, y) => x - y);
  return { mean: all.reduce((s, v) => s + v, 0) / all.length, most: sorted[Math.floor(sorted.length * 0.99)], all };
}
