// @ts-check
// What the lens reckons without a page: the meaning of stored values, and how far shapes reach.
import { expect, test } from "@playwright/test";
import { reach } from "../internal/web/static/js/laid.js";
import { meaning, Sheet } from "../internal/web/static/js/sheet.js";

/** @param {object} more @returns {any} */
const map = (more) => ({ id: 1, channel: "x", title: "Roughness", kind: "data", w: 4096, h: 2731, float: false, parts: 1, before: 0, zero: 0, down: false, ...more });

test("stored values are said in the channel's own meaning", () => {
  expect(meaning(map({}), [0.4212], 0, false)).toBe("roughness 0.42");
  expect(meaning(map({}), [0.4212], 0, true)).toBe("roughness 0.421");
  // sRGB 118 is an 18 % grey.
  expect(meaning(map({ kind: "colour", parts: 3 }), [118 / 255, 118 / 255, 118 / 255], 0, true)).toBe("albedo 0.18  sRGB 118 118 118");
  expect(meaning(map({ kind: "colour", float: true, parts: 3 }), [0.18, 0.18, 0.18], 0, true)).toBe("albedo 0.180  light 0.180 0.180 0.180");
  // A height in millimetres, from its lowest or from its zero.
  expect(meaning(map({ kind: "height" }), [0.5], 0.0248, false)).toContain("12.4 mm above the lowest");
  expect(meaning(map({ kind: "height", zero: 0.5 }), [0.25], 0.04, true)).toContain("10.0 mm below zero");
  expect(meaning(map({ kind: "height", zero: 0.5 }), [0.6], 0.02, true)).toContain("2.00 mm above zero");
});

test("a normal is said as a slope and the way it falls", () => {
  const stored = (/** @type {number[]} */ n) => n.map((v) => (v + 1) / 2);
  const at = (/** @type {number} */ steep, /** @type {number} */ way) => stored([Math.sin(steep) * Math.cos(way), Math.sin(steep) * Math.sin(way), Math.cos(steep)]);
  const rad = Math.PI / 180, m = map({ kind: "normal", parts: 3 });
  expect(meaning(m, stored([0, 0, 1]), 0, true)).toContain("flat");
  for (const [way, word] of /** @type {[number, string][]} */ ([[0, "to the right"], [45, "to the upper right"], [90, "upwards"], [180, "to the left"], [225, "to the lower left"], [270, "downwards"]])) {
    expect(meaning(m, at(23 * rad, way * rad), 0, true)).toContain(`slope 23° ${word}  `);
  }
  // In Y− the green component counts the other way.
  expect(meaning(map({ kind: "normal", parts: 3, down: true }), at(23 * rad, 90 * rad), 0, true)).toContain("slope 23° downwards");
});

test("tiles cover a map without a gap, whatever its size", () => {
  for (const [w, h] of [[4096, 2731], [2301, 1533], [8191, 4097], [600, 600]]) {
    const s = new Sheet(map({ w, h }), () => {});
    s.tile = () => null;
    for (const texels of [0.02, 1, 1.9, 2.3, 5, 40]) {
      const z = s.zoom(texels);
      expect(z).toBeGreaterThanOrEqual(0);
      const fw = w / 2 ** z, fh = h / 2 ** z;
      let area = 0, right = 0, bottom = 0;
      for (const [, x, y, tw, th] of s.own(z, 0, 0, fw, fh)) {
        area += tw * th;
        right = Math.max(right, x + tw);
        bottom = Math.max(bottom, y + th);
      }
      expect(area).toBeCloseTo(fw * fh, 3);
      expect([right, bottom]).toEqual([fw, fh]);
      // Of a part only the tiles that touch it.
      expect([...s.own(z, 10, 10, 20, 20)]).toHaveLength(1);
    }
  }
});

test("a place of a wall is a place of the map", async () => {
  Object.assign(globalThis, { addEventListener: () => {} }); // a page has one
  const { placing } = await import("../internal/web/static/js/placing.js");
  const p = Object.defineProperties({ it: { width: 2, height: 1 } }, Object.getOwnPropertyDescriptors(placing()));
  const near = (/** @type {number[]} */ got, /** @type {number[]} */ want) => got.forEach((v, i) => expect(v).toBeCloseTo(want[i], 9));
  near(p.spot(0.5, 0.25), [0.25, 0.75]); // upwards on the wall is upwards in the picture
  near(p.spot(2.5, 3.25), [0.25, 0.75]); // a repeat on
  [p.dx, p.dy] = [0.5, 0.1];
  near(p.spot(1, 0.35), [0.25, 0.75]);
  p.dx = p.dy = 0;
  p.turn = 90; // what lay to the right lies above
  near(p.spot(-0.25, 0.5), [0.25, 0.75]);
  expect(p.displaced).toBe(true);
});

test("shapes take the room that they are drawn in", () => {
  expect(reach("wall", 3, 2)).toEqual([3, 2]);
  expect(reach("column", 3, 2)).toEqual([3, 2]);
  const [w, h] = reach("box", 1, 1);
  expect(w).toBeGreaterThan(1.3); // two faces side by side, askew
  expect(w).toBeLessThan(1.42);
  expect(h).toBeGreaterThan(1.2);
});
