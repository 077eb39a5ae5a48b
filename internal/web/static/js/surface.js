// @ts-check
// Surface figures as they are typed: colours, three figures at once, plain ones.
import { figure } from "./figure.js";

/** An object with a value at a path. @param {string[]} path @param {unknown} value @returns {any} */
export const nested = (path, value) => path.reduceRight((inner, k) => ({ [k]: inner }), /** @type {any} */ (value));

/** The change that puts figures back, by their paths ("tint", "constants.roughness"). @param {string[]} names */
export function cleared(names) {
  /** @type {Record<string, any>} */ const all = {};
  for (const n of names) {
    const [group, ...rest] = n.split(".");
    all[group] = rest.length ? { ...all[group], ...nested(rest, null) } : null;
  }
  return all;
}

/** A component of sRGB in linear light. @param {number} v */
const linear = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/** A colour #rrggbb, or three linear components. @param {string} text */
export function colour(text) {
  const hex = text.trim().match(/^#?([0-9a-f]{6})$/i)?.[1] ?? text.trim().match(/^#?([0-9a-f]{3})$/i)?.[1].replace(/./g, "$&$&");
  if (hex) return [0, 2, 4].map((i) => Math.round(linear(parseInt(hex.slice(i, i + 2), 16) / 255) * 1e6) / 1e6);
  const three = text.trim().split(/[\s;]+/).map(Number);
  if (three.length === 3 && three.every((v) => v >= 0)) return three;
  throw new Error(`${text} is no colour: write #8a6d3b, or red, green and blue as figures.`);
}

/**
 * The change of the figures that what was typed means.
 * @param {any} now the figures as they are
 * @param {string} path @param {string} text
 */
export async function change(now, path, text) {
  const keys = path.split("."), at = (/** @type {string[]} */ list) => list.reduce((v, k) => v?.[k], now);
  const was = at(keys), last = keys.at(-1) ?? "";
  if (/color$|^tint$/.test(last) || keys[0] === "constants" && keys.length === 2) return nested(keys, colour(text));
  if (Array.isArray(was)) { // one figure for all three, or three
    const list = await Promise.all(text.trim().split(/[\s;]+/).map((t) => figure(t, "number")));
    if (list.length !== 1 && list.length !== 3) throw new Error("Write one figure, or three with spaces between.");
    return nested(keys, list.length === 1 ? was.map(() => list[0]) : list);
  }
  const value = await figure(text, "number");
  if (/^\d$/.test(last)) { // one of a list
    const list = [...(at(keys.slice(0, -1)) ?? [0, 0, 0])];
    list[Number(last)] = value;
    if (keys[0] === "constants") list.fill(value);
    return nested(keys.slice(0, -1), list);
  }
  return nested(keys, value);
}

/**
 * The change of the figures that a number at a path means: of three figures at once, the others go along.
 * @param {any} now the figures as they are
 * @param {string} path @param {number} value
 */
export function moved(now, path, value) {
  const keys = path.split("."), at = (/** @type {string[]} */ list) => list.reduce((v, k) => v?.[k], now), last = keys.at(-1) ?? "";
  if (/^\d$/.test(last)) { // one of a list
    const list = [...(at(keys.slice(0, -1)) ?? [0, 0, 0])];
    list[Number(last)] = value;
    if (keys[0] === "constants") list.fill(value);
    return nested(keys.slice(0, -1), list);
  }
  const was = at(keys);
  if (!Array.isArray(was)) return nested(keys, value);
  const [first] = was;
  return nested(keys, was.map((v) => (last === "offset" || !first ? v + value - first : Number(((v * value) / first).toPrecision(6)))));
}

/** Figures with a change laid over them. @param {any} now @param {any} change @returns {any} */
export function laid(now, change) {
  if (change === null || typeof change !== "object" || Array.isArray(change)) return change;
  return { ...now, ...Object.fromEntries(Object.entries(change).map(([k, v]) => [k, laid(now?.[k], v)])) };
}

/**
 * What a look (core/shade's Look) becomes by a change of the figures.
 * @param {import("./lit/figures.js").Look} look @param {any} change
 * @returns {import("./lit/figures.js").Look}
 */
export function relooked(look, { constants, ...figures }) {
  return { ...look, values: { ...look.values, ...constants }, figures: laid(look.figures, figures) };
}
