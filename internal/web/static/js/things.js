// @ts-check
// Familiar things at true size, of our own drawing: for comparison, and to lay over a map.

/**
 * The left half of somebody of 1.70 m seen from the front, from the crown down to the crotch:
 * half widths and heights in metres, by mean proportions of the body.
 * @type {[number, number][]}
 */
const figure = [
  [0.02, 1.704], [0.054, 1.698], [0.077, 1.658], [0.081, 1.605], [0.072, 1.54], [0.056, 1.495], [0.052, 1.455], [0.075, 1.425], [0.14, 1.405], [0.19, 1.385], [0.222, 1.335],
  [0.236, 1.25], [0.242, 1.13], [0.25, 1.05], [0.258, 0.95], [0.25, 0.83], [0.252, 0.77], [0.243, 0.69], [0.228, 0.665], [0.214, 0.69], [0.212, 0.76], [0.207, 0.83],
  [0.205, 0.95], [0.195, 1.06], [0.178, 1.17], [0.166, 1.255], [0.158, 1.2], [0.145, 1.1], [0.146, 1.03], [0.168, 0.93], [0.178, 0.84], [0.172, 0.7], [0.148, 0.54],
  [0.136, 0.46], [0.14, 0.35], [0.128, 0.22], [0.104, 0.1], [0.11, 0.055], [0.14, 0.022], [0.136, 0.002], [0.09, 0], [0.05, 0.004], [0.052, 0.06], [0.054, 0.12],
  [0.045, 0.24], [0.036, 0.36], [0.05, 0.46], [0.036, 0.58], [0.014, 0.74], [0.006, 0.775],
];

/**
 * A closed curve through the middles between points, which are its control points.
 * @param {CanvasRenderingContext2D} g
 * @param {[number, number][]} points
 */
function smooth(g, points) {
  const middle = (/** @type {number} */ i) => {
    const [a, b] = [points[i % points.length], points[(i + 1) % points.length]];
    return /** @type {[number, number]} */ ([(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]);
  };
  g.moveTo(...middle(0));
  for (let i = 1; i <= points.length; i++) g.quadraticCurveTo(...points[i % points.length], ...middle(i));
  g.closePath();
}

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
  smooth(g, [...figure, ...figure.map(([fx, fy]) => /** @type {[number, number]} */ ([-fx, fy])).reverse()]);
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
      // A left hand, its back to us: wrist, thumb, four fingers, and the heel of the hand.
      smooth(g, [
        [-0.03, -0.1], [-0.031, -0.075], [-0.045, -0.05], [-0.062, -0.03], [-0.082, -0.006], [-0.098, 0.016], [-0.1, 0.03], [-0.09, 0.034], [-0.075, 0.02], [-0.058, 0.006], [-0.046, 0.002],
        [-0.044, 0.02], [-0.05, 0.055], [-0.054, 0.078], [-0.05, 0.09], [-0.041, 0.09], [-0.035, 0.078], [-0.031, 0.05], [-0.024, 0.012],
        [-0.02, 0.012], [-0.02, 0.055], [-0.019, 0.09], [-0.014, 0.102], [-0.005, 0.102], [0, 0.09], [0, 0.055], [0.001, 0.012],
        [0.005, 0.012], [0.011, 0.05], [0.017, 0.08], [0.023, 0.09], [0.032, 0.088], [0.035, 0.077], [0.03, 0.045], [0.022, 0.006],
        [0.026, 0.002], [0.041, 0.026], [0.056, 0.046], [0.066, 0.052], [0.074, 0.047], [0.072, 0.036], [0.058, 0.012], [0.044, -0.014],
        [0.039, -0.04], [0.033, -0.07], [0.031, -0.1],
      ]);
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
      for (const [y, h] of [[-0.86, 0.78], [0.06, 0.8]]) for (const x of [-0.32, 0.03]) g.rect(x, y, 0.29, h); // four panels
      g.moveTo(0.4, 0);
      g.arc(0.375, 0, 0.025, 0, 2 * Math.PI);
      g.moveTo(0.375, -0.005);
      g.lineTo(0.27, -0.005);
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
