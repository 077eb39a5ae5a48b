// @ts-check
// What the server packs for the graphics hardware, as plain data: a material's maps with all their levels, an
// environment, and the tables of the scattering.

/** @typedef {{name: string, stored: string, plain: string}} Layer */
/** @typedef {{w: number, h: number, levels: number, layers: Layer[], maps: string[], heights: [number, number], glow: number, slopes: {size: [number, number], depth: number} | null}} MapsHead */
/** @typedef {{w: number, h: number, layers: Record<string, Uint8Array>}} Level RGBA, 8 bits */
/** @typedef {{head: MapsHead, levels: Level[], px: number}} Maps */
/** @typedef {{white: number, key: number[], bearing: number, height: number, sizes: number[], diffuse: number[][], sun: {direction: number[], light: number[], radius: number, angle: number}}} LightHead */
/** @typedef {{head: LightHead, faces: {n: number, texels: Uint32Array}[]}} Light each level's six faces, RGB9E5 */

/**
 * @param {string} url @param {AbortSignal} [signal]
 * @returns {Promise<{head: any, bytes: ArrayBuffer, at: number}>}
 */
async function fetched(url, signal) {
  const answer = await fetch(url, { signal });
  if (!answer.ok) throw new Error((await answer.json().catch(() => null))?.detail ?? `The server answered ${answer.status}.`);
  const bytes = await answer.arrayBuffer();
  const long = new DataView(bytes).getUint32(0, true);
  return { head: JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, long))), bytes, at: 4 + long };
}

/**
 * Adds up the differences of a plane (see Pack in core/shade) into one component of RGBA.
 * @param {Uint8Array} plane @param {Uint8Array} to @param {number} component @param {number} w
 */
function sum(plane, to, component, w) {
  const row = 4 * w;
  for (let i = 0, o = component; i < plane.length;) {
    for (let left = 0, end = i + w; i < end; i++, o += 4) {
      left = to[o] = (plane[i] + ((left + (o >= row ? to[o - row] : 0)) >> 1)) & 255;
    }
  }
}

/** A material's maps. @param {string} url @param {number} px @param {AbortSignal} [signal] @returns {Promise<Maps>} */
export async function maps(url, px, signal) {
  const { head, bytes, at } = await fetched(url, signal);
  /** @type {Level[]} */ const levels = [];
  let [w, h, from] = [head.w, head.h, at];
  for (let i = 0; i < head.levels; i++) {
    /** @type {Record<string, Uint8Array>} */ const layers = {};
    for (const { name, stored, plain } of head.layers) {
      const to = (layers[name] = new Uint8Array(4 * w * h));
      for (const c of stored) {
        const plane = new Uint8Array(bytes, from, w * h), at = "rgba".indexOf(c);
        if (plain.includes(c)) for (let i = 0; i < plane.length; i++) to[4 * i + at] = plane[i];
        else sum(plane, to, at, w);
        from += w * h;
      }
    }
    levels.push({ w, h, layers });
    w = Math.max(1, w >> 1);
    h = Math.max(1, h >> 1);
  }
  return { head, levels, px };
}

/** An environment. @param {string} url @param {AbortSignal} [signal] @returns {Promise<Light>} */
export async function light(url, signal) {
  const { head, bytes, at } = await fetched(url, signal);
  const words = new Uint32Array(at % 4 ? bytes.slice(at) : bytes, at % 4 ? 0 : at); // texels lie at whole words
  let from = 0;
  const faces = head.sizes.map((/** @type {number} */ n) => {
    const texels = words.subarray(from, from + 6 * n * n);
    from += 6 * n * n;
    return { n, texels };
  });
  return { head, faces };
}

/** The tables of the scattering, RGBA: 33 columns by cosine, the last of them the mean, 32 rows by roughness. @returns {Promise<Float32Array>} */
export async function tables() {
  const answer = await fetch("/light/tables.bin?v=tables-1");
  if (!answer.ok) throw new Error(`The server answered ${answer.status}.`);
  return new Float32Array(await answer.arrayBuffer());
}
