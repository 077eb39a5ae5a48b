// @ts-check
// The stage of the Lit lens: one material, one light, one view, drawn by the graphics hardware. While
// something moves it draws fewer pixels, so that it follows the hand; at rest it gathers several pictures
// into one, each through other places within the pixels.
import { createBufferInfoFromArrays, createFramebufferInfo, createProgramInfo, drawBufferInfo, setBuffersAndAttributes, setUniforms } from "../../vendor/twgl.js";
import { around, cameraOf, marched, measures, times, transposed, turned } from "./camera.js";
import { channelsOf, figuresOf, partsOf, reliefOf } from "./figures.js";
import { corner, encode, picture } from "./picture.glsl.js";
import * as textures from "./textures.js";

/** @typedef {import("./packs.js").Maps} Maps */
/** @typedef {import("./packs.js").Light} Light */
/** @typedef {import("./figures.js").Look} Look */
/** @typedef {import("./camera.js").View} View */
/** A material on the stage. @typedef {{head: import("./packs.js").MapsHead, px: number, look: Look, layers: Record<string, WebGLTexture>}} Surface */

/** Where in a pixel the pictures at rest look; the first is its middle. */
const places = [[0, 0], [0.25, -0.4375], [-0.25, 0.0625], [0.375, 0.3125], [-0.375, -0.1875], [0.0625, 0.4375], [-0.4375, 0.375], [-0.0625, -0.3125]];

const channels = ["", "base_color", "emissive", "specular", "sheen", "normal", "roughness", "glossiness", "metallic", "occlusion", "opacity", "transmission", "coat", "anisotropy", "height"];
const kinds = /** @type {Record<string, number>} */ ({ ball: 0, slab: 1, block: 1, column: 2, drape: 3, swatch: 4 });

export { cameraOf } from "./camera.js";
/** @param {Surface} s */
export const relief = (s) => reliefOf(s.head, s.look);
/** Channels with a map or a value. @param {Surface} s */
export const known = (s) => channelsOf(s.head, s.look);

/** @param {number[][]} rows */
const matrix = (rows) => transposed(rows).flat();

export class Stage {
  /** @param {HTMLCanvasElement | OffscreenCanvas} canvas */
  constructor(canvas) {
    const gl = /** @type {WebGL2RenderingContext | null} */ (canvas.getContext("webgl2", { alpha: true, antialias: false, depth: false, stencil: false, premultipliedAlpha: true }));
    if (!gl) throw new Error("WebGL 2 is not available.");
    this.gl = gl;
    this.canvas = canvas;
    gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
    this.float = gl.getExtension("EXT_color_buffer_float") && gl.getExtension("EXT_float_blend") ? gl.RGBA32F : gl.RGBA16F;
    if (!gl.getExtension("EXT_color_buffer_float")) gl.getExtension("EXT_color_buffer_half_float");
    this.blank = textures.blank(gl);
    this.quad = createBufferInfoFromArrays(gl, { position: { numComponents: 2, data: [-1, -1, 3, -1, -1, 3] } });
    /** The pictures' programs, by what they leave out. @type {Map<string, any>} */ this.programs = new Map();
    this.encoding = compiled(gl, encode);
    /** @type {Surface | null} */ this.surface = null;
    /** @type {Light | null} */ this.light = null;
    /** @type {WebGLTexture | null} */ this.sky = null;
    /** @type {WebGLTexture | null} */ this.table = null;
    /** @type {any} */ this.target = null;
  }

  get ready() {
    return !!(this.surface && this.light && this.table);
  }

  /** How many pictures at rest make one. */
  get places() {
    return places.length;
  }

  /** Brings a material's maps to the graphics hardware. @param {Maps} maps @param {Look} look @returns {Surface} */
  load(maps, look) {
    return { head: maps.head, px: maps.px, look, layers: textures.layers(this.gl, maps) };
  }
  /** @param {Surface | null | undefined} surface */
  free(surface) {
    for (const t of Object.values(surface?.layers ?? {})) this.gl.deleteTexture(t);
  }
  /** @param {Light} light */
  lit(light) {
    this.gl.deleteTexture(this.sky);
    this.sky = textures.sky(this.gl, light);
    this.light = { head: light.head, faces: [] };
  }
  /** @param {Float32Array} values */
  tables(values) {
    this.table = textures.table(this.gl, values);
  }
  /** A picture of one's own behind the shape. @param {ImageBitmap} bitmap */
  back(bitmap) {
    this.gl.deleteTexture(this.backing?.texture ?? null);
    this.backing = { texture: textures.picture(this.gl, bitmap), size: [bitmap.width, bitmap.height] };
  }
  /** @type {{texture: WebGLTexture, size: number[]} | null} */ backing = null;
  backingOf = ""; // which one it is

  /**
   * Draws: one of the pictures at rest (0 begins anew), or a quick one (part −1).
   * @param {View} v @param {number} width @param {number} height in the canvas' pixels @param {number} part
   */
  draw(v, width, height, part) {
    if (!this.ready || !width || !height || this.gl.isContextLost()) return;
    const { gl, canvas } = this, fast = part < 0;
    if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
    if (!fast && (!this.target || this.target.width !== width || this.target.height !== height)) {
      this.dropTarget();
      this.target = createFramebufferInfo(gl, [{ internalFormat: this.float, minMag: gl.NEAREST, wrap: gl.CLAMP_TO_EDGE }], width, height);
    }
    gl.bindFramebuffer(gl.FRAMEBUFFER, fast ? null : this.target.framebuffer);
    gl.viewport(0, 0, width, height);
    gl.clearColor(0, 0, 0, 0);
    if (part <= 0) gl.clear(gl.COLOR_BUFFER_BIT);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE);
    this.run(this.fitting(v, fast), { ...this.uniformsOf(v, width, height), jitter: places[fast ? 0 : part], share: 1 / places.length });
    if (fast) return;
    gl.bindFramebuffer(gl.FRAMEBUFFER, null);
    gl.disable(gl.BLEND);
    this.run(this.encoding, { mean: this.target.attachments[0], fill: places.length / (part + 1) });
  }

  /** Draws the whole picture with a program. @param {any} program @param {Record<string, any>} uniforms */
  run(program, uniforms) {
    this.gl.useProgram(program.program);
    setBuffersAndAttributes(this.gl, program, this.quad);
    setUniforms(program, uniforms);
    drawBufferInfo(this.gl, this.quad);
  }

  /** Waits until what was asked for is drawn: reading a pixel does, and nothing else can be relied on. */
  wait() {
    const { gl } = this;
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
  }
  pixel = new Uint8Array(4);

  /** The program for a view: what it does not need is left out. @param {View} v @param {boolean} fast */
  fitting(v, fast) {
    const s = /** @type {Surface} */ (this.surface), yes = (/** @type {unknown} */ is) => (is ? 1 : 0), parts = partsOf(s.head, s.look, v.plaster);
    const defines = {
      ...parts, FAST: yes(fast), SHAPE: kinds[v.shape] ?? 0, RELIEF: yes(marched(v, relief(s)).on), PLASTER: yes(v.plaster), CHANNEL: yes(v.channel), SUN: yes((this.light?.head.sun.radius ?? 0) > 0),
      OPENINGS: yes(parts.OPENINGS && !v.channel), BACKGROUND: v.background === "environment" ? 2 : v.background.startsWith("#") ? 1 : this.backing && v.background.startsWith("own-") ? 3 : 0,
    };
    const key = JSON.stringify(defines);
    if (!this.programs.has(key)) {
      const head = Object.entries(defines).map(([name, value]) => `#define ${name} ${value}`).join("\n");
      this.programs.set(key, compiled(this.gl, `${head}\n${picture}`));
    }
    return this.programs.get(key);
  }

  /** @param {View} v @param {number} width @param {number} height @returns {Record<string, any>} */
  uniformsOf(v, width, height) {
    const s = /** @type {Surface} */ (this.surface), l = /** @type {Light} */ (this.light), { look, head, layers } = s;
    const m = measures(v.shape, v.size), heights = relief(s), r = marched(v, heights), camera = cameraOf(v, heights, width, height);
    const object = v.shape === "swatch" ? around(0, 0) : around(v.yaw, v.pitch), sky = turned(l.head.key, v.turn, v.tilt);
    const toSky = sky.map((row) => times(transposed(object), row));
    const middle = v.shape === "swatch" ? look.size.map((size) => v.size / 2 / size) : [0.5, 0.5];
    const of = (/** @type {string} */ name) => layers[name] ?? this.blank, { sun } = l.head;
    return {
      ...figuresOf(head, look),
      extent: m.extent, steep: m.steep, top: r.top, bottom: r.bottom, fade: r.on ? 1.5 * (r.top - r.bottom) : 0,
      range: [heights.bottom, heights.top], repeats: look.size.map((size) => 1 / size), texels: [head.w, head.h], levels: Math.max(head.levels, 1),
      middle: middle.map((at, i) => at - (look.figures.drift[i] * v.drift) / look.size[i]),
      mapColor: of("color"), mapNormal: of("normal"), mapData: of("data"), mapHeight: of("height"), mapGlow: of("glow"), mapSpec: of("spec"), mapSheen: of("sheen"),
      sky: this.sky, table: this.table, harmonics: l.head.diffuse.flat(), sun: times(transposed(toSky), sun.direction), sunInSky: sun.direction, sunLight: sun.light, sunRadius: sun.radius, sunAngle: sun.angle,
      gain: v.strength, white: l.head.white, toSky: matrix(toSky), toShape: matrix(transposed(object)), skyOf: matrix(sky),
      size: [width, height], pan: [v.panX, v.panY], away: camera.away, span: camera.span, exposure: 2 ** v.exposure, tone: v.tone, channel: Math.max(channels.indexOf(v.channel), 0),
      backColor: linear(v.background), backPicture: this.backing?.texture ?? this.blank, backSize: this.backing?.size ?? [1, 1],
    };
  }

  /** Nothing here is watched for changes: there is much of it, and it is compared by identity. */
  __v_skip = true;

  dropTarget() {
    if (!this.target) return;
    for (const t of this.target.attachments) this.gl.deleteTexture(t);
    this.gl.deleteFramebuffer(this.target.framebuffer);
    this.target = null;
  }
}

/** A program of a fragment shader; an error if this browser can't compile it. @param {WebGL2RenderingContext} gl @param {string} fragment */
function compiled(gl, fragment) {
  const program = createProgramInfo(gl, [corner, `#version 300 es\n${fragment}`]);
  if (!program && !gl.isContextLost()) throw new Error("This browser's graphics could not compile the shading.");
  return program;
}

/** A colour #rrggbb in linear light. @param {string} hex */
function linear(hex) {
  if (hex.length !== 7) return [0, 0, 0];
  return [1, 3, 5].map((at) => {
    const v = parseInt(hex.slice(at, at + 2), 16) / 255;
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  });
}
