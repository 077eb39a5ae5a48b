// @ts-check
// How the camera of the Lit lens stands, how large the shapes are, and how the light is turned.

/**
 * What is looked at and how; angles are degrees, as the server has them.
 * @typedef {{shape: string, size: number, yaw: number, pitch: number, zoom: number, panX: number, panY: number, turn: number, tilt: number, strength: number,
 *   exposure: number, tone: boolean, background: string, relief: boolean, plaster: boolean, channel: string, drift: number, room?: number}} View room is what the camera leaves for relief, where several looks share it
 */

export const angle = 20;

/**
 * A shape's measures: what the shader takes, and the radius of a ball around it.
 * @param {string} shape @param {number} s
 * @returns {{extent: [number, number, number], radius: number, steep: number}}
 */
export function measures(shape, s) {
  if (shape === "slab") return { extent: [s / 2, s / 2, s * 0.04], radius: Math.hypot(s / 2, s / 2, s * 0.04), steep: 1 };
  if (shape === "block") return { extent: [s / 2, s / 2, s / 2], radius: Math.hypot(s / 2, s / 2, s / 2), steep: 1 };
  if (shape === "column") return { extent: [s * 0.25, s / 2, 0], radius: Math.hypot(s * 0.25, s / 2), steep: 1 };
  if (shape === "drape") return { extent: [s, s * 1.1, 0], radius: Math.hypot(s, s * 1.1) / 2, steep: Math.hypot(1, 2 * Math.PI * 0.05 * (4.5 + 0.8 * 1.3)) };
  if (shape === "swatch") return { extent: [s, s, s], radius: s / 2, steep: 1 };
  return { extent: [s / 2, 0, 0], radius: s / 2, steep: 1 };
}

/** The relief that is marched. @param {View} v @param {{top: number, bottom: number}} s metres above the zero level */
export function marched(v, { top, bottom }) {
  const { radius } = measures(v.shape, v.size);
  if (!v.relief || top - bottom <= 2e-6) return { on: false, top: 0, bottom: 0 };
  return { on: true, top, bottom: Math.max(bottom, -radius * 0.3) };
}

/**
 * How the camera stands: its distance, and the picture's height (in metres for a swatch, else in metres a metre).
 * @param {View} v @param {{top: number, bottom: number}} s @param {number} width @param {number} height
 */
export function cameraOf(v, s, width, height, own = 0) {
  const radius = own || measures(v.shape, v.size).radius, relief = marched(v, s);
  if (v.shape === "swatch") return { away: v.size, span: (v.size * height) / width / v.zoom, metres: v.size / width / v.zoom };
  const away = ((radius + Math.max(v.room ?? relief.top, 0)) * 1.05) / Math.sin(((angle / 2) * Math.PI) / 180);
  let span = (2 * Math.tan(((angle / 2) * Math.PI) / 180)) / v.zoom;
  if (width < height) span *= height / width;
  return { away, span, metres: (span / height) * away };
}

/** A rotation to the right by yaw around the upright, then up by pitch; rows. @param {number} yaw @param {number} pitch */
export function around(yaw, pitch) {
  const [y, p] = [(yaw * Math.PI) / 180, (pitch * Math.PI) / 180], [sy, cy, sp, cp] = [Math.sin(y), Math.cos(y), Math.sin(p), Math.cos(p)];
  return [[cy, 0, sy], [sp * sy, cp, -sp * cy], [-cp * sy, sp, cp * cy]];
}

/** @param {number[][]} m rows @param {number[]} v */
export const times = (m, v) => m.map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);
/** @param {number[][]} m */
export const transposed = (m) => [0, 1, 2].map((i) => m.map((row) => row[i]));

/** Leads from the world to a light whose key is turned to the right and raised; rows. @param {number[]} key @param {number} turn @param {number} tilt */
export function turned(key, turn, tilt) {
  const across = Math.hypot(key[0], key[2]), axis = across > 1e-4 ? [-key[2] / across, 0, key[0] / across] : [1, 0, 0];
  const s = Math.sin((tilt * Math.PI) / 180), c = Math.cos((tilt * Math.PI) / 180), yaw = around(turn, 0);
  return [0, 1, 2].map((i) => {
    const e = [0, 1, 2].map((k) => (k === i ? 1 : 0));
    const cross = [axis[1] * e[2] - axis[2] * e[1], axis[2] * e[0] - axis[0] * e[2], axis[0] * e[1] - axis[1] * e[0]];
    return times(yaw, e.map((v, k) => v * c + cross[k] * s + axis[k] * axis[i] * (1 - c)));
  });
}
