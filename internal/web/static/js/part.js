// @ts-check

/**
 * A part of the lens: within it `this` is the whole lens.
 * @template T
 * @param {T & ThisType<Lens & Magic>} it
 * @returns {T}
 */
export const lensPart = (it) => it;

/**
 * A part of Intake: within it `this` is all of it.
 * @template T
 * @param {T & ThisType<Intake & Magic>} it
 * @returns {T}
 */
export const intakePart = (it) => it;

/**
 * A part of the Lit lens: within it `this` is the whole.
 * @template T
 * @param {T & ThisType<Lit & Magic>} it
 * @returns {T}
 */
export const litPart = (it) => it;
