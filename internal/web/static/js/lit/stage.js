// @ts-check
// The stage of the Lit lens: one material, one light, one view, drawn by the graphics hardware. While
// something moves it draws fewer pixels, so that it follows the hand; at rest it gathers several pictures
// into one, each through other places within the pixels.
import { Camera, CustomBlending, AddEquation, OneFactor, DataTexture, FloatType, GLSL3, HalfFloatType, Matrix3, Mesh, NearestFilter, NoBlending, BufferGeometry, Float32BufferAttribute, RawShaderMaterial, Scene, Vector2, Vector3, WebGLRenderTarget, WebGLRenderer } from "../../vendor/three.module.js";
import { corner, encode, picture } from "./picture.glsl.js";

/** @typedef {import("./packs.js").Surface} Surface */
/** @typedef {import("./packs.js").Light} Light */
/**
 * What is looked at and how; angles are degrees, as the server has them.
 * @typedef {{shape: string, size: number, yaw: number, pitch: number, zoom: number, panX: number, panY: number, turn: number, tilt: number, strength: number,
 *   exposure: number, tone: boolean, background: string, relief: boolean, plaster: boolean, channel: string, drift: number, room?: number}} View room is what the camera leaves for relief, where several looks share it
 */

/** Where in a pixel the pictures at rest look; the first is its middle. */
const places = [[0, 0], [0.25, -0.4375], [-0.25, 0.0625], [0.375, 0.3125], [-0.375, -0.1875], [0.0625, 0.4375], [-0.4375, 0.375], [-0.0625, -0.3125]];

const channels = ["", "base_color", "emissive", "specular", "sheen", "normal", "roughness", "glossiness", "metallic", "occlusion", "opacity", "transmission", "coat", "anisotropy", "height"];
const kinds = /** @type {Record<string, number>} */ ({ ball: 0, slab: 1, block: 1, column: 2, drape: 3, swatch: 4 });
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

/** The relief that is marched. @param {View} v @param {Surface} s */
function reliefOf(v, s) {
  const { top, bottom } = s.head, { radius } = measures(v.shape, v.size);
  if (!v.relief || top - bottom <= 2e-6) return { on: false, top: 0, bottom: 0 };
  return { on: true, top, bottom: Math.max(bottom, -radius * 0.3) };
}

/**
 * How the camera stands: its distance, and the picture's height (in metres for a swatch, else in metres a metre).
 * @param {View} v @param {Surface} s @param {number} width @param {number} height
 */
export function cameraOf(v, s, width, height, own = 0) {
  const radius = own || measures(v.shape, v.size).radius, relief = reliefOf(v, s);
  if (v.shape === "swatch") return { away: v.size, span: (v.size * height) / width / v.zoom, metres: v.size / width / v.zoom };
  const away = ((radius + Math.max(v.room ?? relief.top, 0)) * 1.05) / Math.sin(((angle / 2) * Math.PI) / 180);
  let span = (2 * Math.tan(((angle / 2) * Math.PI) / 180)) / v.zoom;
  if (width < height) span *= height / width;
  return { away, span, metres: (span / height) * away };
}

/** A rotation to the right by yaw around the upright, then up by pitch; rows. @param {number} yaw @param {number} pitch */
function around(yaw, pitch) {
  const [y, p] = [(yaw * Math.PI) / 180, (pitch * Math.PI) / 180], [sy, cy, sp, cp] = [Math.sin(y), Math.cos(y), Math.sin(p), Math.cos(p)];
  return [[cy, 0, sy], [sp * sy, cp, -sp * cy], [-cp * sy, sp, cp * cy]];
}

/** @param {number[][]} m @param {number[]} v */
const times = (m, v) => m.map((row) => row[0] * v[0] + row[1] * v[1] + row[2] * v[2]);
/** @param {number[][]} m */
const flipped = (m) => [0, 1, 2].map((i) => m.map((row) => row[i]));

/** Leads from the world to a light whose key is turned to the right and raised; rows. @param {number[]} key @param {number} turn @param {number} tilt */
function turned(key, turn, tilt) {
  const across = Math.hypot(key[0], key[2]), axis = across > 1e-4 ? [-key[2] / across, 0, key[0] / across] : [1, 0, 0];
  const s = Math.sin((tilt * Math.PI) / 180), c = Math.cos((tilt * Math.PI) / 180), yaw = around(turn, 0);
  return [0, 1, 2].map((i) => {
    const e = [0, 1, 2].map((k) => (k === i ? 1 : 0));
    const cross = [axis[1] * e[2] - axis[2] * e[1], axis[2] * e[0] - axis[0] * e[2], axis[0] * e[1] - axis[1] * e[0]];
    return times(yaw, e.map((v, k) => v * c + cross[k] * s + axis[k] * axis[i] * (1 - c)));
  });
}

/** @param {number[][]} rows */
const matrix = (rows) => new Matrix3().set(rows[0][0], rows[0][1], rows[0][2], rows[1][0], rows[1][1], rows[1][2], rows[2][0], rows[2][1], rows[2][2]);

export class Stage {
  /** @param {HTMLCanvasElement} canvas */
  constructor(canvas) {
    /** @type {any} */ this.renderer = new WebGLRenderer({ canvas, alpha: true, antialias: false, depth: false, stencil: false, premultipliedAlpha: true });
    this.renderer.autoClear = false;
    this.renderer.setClearColor(0, 0); // otherwise the first picture of all is cleared to black
    this.blank = new DataTexture(new Uint8Array([0, 0, 0, 255]), 1, 1);
    this.blank.needsUpdate = true;
    const shown = (/** @type {any} */ value) => ({ value });
    /** @type {Record<string, {value: any}>} */
    this.uniforms = {};
    for (const k of ["mapColor", "mapNormal", "mapData", "mapHeight", "mapGlow", "mapSpec", "mapSheen", "table", "sky", "backPicture"]) this.uniforms[k] = shown(this.blank);
    const quad = new BufferGeometry();
    quad.setAttribute("position", new Float32BufferAttribute([-1, -1, 0, 3, -1, 0, -1, 3, 0], 3));
    /** The pictures' programs, by what they leave out. @type {Map<string, any>} */
    this.programs = new Map();
    this.program = (/** @type {Record<string, number>} */ defines) => new RawShaderMaterial({ defines, glslVersion: GLSL3, vertexShader: corner, fragmentShader: picture, uniforms: this.uniforms, depthTest: false, depthWrite: false, blending: CustomBlending, blendEquation: AddEquation, blendSrc: OneFactor, blendDst: OneFactor });
    /** @type {any} */ this.encoding = new RawShaderMaterial({ glslVersion: GLSL3, vertexShader: corner, fragmentShader: encode, uniforms: { mean: shown(null), fill: shown(1) }, depthTest: false, depthWrite: false, blending: NoBlending });
    /** @type {any} */ this.mesh = new Mesh(quad, this.encoding);
    this.mesh.frustumCulled = false;
    this.scene = new Scene();
    this.scene.add(this.mesh);
    this.camera = new Camera();
    /** @type {Surface | null} */ this.surface = null;
    /** @type {Light | null} */ this.light = null;
    /** @type {any} */ this.table = null;
    /** @type {any} */ this.target = null;
  }

  get ready() {
    return !!(this.surface && this.light && this.table);
  }

  /** How many pictures at rest make one. */
  get places() {
    return places.length;
  }

  /**
   * Draws: one of the pictures at rest (0 begins anew), or a quick one (part −1).
   * @param {View} v @param {number} width @param {number} height in the canvas' pixels @param {number} part
   */
  draw(v, width, height, part) {
    if (!this.ready || !width || !height) return;
    const { renderer } = this;
    const canvas = renderer.domElement;
    if (canvas.width !== width || canvas.height !== height) renderer.setSize(width, height, false);
    if (part >= 0 && (!this.target || this.target.width !== width || this.target.height !== height)) {
      this.target?.dispose();
      this.target = new WebGLRenderTarget(width, height, { type: renderer.extensions.has("EXT_color_buffer_float") ? (renderer.extensions.has("EXT_float_blend") ? FloatType : HalfFloatType) : HalfFloatType, minFilter: NearestFilter, magFilter: NearestFilter, depthBuffer: false });
    }
    this.set(v, width, height);
    const fast = part < 0;
    this.put("jitter", new Vector2(...places[fast ? 0 : part]));
    this.put("share", 1 / places.length);
    this.mesh.material = this.fitting(v, fast);
    renderer.setRenderTarget(fast ? null : this.target);
    if (part <= 0) renderer.clear();
    renderer.render(this.scene, this.camera);
    if (fast) return;
    renderer.setRenderTarget(null);
    this.encoding.uniforms.mean.value = this.target.texture;
    this.encoding.uniforms.fill.value = places.length / (part + 1);
    this.mesh.material = this.encoding;
    renderer.clear();
    renderer.render(this.scene, this.camera);
  }

  /** Waits until what was asked for is drawn: reading a pixel does, and nothing else can be relied on. */
  wait() {
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
  }
  pixel = new Uint8Array(4);

  /** The program for a view: what it does not need is left out. @param {View} v @param {boolean} fast */
  fitting(v, fast) {
    const s = /** @type {Surface} */ (this.surface), f = s.head.figures, full = !v.plaster, yes = (/** @type {unknown} */ is) => (is ? 1 : 0);
    const defines = {
      FAST: yes(fast), SHAPE: kinds[v.shape] ?? 0, RELIEF: yes(reliefOf(v, s).on), MORE: yes(s.maps.glow), PLASTER: yes(v.plaster), CHANNEL: yes(v.channel), SUN: yes((this.light?.head.sun.radius ?? 0) > 0),
      COAT: yes(full && f.coat.share > 0), SHEEN: yes(full && f.sheen.share > 0), ANISOTROPY: yes(full && f.anisotropy), TRANSMISSION: yes(full && f.transmission.share > 0), THIN: yes(f.transmission.thin), ROUGH_DIFFUSE: yes(f.diffuse_roughness > 0),
      EDGE: yes(f.edge.some((/** @type {number} */ e) => e !== 1)), OPENINGS: yes(s.head.has.includes("opacity") && !v.channel),
      BACKGROUND: v.background === "environment" ? 2 : v.background.startsWith("#") ? 1 : this.backing && v.background.startsWith("own-") ? 3 : 0,
    };
    const key = JSON.stringify(defines);
    if (!this.programs.has(key)) this.programs.set(key, this.program(defines));
    return this.programs.get(key);
  }

  /** @param {string} name @param {any} value */
  put(name, value) {
    (this.uniforms[name] ??= { value }).value = value;
  }

  /** @param {View} v @param {number} width @param {number} height */
  set(v, width, height) {
    const s = /** @type {Surface} */ (this.surface), l = /** @type {Light} */ (this.light), f = s.head.figures;
    const m = measures(v.shape, v.size), relief = reliefOf(v, s), camera = cameraOf(v, s, width, height);
    const object = v.shape === "swatch" ? around(0, 0) : around(v.yaw, v.pitch), sky = turned(l.head.key, v.turn, v.tilt);
    const toSky = sky.map((row) => times(flipped(object), row));
    const put = (/** @type {Record<string, any>} */ list) => Object.entries(list).forEach(([k, value]) => this.put(k, value));
    const three = (/** @type {number[]} */ a) => new Vector3(a[0], a[1], a[2]);
    const share = (/** @type {number} */ n) => { const r = (n - 1) / (n + 1); return r * r; };
    put({
      extent: three(m.extent), steep: m.steep, top: relief.top, bottom: relief.bottom, fade: relief.on ? 1.5 * (relief.top - relief.bottom) : 0,
      range: new Vector2(s.head.bottom, s.head.top), repeats: new Vector2(1 / s.head.size[0], 1 / s.head.size[1]), texels: new Vector2(s.head.w, s.head.h), levels: s.head.levels,
      middle: v.shape === "swatch" ? new Vector2(v.size / 2 / s.head.size[0], v.size / 2 / s.head.size[1]) : new Vector2(0.5, 0.5),
      mapColor: s.maps.color, mapNormal: s.maps.normal, mapData: s.maps.data, mapHeight: s.maps.height, mapGlow: s.maps.glow ?? this.blank, mapSpec: s.maps.spec ?? this.blank, mapSheen: s.maps.sheen ?? this.blank,
      sky: l.sky, table: this.table, harmonics: l.head.diffuse.map(three), sun: three(times(flipped(toSky), l.head.sun.direction)), sunInSky: three(l.head.sun.direction), sunLight: three(l.head.sun.light), sunRadius: l.head.sun.radius, sunAngle: l.head.sun.angle,
      gain: v.strength, white: l.head.white, toSky: matrix(toSky), toShape: matrix(flipped(object)), skyOf: matrix(sky),
      edge: three(f.edge), coatColor: three(f.coat.color), sheenColor: three(f.sheen.color).multiplyScalar(f.sheen.share), emission: three(s.head.emission), sigma: three(f.transmission.distance > 0 ? f.transmission.color.map((/** @type {number} */ c) => -Math.log(Math.max(c, 1e-4)) / f.transmission.distance) : [0, 0, 0]),
      indexF0: share(f.index), index: f.index, diffuseRough: f.diffuse_roughness, transmission: f.transmission.share, anisotropy: f.anisotropy, coat: f.coat.share, coatRough: f.coat.roughness, coatF0: share(f.coat.index), sheenRough: f.sheen.roughness, glow: s.head.glow,
      grain: new Vector2(Math.cos((f.anisotropy_angle * Math.PI) / 180), Math.sin((f.anisotropy_angle * Math.PI) / 180)),
      size: new Vector2(width, height), pan: new Vector2(v.panX, v.panY), away: camera.away, span: camera.span, exposure: 2 ** v.exposure, tone: v.tone, channel: Math.max(channels.indexOf(v.channel), 0),
      backColor: linear(v.background),
      backPicture: this.backing ?? this.blank, backSize: new Vector2(this.backing?.image.width ?? 1, this.backing?.image.height ?? 1),
    });
    this.uniforms.middle.value.x -= (f.drift[0] * v.drift) / s.head.size[0];
    this.uniforms.middle.value.y -= (f.drift[1] * v.drift) / s.head.size[1];
  }

  /** Nothing here is watched for changes: the graphics library would not stand it. */
  __v_skip = true;

  /** A picture of one's own behind the shape. @type {any} */
  backing = null;
  backingOf = ""; // which one it is

  /** Lets go of everything. */
  dispose() {
    for (const t of Object.values(this.surface?.maps ?? {})) t.dispose();
    this.light?.sky.dispose();
    this.table?.dispose();
    this.target?.dispose();
    for (const m of this.programs.values()) m.dispose();
    this.encoding.dispose();
    this.renderer.dispose();
  }
}

/** A colour #rrggbb in linear light. @param {string} hex */
function linear(hex) {
  const one = (/** @type {number} */ at) => {
    const v = parseInt(hex.slice(at, at + 2), 16) / 255;
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  };
  return hex.length === 7 ? new Vector3(one(1), one(3), one(5)) : new Vector3();
}
