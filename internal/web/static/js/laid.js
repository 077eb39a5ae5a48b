// @ts-check
// Laying a material at true scale: on a wall, on the faces of a box, around a column.

/** @typedef {{sheet: import("./sheet.js").Sheet, width: number, height: number, turn: number, dx: number, dy: number}} Cover a repeat in metres, and how it is placed */
/** @typedef {{scale: number, dpr: number, width: number, height: number}} Room the screen, and its pixels a metre */

// A box is seen from above and from its right, without perspective: along its edges it is to scale.
const yaw = (32 * Math.PI) / 180, pitch = (20 * Math.PI) / 180;
const alongX = [Math.cos(yaw), Math.sin(yaw) * Math.sin(pitch)], alongZ = [Math.sin(yaw), -Math.cos(yaw) * Math.sin(pitch)], up = -Math.cos(pitch);

/**
 * How much room a shape takes, in metres.
 * @param {string} shape
 * @param {number} wide @param {number} high
 * @returns {[number, number]}
 */
export function reach(shape, wide, high) {
  if (shape === "box") return [wide * (alongX[0] + alongZ[0]), high * -up + wide * (alongX[1] - alongZ[1])];
  return [wide, high];
}

/**
 * Fills a face with repeats from its lower left corner on.
 * @param {CanvasRenderingContext2D} g
 * @param {Cover} c
 * @param {Room} room
 * @param {DOMMatrix} face from metres (y up) to the screen
 * @param {number} wide @param {number} high metres
 */
function fill(g, c, room, face, wide, high) {
  const levels = c.sheet.levels;
  const rw = c.width * room.scale * room.dpr, rh = c.height * room.scale * room.dpr;
  // The level with one to two of its pixels to one of the screen: nothing flickers, nothing is blurred.
  let k = 0;
  while (k + 1 < levels.length && levels[k + 1].width >= rw && levels[k + 1].height >= rh) k++;
  const level = levels[k];
  const pattern = level && g.createPattern(level, "repeat");
  if (!pattern) return;
  const place = new DOMMatrix().translateSelf(c.dx, c.dy).rotateSelf((c.turn * 180) / Math.PI).scaleSelf(c.width, -c.height);
  const repeat = face.multiply(place); // from repeats (y down) to the screen
  pattern.setTransform(repeat.scale(1 / level.width, 1 / level.height));
  g.imageSmoothingEnabled = rw < level.width * 3;
  g.imageSmoothingQuality = "medium";
  g.fillStyle = pattern;
  const corners = [[0, 0], [wide, 0], [wide, high], [0, high]].map(([x, y]) => face.transformPoint(new DOMPoint(x, y)));
  g.beginPath();
  for (const { x, y } of corners) g.lineTo(x, y);
  g.closePath();
  g.fill();
  if (nearer(c, room)) own(g, c, room, repeat, corners);
}

/** Whether it is so near that the map's own pixels are seen, which the picture of all of it has not. */
const nearer = (/** @type {Cover} */ c, /** @type {Room} */ room) => {
  const held = c.sheet.picture?.width ?? 0;
  return !c.sheet.trial && c.width * room.scale * room.dpr > held && c.sheet.map.w > held;
};

/**
 * Draws the map's own pixels over a face that is filled, where they have come.
 * @param {CanvasRenderingContext2D} g
 * @param {Cover} c @param {Room} room
 * @param {DOMMatrix} repeat from repeats (y down) to the screen
 * @param {DOMPoint[]} corners of the face on the screen
 */
function own(g, c, room, repeat, corners) {
  const back = repeat.inverse();
  const spans = (/** @type {{x: number, y: number}[]} */ points) => {
    const at = points.map((p) => back.transformPoint(new DOMPoint(p.x, p.y)));
    return [Math.min(...at.map((p) => p.x)), Math.min(...at.map((p) => p.y)), Math.max(...at.map((p) => p.x)), Math.max(...at.map((p) => p.y))];
  };
  const face = spans(corners), seen = spans([{ x: 0, y: 0 }, { x: room.width, y: 0 }, { x: room.width, y: room.height }, { x: 0, y: room.height }]);
  const [l, t, r, b] = [Math.max(face[0], seen[0]), Math.max(face[1], seen[1]), Math.min(face[2], seen[2]), Math.min(face[3], seen[3])];
  const z = c.sheet.zoom(c.sheet.map.w / (c.width * room.scale * room.dpr));
  const [w, h] = [c.sheet.map.w / 2 ** z, c.sheet.map.h / 2 ** z];
  g.save();
  g.clip(); // to the face, which is the path that was filled
  g.transform(repeat.a, repeat.b, repeat.c, repeat.d, repeat.e, repeat.f);
  g.scale(1 / w, 1 / h);
  for (let j = Math.floor(t); j < b; j++) {
    for (let i = Math.floor(l); i < r; i++) {
      for (const [tile, x, y] of c.sheet.own(z, (l - i) * w, (t - j) * h, (r - i) * w, (b - j) * h)) {
        if (tile) g.drawImage(tile, i * w + x, j * h + y);
      }
    }
  }
  g.restore();
}

/**
 * @param {CanvasRenderingContext2D} g
 * @param {Cover} c @param {Room} room
 * @param {number} left @param {number} top on the screen
 * @param {number} wide @param {number} high metres
 */
export function layWall(g, c, room, left, top, wide, high) {
  const s = room.scale, bottom = top + high * s;
  g.save();
  g.beginPath();
  const [x0, y0, x1, y1] = [Math.max(0, left), Math.max(0, top), Math.min(room.width, left + wide * s), Math.min(room.height, bottom)];
  if (x1 > x0 && y1 > y0) {
    g.rect(x0, y0, x1 - x0, y1 - y0);
    g.clip();
    if (c.turn || !nearer(c, room)) fill(g, c, room, new DOMMatrix([s, 0, 0, -s, left, bottom]), wide, high);
    else {
      // Straight, pixels fall on pixels: they are drawn as they are.
      const rw = c.width * s, rh = c.height * s;
      const ox = left + c.dx * s, oy = bottom - c.dy * s;
      for (let y = oy + Math.floor((y0 - oy) / rh) * rh; y < y1; y += rh) {
        for (let x = ox + Math.floor((x0 - ox) / rw) * rw; x < x1; x += rw) c.sheet.draw(g, x, y, rw, rh, room.dpr, { width: x1, height: y1 });
      }
    }
  }
  g.restore();
}

/**
 * A box of equal width and depth, each face covered for itself.
 * @param {CanvasRenderingContext2D} g
 * @param {Cover} c @param {Room} room
 * @param {number} left @param {number} bottom on the screen
 * @param {number} wide @param {number} high metres
 */
export function layBox(g, c, room, left, bottom, wide, high) {
  const s = room.scale;
  const foot = [left, bottom - wide * alongX[1] * s]; // the front face's lower left corner
  const side = [foot[0] + wide * alongX[0] * s, foot[1] + wide * alongX[1] * s];
  const lid = [foot[0], foot[1] + high * up * s];
  const faces = /** @type {[DOMMatrix, number, number, number][]} */ ([
    [new DOMMatrix([alongX[0] * s, alongX[1] * s, 0, up * s, foot[0], foot[1]]), wide, high, 0],
    [new DOMMatrix([alongZ[0] * s, alongZ[1] * s, 0, up * s, side[0], side[1]]), wide, high, 0.28],
    [new DOMMatrix([alongX[0] * s, alongX[1] * s, alongZ[0] * s, alongZ[1] * s, lid[0], lid[1]]), wide, wide, -0.1],
  ]);
  for (const [face, w, h, dark] of faces) {
    fill(g, c, room, face, w, h);
    g.fillStyle = dark > 0 ? `rgb(0 0 0 / ${dark})` : `rgb(255 255 255 / ${-dark})`; // so that the edges are seen
    g.fill();
  }
}

/** What is laid around a column, before it is. @type {HTMLCanvasElement | null} */
let unrolled = null;

/**
 * A column, as wide as its diameter, seen from the front. Repeats begin at its left side.
 * @param {CanvasRenderingContext2D} g
 * @param {Cover} c @param {Room} room
 * @param {number} left @param {number} bottom on the screen
 * @param {number} wide @param {number} high metres
 */
export function layColumn(g, c, room, left, bottom, wide, high) {
  const s = room.scale, r = (wide * s) / 2;
  const [from, to] = [Math.max(0, Math.floor(left)), Math.min(room.width, Math.ceil(left + 2 * r))];
  if (to <= from) return;
  // How far around a place of the screen is: a pixel stands for more of the surface towards the sides.
  const around = (/** @type {number} */ x) => r * (Math.asin(Math.max(-1, Math.min(1, (x - left - r) / r))) + Math.PI / 2);
  const start = around(from), long = around(to) - start;
  unrolled ??= document.createElement("canvas");
  unrolled.width = Math.max(1, Math.ceil(long * room.dpr)); // which also empties it
  unrolled.height = Math.ceil(room.height * room.dpr);
  const flat = /** @type {CanvasRenderingContext2D} */ (unrolled.getContext("2d"));
  flat.scale(room.dpr, room.dpr);
  layWall(flat, c, { ...room, width: long }, -start, bottom - high * s, Math.PI * wide, high);
  g.imageSmoothingEnabled = true;
  g.imageSmoothingQuality = "low";
  for (let x = from, strip = 1; x < to; x += strip) {
    // Strips as wide as they may be taken for flat, to a quarter of a pixel.
    const t = Math.min(0.999, Math.abs(x + 1 - left - r) / r);
    strip = Math.max(1, Math.min(24, to - x, Math.floor(Math.sqrt((2 * r * (1 - t * t) ** 1.5) / Math.max(t, 1e-3)))));
    const u = around(x) - start, v = around(x + strip) - start;
    g.drawImage(unrolled, u * room.dpr, 0, Math.max(1, (v - u) * room.dpr), unrolled.height, x, 0, strip, room.height);
  }
  const shade = g.createLinearGradient(left, 0, left + 2 * r, 0);
  for (const [at, dark] of [[0, 0.45], [0.3, 0], [0.6, 0.05], [1, 0.55]]) shade.addColorStop(at, `rgb(0 0 0 / ${dark})`);
  g.fillStyle = shade;
  g.fillRect(left, bottom - high * s, 2 * r, high * s);
}
