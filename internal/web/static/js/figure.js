// @ts-check
// Typed figures are read by the server alone, so that they mean the same everywhere.
import { call } from "./api.js";

/** @typedef {"length" | "shift" | "number" | "degrees" | "share"} Kind */

/** What was read before. @type {Map<string, number>} */
const known = new Map();

/**
 * The value of a typed figure: metres, degrees, a share or a number. What is not understood is an
 * error with a sentence.
 * @param {string} text
 * @param {Kind} kind
 * @returns {Promise<number>}
 */
export async function figure(text, kind) {
  const key = `${kind} ${text}`;
  if (!known.has(key)) known.set(key, (await call("GET", `/api/v1/figures?kind=${kind}&text=${encodeURIComponent(text)}`)).value);
  return /** @type {number} */ (known.get(key));
}
