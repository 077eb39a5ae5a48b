// @ts-check
// Writes core/mesh/testdata/tangents.json: a made-up mesh with everything that tangents trip over, and
// the tangents that a port of the reference implementation gives it.
import { writeFileSync } from "node:fs";
import { generateTangents } from "three/examples/jsm/libs/mikktspace.module.js";

let state = 7;
const random = () => {
  state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
  return state / 2 ** 32;
};
/** @type {number[]} */ const positions = [], normals = [], uvs = [];
const f = Math.fround;
/** @param {[number[], number[], number[]][]} corners position, normal, texture coordinate */
const triangle = (...corners) => {
  for (const [p, n, t] of corners) {
    const l = Math.hypot(...n) || 1;
    positions.push(...p.map(f));
    normals.push(...n.map((v) => f(v / l)));
    uvs.push(...t.map(f));
  }
};

// A bent sheet of uneven squares, mirrored on the map beyond its middle, smooth.
const n = 7;
const grid = Array.from({ length: (n + 1) * (n + 1) }, (_, i) => {
  const x = (i % (n + 1)) / n, y = Math.floor(i / (n + 1)) / n;
  const p = [x + 0.04 * (random() - 0.5), y + 0.04 * (random() - 0.5), 0.2 * Math.sin(5 * x) * Math.cos(4 * y)];
  return /** @type {[number[], number[], number[]]} */ ([p, [-Math.cos(5 * x) * Math.cos(4 * y), 0.8 * Math.sin(5 * x) * Math.sin(4 * y), 1], [Math.abs(x - 3 / 7) * 2 + 0.03 * random(), y + 0.03 * random()]]);
});
for (let j = 0; j < n; j++) {
  for (let i = 0; i < n; i++) {
    const [a, b, c, d] = [grid[j * (n + 1) + i], grid[j * (n + 1) + i + 1], grid[(j + 1) * (n + 1) + i + 1], grid[(j + 1) * (n + 1) + i]];
    triangle(a, b, c);
    triangle(a, c, d);
  }
}
// A block with hard edges, its sides turned on the map.
const sides = [[[1, 0, 0], [0, 1, 0], [0, 0, 1]], [[-1, 0, 0], [0, 0, 1], [0, 1, 0]], [[0, 1, 0], [0, 0, 1], [1, 0, 0]], [[0, -1, 0], [1, 0, 0], [0, 0, 1]]];
for (const [k, [out, x, y]] of sides.entries()) {
  const at = (/** @type {number} */ u, /** @type {number} */ v) => {
    const turn = k * 0.7;
    return /** @type {[number[], number[], number[]]} */ ([out.map((o, i) => 3 + o + (2 * u - 1) * x[i] + (2 * v - 1) * y[i]), out, [u * Math.cos(turn) - v * Math.sin(turn), u * Math.sin(turn) + v * Math.cos(turn)]]);
  };
  triangle(at(0, 0), at(1, 0), at(1, 1));
  triangle(at(0, 0), at(1, 1), at(0, 1));
}
// A fan around one vertex, of which one triangle has no area on the map.
for (let k = 0; k < 6; k++) {
  const at = (/** @type {number} */ i) => [-3 + Math.cos(i), Math.sin(i) * (1 + 0.1 * i), 0.1 * i];
  const map = (/** @type {number} */ i) => (k === 3 ? [0.5, 0.5] : [0.5 + 0.4 * Math.cos(i), 0.5 + 0.4 * Math.sin(i)]);
  triangle([[-3, 0, 0.5], [0, 0, 1], [0.5, 0.5]], [at(k), [0.2, 0, 1], map(k)], [at(k + 1), [0.2, 0, 1], map(k + 1)]);
}
// Three triangles on one edge.
for (let k = 0; k < 3; k++) triangle([[0, -3, 0], [0, 0, 1], [0, 0]], [[1, -3, 0], [0, 0, 1], [1, 0]], [[0.5, -4, k - 1], [0, 0, 1], [0.5, 1]]);

const tangents = generateTangents(new Float32Array(positions), new Float32Array(normals), new Float32Array(uvs));
const short = (/** @type {ArrayLike<number>} */ v) => Array.from(v, (x) => Number(x.toPrecision(9)));
writeFileSync(new URL("../core/mesh/testdata/tangents.json", import.meta.url), JSON.stringify({ positions: short(positions), normals: short(normals), uvs: short(uvs), tangents: short(tangents) }) + "\n");
