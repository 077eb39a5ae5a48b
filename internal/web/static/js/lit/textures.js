// @ts-check
// Packs as textures of WebGL 2.

/** @typedef {import("./packs.js").Maps} Maps */
/** @typedef {import("./packs.js").Light} Light */

/** Layers whose colours are in sRGB. */
const coded = ["color", "spec", "sheen"];

/** A texture of one pixel, for what is not there. @param {WebGL2RenderingContext} gl */
export function blank(gl) {
  const t = begun(gl, gl.TEXTURE_2D, gl.NEAREST, gl.NEAREST);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array([0, 0, 0, 255]));
  return t;
}

/** A material's layers. @param {WebGL2RenderingContext} gl @param {Maps} maps @returns {Record<string, WebGLTexture>} */
export function layers(gl, maps) {
  /** @type {Record<string, WebGLTexture>} */ const out = {};
  for (const { name } of maps.head.layers) {
    out[name] = begun(gl, gl.TEXTURE_2D, gl.LINEAR, gl.LINEAR_MIPMAP_LINEAR, gl.REPEAT);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, maps.levels.length - 1);
    maps.levels.forEach(({ w, h, layers }, i) => gl.texImage2D(gl.TEXTURE_2D, i, coded.includes(name) ? gl.SRGB8_ALPHA8 : gl.RGBA8, w, h, 0, gl.RGBA, gl.UNSIGNED_BYTE, layers[name]));
  }
  return out;
}

/** An environment's cube. @param {WebGL2RenderingContext} gl @param {Light} light */
export function sky(gl, light) {
  const t = begun(gl, gl.TEXTURE_CUBE_MAP, gl.LINEAR, gl.LINEAR_MIPMAP_LINEAR);
  gl.texParameteri(gl.TEXTURE_CUBE_MAP, gl.TEXTURE_MAX_LEVEL, light.faces.length - 1);
  light.faces.forEach(({ n, texels }, i) => {
    for (let f = 0; f < 6; f++) gl.texImage2D(gl.TEXTURE_CUBE_MAP_POSITIVE_X + f, i, gl.RGB9_E5, n, n, 0, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, texels.subarray(f * n * n, (f + 1) * n * n));
  });
  return t;
}

/** The tables of the scattering. @param {WebGL2RenderingContext} gl @param {Float32Array} values */
export function table(gl, values) {
  const t = begun(gl, gl.TEXTURE_2D, gl.LINEAR, gl.LINEAR);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, 33, 32, 0, gl.RGBA, gl.FLOAT, values);
  return t;
}

/** A picture in sRGB. @param {WebGL2RenderingContext} gl @param {ImageBitmap} picture */
export function picture(gl, picture) {
  const t = begun(gl, gl.TEXTURE_2D, gl.LINEAR, gl.LINEAR);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.SRGB8_ALPHA8, gl.RGBA, gl.UNSIGNED_BYTE, picture);
  return t;
}

/** A new texture, bound. @param {WebGL2RenderingContext} gl @param {GLenum} kind @param {GLenum} mag @param {GLenum} min @param {GLenum} [wrap] */
function begun(gl, kind, mag, min, wrap = gl.CLAMP_TO_EDGE) {
  const t = /** @type {WebGLTexture} */ (gl.createTexture());
  gl.bindTexture(kind, t);
  gl.texParameteri(kind, gl.TEXTURE_MAG_FILTER, mag);
  gl.texParameteri(kind, gl.TEXTURE_MIN_FILTER, min);
  gl.texParameteri(kind, gl.TEXTURE_WRAP_S, wrap);
  gl.texParameteri(kind, gl.TEXTURE_WRAP_T, wrap);
  return t;
}
