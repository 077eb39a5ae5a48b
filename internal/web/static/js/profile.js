// @ts-check
// The relief along a line as a drawing in millimetres.

const nice = [1, 2, 5];

/** @param {number} v the largest of 1, 2, 5, 10, 20 … that is not greater */
function below(v) {
  const p = 10 ** Math.floor(Math.log10(v));
  return p * (nice.findLast((n) => n * p <= v * 1.0001) ?? 1);
}

/**
 * Draws heights along a line and says in a sentence what is drawn.
 * @param {HTMLCanvasElement} canvas
 * @param {number[]} values stored heights, 0..1
 * @param {number} long metres
 * @param {number} depth metres between stored 0 and 1
 * @param {number} zero the share of the height map's range that means no displacement
 */
export function profile(canvas, values, long, depth, zero) {
  const dpr = devicePixelRatio, box = canvas.getBoundingClientRect();
  canvas.width = Math.round(box.width * dpr);
  canvas.height = Math.round(box.height * dpr);
  const g = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  g.setTransform(dpr, 0, 0, dpr, 0, 0);
  const css = getComputedStyle(document.documentElement);
  const ink = (/** @type {string} */ name) => css.getPropertyValue(name);
  g.fillStyle = ink("--card");
  g.fillRect(0, 0, box.width, box.height);
  const mm = values.map((v) => 1000 * depth * (v - zero));
  const lo = Math.min(...mm), hi = Math.max(...mm), range = Math.max(hi - lo, 1e-3);
  const [l, r, t, b] = [52, box.width - 14, 14, box.height - 24];
  const across = (r - l) / (1000 * long); // screen pixels a millimetre
  // Drawn true if that fills a third of the room, else as many whole times too high as fit.
  const fits = ((b - t) * 0.9) / (range * across);
  const times = fits < 1 ? fits : fits < 3 ? 1 : below(fits);
  const up = across * times;
  const mid = (lo + hi) / 2, y = (/** @type {number} */ v) => (t + b) / 2 - (v - mid) * up, x = (/** @type {number} */ i) => l + ((r - l) * i) / (values.length - 1);
  // Rules at whole millimetres, and along the line.
  g.font = '10px "JetBrains Mono", monospace';
  g.fillStyle = g.strokeStyle = ink("--peat-soft");
  const rule = below(Math.max(range, ((b - t) / up) * 0.8) / 3);
  g.textAlign = "right";
  for (let v = Math.ceil((mid - (b - t) / 2 / up) / rule) * rule; y(v) > t - 1; v += rule) {
    g.globalAlpha = Math.abs(v) < rule / 1e3 ? 0.8 : 0.25;
    g.fillRect(l, Math.round(y(v)), r - l, 1);
    g.globalAlpha = 1;
    g.fillText(`${Number(v.toPrecision(3))}`, l - 6, y(v) + 3);
  }
  g.textAlign = "center";
  const along = below(long / 5);
  for (let v = 0; v <= long * 1.0001; v += along) {
    const at = l + v * 1000 * across;
    g.fillRect(Math.round(at), b, 1, 4);
    g.fillText(long >= 2 ? `${v.toFixed(1)} m` : `${Number((100 * v).toPrecision(3))} cm`, Math.min(at, r - 12), b + 16);
  }
  g.textAlign = "left";
  g.fillText("mm", 8, t + 3);
  g.beginPath();
  for (const [i, v] of mm.entries()) g.lineTo(x(i), y(v));
  g.strokeStyle = ink("--peat");
  g.lineWidth = 1.5;
  g.stroke();
  g.lineTo(r, b);
  g.lineTo(l, b);
  g.closePath();
  g.globalAlpha = 0.12;
  g.fillStyle = ink("--peat");
  g.fill();
  g.globalAlpha = 1;
  const how = times === 1 ? "at true scale" : times > 1 ? `${times} times as high as it is` : `${(1 / times).toFixed(1)} times as flat as it is`;
  return `A section of ${long >= 2 ? `${long.toFixed(2)} m` : `${(100 * long).toFixed(1)} cm`}: ${(hi - lo).toFixed(1)} mm between its lowest and highest point, drawn ${how}.`;
}
