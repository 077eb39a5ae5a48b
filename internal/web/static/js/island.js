// @ts-check

/**
 * An island of interaction: an object that Alpine makes live. Within it `this` is the island with
 * what Alpine gives it.
 * @template T
 * @param {T & ThisType<T & Magic>} it
 * @returns {T}
 */
export const island = (it) => it;
