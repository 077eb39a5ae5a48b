// @ts-check
// What a material's figures mean for the shaders: core/material's Decode and core/shade's Surface, in the same order.

/** @typedef {import("./packs.js").MapsHead} MapsHead */
/**
 * core/shade's Look.
 * @typedef {{size: [number, number], depth: number, zero: number, values: Record<string, number[]>, figures: any}} Look
 */

/** What pictures show of a channel that nothing is known of. */
const unknown = /** @type {Record<string, number[]>} */ ({ base_color: [0.5, 0.5, 0.5], roughness: [0.6], metallic: [0], occlusion: [1], opacity: [1], transmission: [1], coat: [1], anisotropy: [1], sheen: [1, 1, 1] });

/** What there is of a material: channels with a map or a value. @param {MapsHead} head @param {Look} look @returns {string[]} */
export const channelsOf = (head, look) => [...head.maps, ...Object.keys(look.values).filter((c) => !head.maps.includes(c))];

/** Metres above the zero level of the layer's heights of 0 and 1; both 0 without a relief. @param {MapsHead} head @param {Look} look @returns {{bottom: number, top: number}} */
export function reliefOf(head, look) {
  if (!head.maps.includes("height") || look.depth <= 0) return { bottom: 0, top: 0 };
  const [bottom, top] = head.heights.map((h) => (h - look.zero) * look.depth);
  return { bottom, top };
}

/** Reflectance at normal incidence by the index of refraction. @param {number} n */
const reflectance = (n) => ((n - 1) / (n + 1)) ** 2;

/**
 * The uniforms of the figures, and of what has no map.
 * @param {MapsHead} head @param {Look} look
 * @returns {Record<string, any>}
 */
export function figuresOf(head, look) {
  const f = look.figures, mapped = (/** @type {string} */ c) => (head.maps.includes(c) ? 1 : 0);
  const given = look.values.roughness === undefined && look.values.glossiness ? { ...look.values, roughness: [1 - look.values.glossiness[0]] } : look.values;
  const known = (/** @type {string} */ c) => mapped(c) || given[c] !== undefined;
  const value = (/** @type {string} */ c) => given[c] ?? unknown[c], one = (/** @type {string} */ c) => value(c)[0];
  const glow = emissionOf(f.emission), index = reflectance(f.index);
  const recolours = known("base_color"), g = f.grade;
  // Slopes that come from heights grow with the depth, and fall with the size that it is laid over.
  const s = head.slopes, flip = mapped("normal") && f.normal_flip ? -1 : 1;
  const slope = s ? [0, 1].map((i) => (look.depth / s.depth) * (s.size[i] / look.size[i]) * f.normal_strength) : [f.normal_strength, flip * f.normal_strength];
  return {
    mappedBase: [mapped("base_color"), mapped("opacity"), mapped("roughness"), mapped("metallic")],
    mappedMore: [mapped("emissive"), mapped("specular"), mapped("sheen"), mapped("normal") || s ? 1 : 0],
    mappedRare: [mapped("transmission"), mapped("coat"), mapped("anisotropy"), mapped("occlusion")],
    valueColor: value("base_color"), valueSpecular: given.specular ?? [index, index, index], valueSheen: value("sheen"), valueEmissive: given.emissive ?? (glow.some((v) => v > 0) ? [1, 1, 1] : [0, 0, 0]),
    valueBase: [one("opacity"), one("roughness"), one("metallic"), one("occlusion")], valueRare: [one("transmission"), one("coat"), one("anisotropy"), 0],
    tint: recolours ? f.tint : [1, 1, 1], gradeSlope: g.slope, gradeOffset: g.offset, gradePower: g.power, saturation: g.saturation,
    roughRange: known("roughness") ? f.roughness : [0, 1], metalFactor: known("metallic") ? f.metallic : 1, slope,
    openness: known("opacity") ? [f.opacity, f.opacity_invert ? 1 : 0, f.cutoff] : [1, 0, 0],
    edge: f.edge, coatColor: f.coat.color, sheenColor: f.sheen.color.map((/** @type {number} */ v) => v * f.sheen.share), emission: glow,
    sigma: f.transmission.color.map((/** @type {number} */ c) => (f.transmission.distance > 0 ? -Math.log(Math.max(c, 1e-4)) / f.transmission.distance : 0)),
    index: f.index, diffuseRough: f.diffuse_roughness, transmission: f.transmission.share, anisotropy: f.anisotropy,
    coat: f.coat.share, coatRough: f.coat.roughness, coatF0: reflectance(f.coat.index), sheenRough: f.sheen.roughness, glow: head.glow,
    grain: [Math.cos((f.anisotropy_angle * Math.PI) / 180), Math.sin((f.anisotropy_angle * Math.PI) / 180)],
  };
}

/** Which parts of the shading the figures need. @param {MapsHead} head @param {Look} look @param {boolean} plaster */
export function partsOf(head, look, plaster) {
  const f = look.figures, yes = (/** @type {unknown} */ is) => (is ? 1 : 0), full = !plaster, has = channelsOf(head, look);
  const graded = has.includes("base_color") && (f.grade.saturation !== 1 || [...f.grade.slope, ...f.grade.power].some((v) => v !== 1) || f.grade.offset.some((/** @type {number} */ v) => v !== 0));
  return {
    GRADE: yes(full && graded), COAT: yes(full && f.coat.share > 0), SHEEN: yes(full && f.sheen.share > 0), ANISOTROPY: yes(full && f.anisotropy), TRANSMISSION: yes(full && f.transmission.share > 0),
    THIN: yes(f.transmission.thin), ROUGH_DIFFUSE: yes(f.diffuse_roughness > 0), EDGE: yes(f.edge.some((/** @type {number} */ e) => e !== 1)), OPENINGS: yes(has.includes("opacity")),
    MORE: yes(head.layers.some((l) => ["glow", "spec", "sheen"].includes(l.name))),
  };
}

/** Emission in cd/m² where the map is white; zeros where it has no unit. @param {{luminance: number, color: number[], temperature: number}} e */
function emissionOf(e) {
  if (e.luminance <= 0) return [0, 0, 0];
  const c = e.temperature > 0 ? temperature(e.temperature) : e.color, l = Math.max(luminance(c), 1e-6);
  return c.map((v) => (v / l) * e.luminance);
}

/** @param {number[]} c */
const luminance = (c) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/** The colour of light of a temperature: core/colour's Temperature. @param {number} kelvin */
export function temperature(kelvin) {
  const t = Math.min(Math.max(kelvin, 1667), 25000), k = Math.min(Math.max((t - 4000) / 1000, 0), 1);
  const [d, p] = [daylight(Math.max(t, 4000)), planck(t)], [x, y] = [0, 1].map((i) => p[i] + (d[i] - p[i]) * k);
  const [X, Z] = [x / y, (1 - x - y) / y];
  const c = [3.2404542 * X - 1.5371385 - 0.4985314 * Z, -0.969266 * X + 1.8760108 + 0.041556 * Z, 0.0556434 * X - 0.2040259 + 1.0572252 * Z].map((v) => Math.max(v, 0));
  const l = luminance(c);
  return c.map((v) => v / l);
}

/** @param {number} t */
function daylight(t) {
  const x = t <= 7000 ? -4.607e9 / t ** 3 + 2.9678e6 / t ** 2 + 0.09911e3 / t + 0.244063 : -2.0064e9 / t ** 3 + 1.9018e6 / t ** 2 + 0.24748e3 / t + 0.23704;
  return [x, -3 * x * x + 2.87 * x - 0.275];
}

/** @param {number} t */
function planck(t) {
  const x = t <= 4000 ? -0.2661239e9 / t ** 3 - 0.2343589e6 / t ** 2 + 0.8776956e3 / t + 0.17991 : -3.0258469e9 / t ** 3 + 2.1070379e6 / t ** 2 + 0.2226347e3 / t + 0.24039;
  const [a, b, c, d] = t <= 2222 ? [-1.1063814, -1.3481102, 2.18555832, -0.20219683] : t <= 4000 ? [-0.9549476, -1.37418593, 2.09137015, -0.16748867] : [3.081758, -5.8733867, 3.75112997, -0.37001483];
  return [x, a * x ** 3 + b * x ** 2 + c * x + d];
}
