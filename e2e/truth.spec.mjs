// @ts-check
// Pictures on pages tell the truth: of the material whose name stands beside them, and of the extent that is said. Materials are made whose colour
// and whose stripes, eight to a metre, are known.
import { expect, test } from "@playwright/test";
import { PNG } from "pngjs";
import { enter, now, pictured, sorted, studio } from "./studio.mjs";

/** Linear shares of red, green and blue by name. @type {Record<string, number[]>} */
const colours = { Rust: [190, 60, 40], Moss: [60, 150, 50], Slate: [50, 70, 180] };

/** A base colour with four dark stripes across its width. @param {number[]} rgb */
function striped(rgb) {
  const n = 256, im = new PNG({ width: n, height: n });
  for (let i = 0; i < n * n; i++) {
    const dark = Math.floor((i % n) / (n / 8)) % 2 === 1;
    for (let c = 0; c < 3; c++) im.data[4 * i + c] = dark ? rgb[c] * 0.3 : rgb[c];
    im.data[4 * i + 3] = 255;
  }
  return PNG.sync.write(im);
}

/** What a picture on the page shows: which colour leads, and how many stripes cross it. @param {import("@playwright/test").Locator} img */
const seen = (img) => img.evaluate(async (/** @type {HTMLImageElement} */ img) => {
  await img.decode();
  const canvas = Object.assign(document.createElement("canvas"), { width: img.naturalWidth, height: img.naturalHeight }), g = /** @type {CanvasRenderingContext2D} */ (canvas.getContext("2d"));
  g.drawImage(img, 0, 0);
  const { data } = g.getImageData(0, Math.floor(canvas.height / 2), canvas.width, 1), sum = [0, 0, 0], light = [];
  for (let x = 0; x < canvas.width; x++) {
    for (let c = 0; c < 3; c++) sum[c] += data[4 * x + c];
    light.push(data[4 * x] + data[4 * x + 1] + data[4 * x + 2]);
  }
  const middle = (Math.max(...light) + Math.min(...light)) / 2;
  return { leads: sum.indexOf(Math.max(...sum)), stripes: light.filter((v, x) => x && v < middle && light[x - 1] >= middle).length };
});

test("pictures are of the right material and of the right extent", async ({ page }) => {
  const s = await studio();
  try {
    await enter(page, s.url, "librarian");
    const ids = /** @type {Record<string, number>} */ ({});
    for (const [name, rgb] of Object.entries(colours)) {
      const [set] = await sorted(page.request, s.url, `${name.toLowerCase()}_basecolor.png`, "image/png", striped(rgb));
      ids[name] = set.material_id;
      const made = await page.request.patch(`${s.url}/api/v1/materials/${set.material_id}`, { headers: now, data: { name, width_m: 0.5, height_m: 0.5, licence: "CC0-1.0", categories: ["Plaster"] } });
      expect(made.ok(), await made.text()).toBe(true);
      const out = await page.request.post(`${s.url}/api/v1/materials/${set.material_id}/releases`, { headers: now, data: { notes: "First.", override: "Made for a test." } });
      expect(out.status(), await out.text()).toBe(201);
    }
    const leads = /** @type {Record<string, number>} */ ({ Rust: 0, Moss: 1, Slate: 2 });

    /** Each card of a list has its own picture, of this many metres. @param {string} path @param {number} metres */
    const cards = async (path, metres) => {
      await page.goto(s.url + path);
      await expect(page.locator(".draft")).toHaveCount(3);
      await pictured(page);
      for (const name of Object.keys(colours)) {
        const { leads: is, stripes } = await seen(page.locator(".draft", { hasText: name }).locator(".sample img").first());
        expect(is, `the picture of ${name} on ${path}`).toBe(leads[name]);
        if (metres) expect(Math.abs(stripes - 8 * metres), `${stripes} stripes of ${name} on ${path}`).toBeLessThanOrEqual(1);
      }
    };
    for (const metres of [0.25, 0.5, 1, 2]) await cards(`/library?extent=${metres}`, metres);
    await cards("/library?view=table", 0);
    await cards("/library?view=balls", 0);
    await cards("/bench", 0);

    // Another order, by news and without loading the page anew: pictures go with their names.
    await page.goto(`${s.url}/library?extent=1`);
    await pictured(page);
    const first = await page.locator(".draft").first().getAttribute("data-name");
    const rename = Object.keys(colours).find((n) => n === first) ?? "Rust";
    await page.request.patch(`${s.url}/api/v1/materials/${ids[rename]}`, { headers: now, data: { tags: ["renewed"] } });
    expect((await page.request.post(`${s.url}/api/v1/materials/${ids[rename]}/releases`, { headers: now, data: { notes: "Second.", override: "Made for a test." } })).status()).toBe(201);
    await expect(page.locator(".draft").first()).toBeVisible();
    for (const name of Object.keys(colours)) {
      await expect.poll(async () => (await seen(page.locator(".draft", { hasText: name }).locator(".sample img").first())).leads).toBe(leads[name]);
    }

    // A material's own pages, and where several stand side by side.
    for (const name of Object.keys(colours)) {
      await page.goto(`${s.url}/library/${name.toLowerCase()}`);
      await pictured(page);
      const swatch = page.locator("#pictures img[alt^=Swatch]").first(), extent = Number(/[\d.]+/.exec((await swatch.getAttribute("alt")) ?? "")?.[0]);
      const own = await seen(swatch);
      expect(own.leads, `the swatch of ${name}`).toBe(leads[name]);
      expect(Math.abs(own.stripes - 8 * extent), `${own.stripes} stripes on ${extent} m of ${name}`).toBeLessThanOrEqual(1);
      await page.goto(`${s.url}/bench/${ids[name]}`);
      await pictured(page);
      expect((await seen(page.locator(".chip img").first())).leads, `the map of ${name}`).toBe(leads[name]);
      expect((await seen(page.locator("#release img"))).leads, `the ball of ${name}`).toBe(leads[name]);
    }
    await page.goto(`${s.url}/sheet?of=${Object.values(ids).map((id) => `m${id}`).join(",")}`);
    await pictured(page);
    for (const name of Object.keys(colours)) expect((await seen(page.locator("figure", { hasText: name }).locator("img").first())).leads, `${name} on the contact sheet`).toBe(leads[name]);
  } finally {
    await s.stop();
  }
});
