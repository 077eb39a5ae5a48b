// @ts-check
// What the server packs for the graphics hardware, as textures: a material's maps with all their levels,
// an environment, and the tables of the scattering.
import { CubeTexture, DataTexture, DataUtils, HalfFloatType, LinearFilter, LinearMipmapLinearFilter, NoColorSpace, RGBAFormat, RGBFormat, RepeatWrapping, SRGBColorSpace, UnsignedInt5999Type } from "../../vendor/three.module.js";

/** @typedef {{w: number, h: number, levels: number, layers: string[], size: [number, number], top: number, bottom: number, glow: number, emission: number[], has: string[], figures: any}} SurfaceHead */
/** @typedef {{head: SurfaceHead, maps: Record<string, any>, px: number}} Surface */
/** @typedef {{white: number, key: number[], bearing: number, height: number, sizes: number[], diffuse: number[][], sun: {direction: number[], light: number[], radius: number, angle: number}}} LightHead */
/** @typedef {{head: LightHead, sky: any}} Light */

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

/** A material's maps. @param {string} url @param {number} px @param {AbortSignal} [signal] @returns {Promise<Surface>} */
export async function surface(url, px, signal) {
  const { head, bytes, at } = await fetched(url, signal);
  /** @type {Record<string, {data: Uint8Array, width: number, height: number}[]>} */ const levels = {};
  let [w, h, from] = [head.w, head.h, at];
  for (let i = 0; i < head.levels; i++) {
    for (const layer of head.layers) {
      (levels[layer] ??= []).push({ data: new Uint8Array(bytes, from, 4 * w * h), width: w, height: h });
      from += 4 * w * h;
    }
    w = Math.max(1, w >> 1);
    h = Math.max(1, h >> 1);
  }
  /** @type {Record<string, any>} */ const maps = {};
  for (const layer of head.layers) {
    const list = levels[layer], t = new DataTexture(list[0].data, head.w, head.h, RGBAFormat);
    t.mipmaps = list;
    t.wrapS = t.wrapT = RepeatWrapping;
    t.magFilter = LinearFilter;
    t.minFilter = LinearMipmapLinearFilter;
    t.colorSpace = layer === "color" || layer === "spec" || layer === "sheen" ? SRGBColorSpace : NoColorSpace;
    t.needsUpdate = true;
    maps[layer] = t;
  }
  return { head, maps, px };
}

/** An environment. @param {string} url @param {AbortSignal} [signal] @returns {Promise<Light>} */
export async function light(url, signal) {
  const { head, bytes, at } = await fetched(url, signal);
  let from = at - (at % 4); // texels lie at whole words
  const words = new Uint32Array(at % 4 ? bytes.slice(at) : bytes, at % 4 ? 0 : from);
  from = 0;
  const levels = head.sizes.map((/** @type {number} */ n) => {
    const faces = [];
    for (let f = 0; f < 6; f++) {
      const t = new DataTexture(words.subarray(from, from + n * n), n, n, RGBFormat, UnsignedInt5999Type);
      faces.push(t);
      from += n * n;
    }
    return faces;
  });
  const sky = new CubeTexture(levels[0]);
  sky.format = RGBFormat;
  sky.type = UnsignedInt5999Type;
  sky.internalFormat = "RGB9_E5";
  sky.colorSpace = NoColorSpace;
  sky.magFilter = LinearFilter;
  sky.minFilter = LinearMipmapLinearFilter;
  sky.generateMipmaps = false;
  sky.mipmaps = levels.slice(1).map((/** @type {any[]} */ faces) => ({ image: faces }));
  sky.needsUpdate = true;
  return { head, sky };
}

/** The tables of the scattering: 33 columns by cosine, the last of them the mean, 32 rows by roughness. @returns {Promise<any>} */
export async function tables() {
  const answer = await fetch("/light/tables.bin?v=tables-1");
  if (!answer.ok) throw new Error(`The server answered ${answer.status}.`);
  const floats = new Float32Array(await answer.arrayBuffer());
  const halves = Uint16Array.from(floats, (v) => DataUtils.toHalfFloat(v));
  const t = new DataTexture(halves, 33, 32, RGBAFormat, HalfFloatType);
  t.magFilter = t.minFilter = LinearFilter;
  t.needsUpdate = true;
  return t;
}
