// @ts-check
// Familiar things at true size, of our own drawing: for comparison, and to lay over a map.

/**
 * Somebody of 1.70 m, standing, for comparison; from near only the outline, so that what
 * is behind is seen.
 * @param {CanvasRenderingContext2D} g
 * @param {number} x @param {number} floor where the feet are, on the screen
 * @param {number} scale screen pixels a metre
 * @param {number} room the screen's height
 */
export function person(g, x, floor, scale, room) {
  g.save();
  g.translate(x, floor);
  g.scale(scale, -scale);
  g.fillStyle = "rgb(38 35 30 / 0.92)";
  g.strokeStyle = "rgb(255 255 255 / 0.85)";
  g.lineWidth = 2.5 / scale;
  g.beginPath();
  // One leg a little before the other, arms at the sides, a coat to the knee.
  g.moveTo(-0.13, 0);
  g.lineTo(-0.03, 0);
  g.lineTo(-0.015, 0.46);
  g.lineTo(0.015, 0.46);
  g.lineTo(0.03, 0);
  g.lineTo(0.14, 0);
  g.quadraticCurveTo(0.13, 0.05, 0.1, 0.06);
  g.lineTo(0.12, 0.5);
  g.quadraticCurveTo(0.16, 0.8, 0.14, 0.98);
  g.lineTo(0.18, 0.76);
  g.quadraticCurveTo(0.23, 0.72, 0.235, 0.78);
  g.quadraticCurveTo(0.23, 1.1, 0.215, 1.3);
  g.quadraticCurveTo(0.2, 1.4, 0.07, 1.42);
  g.lineTo(0.05, 1.47);
  g.bezierCurveTo(0.11, 1.54, 0.1, 1.7, 0, 1.7);
  g.bezierCurveTo(-0.1, 1.7, -0.11, 1.54, -0.05, 1.47);
  g.lineTo(-0.07, 1.42);
  g.quadraticCurveTo(-0.2, 1.4, -0.215, 1.3);
  g.quadraticCurveTo(-0.23, 1.1, -0.235, 0.78);
  g.quadraticCurveTo(-0.23, 0.72, -0.18, 0.76);
  g.lineTo(-0.14, 0.98);
  g.quadraticCurveTo(-0.16, 0.8, -0.12, 0.5);
  g.lineTo(-0.1, 0.06);
  g.quadraticCurveTo(-0.13, 0.05, -0.13, 0);
  g.closePath();
  g.stroke();
  if (1.7 * scale < 1.3 * room) g.fill();
  g.restore();
}

/**
 * An outline in metres around its middle, y upwards.
 * @type {Record<string, {word: string, draw: (g: CanvasRenderingContext2D) => void}>}
 */
export const things = {
  sheet: { word: "a sheet of A4", draw: (g) => g.rect(-0.105, -0.1485, 0.21, 0.297) },
  hand: {
    word: "a hand, 20 cm from thumb to little finger",
    draw: (g) => {
      // From the wrist up the thumb's side, over the fingers, and down again.
      g.moveTo(-0.028, -0.09);
      g.bezierCurveTo(-0.045, -0.06, -0.06, -0.045, -0.094, -0.002);
      g.bezierCurveTo(-0.104, 0.012, -0.09, 0.024, -0.078, 0.012);
      g.bezierCurveTo(-0.06, -0.006, -0.052, -0.012, -0.044, -0.012);
      for (const [x, y, lean] of [[-0.05, 0.082, -0.012], [-0.014, 0.098, -0.002], [0.022, 0.088, 0.008], [0.088, 0.03, 0.03]]) {
        const foot = x - lean - 0.004;
        g.lineTo(foot - 0.006, y < 0.05 ? -0.012 : 0.004);
        g.bezierCurveTo(x - 0.012, y * 0.6, x - 0.011, y - 0.012, x - 0.008, y - 0.004);
        g.bezierCurveTo(x - 0.004, y + 0.006, x + 0.006, y + 0.004, x + 0.008, y - 0.006);
        g.bezierCurveTo(x + 0.009, y - 0.02, x + 0.006, y * 0.5, foot + 0.016, y < 0.05 ? -0.03 : 0.004);
      }
      g.bezierCurveTo(0.044, -0.06, 0.034, -0.075, 0.03, -0.09);
    },
  },
  boot: {
    word: "the sole of a boot, 30 cm",
    draw: (g) => {
      g.moveTo(0, -0.15);
      g.bezierCurveTo(0.03, -0.15, 0.037, -0.125, 0.036, -0.095);
      g.bezierCurveTo(0.034, -0.05, 0.034, -0.03, 0.044, 0.01);
      g.bezierCurveTo(0.062, 0.08, 0.046, 0.15, 0.004, 0.15);
      g.bezierCurveTo(-0.036, 0.15, -0.054, 0.1, -0.05, 0.05);
      g.bezierCurveTo(-0.046, 0, -0.034, -0.03, -0.034, -0.08);
      g.bezierCurveTo(-0.036, -0.13, -0.028, -0.15, 0, -0.15);
      g.moveTo(-0.035, -0.07);
      g.lineTo(0.035, -0.07);
    },
  },
  door: {
    word: "a door leaf, 86 by 198 cm",
    draw: (g) => {
      g.rect(-0.43, -0.99, 0.86, 1.98);
      g.moveTo(0.37, 0.06);
      g.arc(0.34, 0.06, 0.03, 0, 2 * Math.PI);
    },
  },
};

/**
 * Draws a thing's outline.
 * @param {CanvasRenderingContext2D} g
 * @param {string} name
 * @param {number} x @param {number} y its middle on the screen
 * @param {number} scale screen pixels a metre
 */
export function outline(g, name, x, y, scale) {
  const t = things[name];
  if (!t) return;
  g.save();
  g.translate(x, y);
  g.scale(scale, -scale);
  g.beginPath();
  t.draw(g);
  g.restore();
  g.lineJoin = "round";
  for (const [style, wide] of /** @type {[string, number][]} */ ([["rgb(0 0 0 / 0.75)", 4], ["#fff", 1.75]])) {
    g.strokeStyle = style;
    g.lineWidth = wide;
    g.stroke();
  }
  g.lineWidth = 1;
}
