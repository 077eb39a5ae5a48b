// @ts-check
// The Lit lens: that it shows what the server draws, and every way to work it.
import { expect, test } from "@playwright/test";
import { PNG } from "pngjs";
import { alike, difference } from "../internal/web/static/js/likeness.js";
import { readFileSync } from "node:fs";
import { enter, now, scanned, sorted, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });
test.use({ viewport: { width: 1024, height: 600 } }); // what the software renderer draws in a reasonable time

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** @type {{material_id: number, name: string}[]} */ let sets;

test.beforeAll(async ({ browser }) => {
  test.setTimeout(120_000);
  s = await studio();
  const page = await browser.newPage();
  await enter(page, s.url, "librarian");
  const { zip } = scanned(s.dir, ["--sets", "10", "--size", "512", "--seed", "5"]);
  sets = await sorted(page.request, s.url, "scans.zip", "application/zip", zip);
  await page.close();
});
test.afterAll(() => s.stop());

const settled = (/** @type {import("@playwright/test").Page} */ page) => page.waitForSelector("#lit[data-settled]", { timeout: 60_000 });

/** The lens' picture of a view, at a size of its own. @param {import("@playwright/test").Page} page @param {Record<string, unknown>} view @param {number} n */
const drawn = (page, view, n) => page.evaluate(async ({ view, n }) => {
  const it = /** @type {any} */ (document.getElementById("lit")).lens, stage = it.stage;
  for (let k = 0; k < stage.places; k++) stage.draw({ ...it.view, ...view }, n, n, k);
  const gl = stage.gl, px = new Uint8Array(n * n * 4);
  gl.readPixels(0, 0, n, n, gl.RGBA, gl.UNSIGNED_BYTE, px);
  return Array.from(px);
}, { view, n });

/** @param {number[]} px rows from below @param {number} n */
const upright = (px, n) => {
  const out = new Uint8Array(px.length);
  for (let y = 0; y < n; y++) out.set(px.slice((n - 1 - y) * n * 4, (n - y) * n * 4), y * n * 4);
  return out;
};

test("the browser draws what the server draws", async ({ page }) => {
  test.setTimeout(400_000);
  await enter(page, s.url, "librarian");
  const n = 96, back = "#777777", rows = [];
  let [sum, worst, count] = [0, 0, 0];
  for (const [i, set] of sets.slice(0, 10).entries()) {
    await page.goto(`${s.url}/bench/${set.material_id}?lens=lit`);
    await page.waitForFunction(() => /** @type {any} */ (document.getElementById("lit")).lens?.stage?.ready, undefined, { timeout: 60_000 });
    await settled(page);
    const size = await page.evaluate(() => {
      const it = /** @type {any} */ (document.getElementById("lit")).lens;
      it.on = false; // it draws what the test asks for alone
      return it.view.size;
    });
    const lights = ["moor", "water", "window"];
    for (const env of process.env.LIT === "all" ? lights : [lights[i % 3]]) { // each with one of them; all take three times as long
      await page.evaluate((id) => /** @type {any} */ (document.getElementById("lit")).lens.takeLight(id), env);
      const line = [];
      for (const shape of ["ball", "slab", "block", "column", "drape"]) {
        const view = { shape, yaw: 25, pitch: 15, background: back };
        const mine = upright(await drawn(page, view, n), n);
        const answer = await page.request.get(`${s.url}/api/v1/materials/${set.material_id}/picture.png?shape=${shape}&px=${n}&extent_m=${size}&env=${env}&yaw=25&pitch=15&background=${encodeURIComponent(back)}`);
        expect(answer.status()).toBe(200);
        const { mean, most } = alike(mine, PNG.sync.read(await answer.body()).data);
        line.push(`${mean.toFixed(2)}/${most.toFixed(1)}`);
        sum += mean;
        worst = Math.max(worst, most);
        count++;
        expect.soft(mean, `${set.name}, ${shape}, ${env}`).toBeLessThanOrEqual(2);
        expect.soft(most, `${set.name}, ${shape}, ${env}, 99th percentile`).toBeLessThanOrEqual(8);
      }
      rows.push(`${set.name.padEnd(20)} ${env.padEnd(8)} ${line.map((v) => v.padStart(10)).join("")}`);
    }
  }
  console.log(["mean/99th percentile of ΔE".padEnd(29) + ["ball", "slab", "block", "column", "drape"].map((v) => v.padStart(10)).join(""), ...rows, `mean ${(sum / count).toFixed(2)}, largest 99th percentile ${worst.toFixed(1)}`].join("\n"));
});

/** Figures of every kind, as a patch has them; each is laid over the one before. */
const figured = [
  { roughness: [0.2, 0.6], normal_strength: 0.5, metallic: 0.6 },
  { tint: [0.9, 0.5, 0.3], grade: { slope: [1.2, 0.9, 1], offset: [0.02, 0, -0.01], power: [1.3, 1, 0.8], saturation: 0.6 } },
  { normal_strength: 2, normal_flip: true, roughness: [1, 0], diffuse_roughness: 0.7, opacity: 0.8, opacity_invert: true },
  { coat: { share: 0.8, roughness: 0.2, color: [0.9, 0.6, 0.5] }, sheen: { share: 0.7, roughness: 0.4, color: [0.5, 0.5, 0.9] }, index: 1.9, opacity: 1, opacity_invert: false, cutoff: 0.5 },
  { emission: { luminance: 2000, temperature: 2700 }, anisotropy: 0.6, anisotropy_angle: 30, cutoff: 0 },
  { emission: { luminance: 300, temperature: 0, color: [0.2, 0.9, 0.3] }, constants: { emissive: [0.5, 0.5, 0.2], occlusion: [0.8, 0.8, 0.8] } },
];

test("figures are applied by the browser as by the server, without another pack", async ({ page }) => {
  test.setTimeout(240_000);
  await enter(page, s.url, "librarian");
  const set = /** @type {{material_id: number, name: string}} */ (sets.find((k) => k.name.includes("copper"))), at = `${s.url}/api/v1/materials/${set.material_id}`;
  const m = await (await page.request.get(at)).json(), hollow = m.maps.find((/** @type {any} */ k) => k.channel === "occlusion");
  expect((await page.request.put(`${at}/maps/${hollow.id}`, { headers: now, data: { channel: "opacity" } })).status()).toBe(200); // so that there is something to see through
  await page.goto(`${s.url}/bench/${set.material_id}?lens=lit`);
  await settled(page);
  const size = await page.evaluate(() => {
    const { lens } = /** @type {any} */ (document.getElementById("lit"));
    lens.on = false; // it draws what the test asks for alone
    return lens.view.size;
  });
  /** @type {string[]} */ const packs = [];
  page.on("request", (r) => { if (r.url().includes("surface.bin")) packs.push(r.url()); });
  const n = 96, back = "#777777", rows = [];
  for (const figures of figured) {
    const before = await page.locator("#lit").getAttribute("data-look");
    expect((await page.request.patch(at, { headers: now, data: { figures } })).status()).toBe(200);
    await expect(page.locator("#lit")).not.toHaveAttribute("data-look", before ?? ""); // the news brings it
    const line = [];
    for (const shape of ["ball", "swatch"]) {
      const mine = upright(await drawn(page, { shape, yaw: 25, pitch: 15, background: back }, n), n);
      const answer = await page.request.get(`${at}/picture.png?shape=${shape}&px=${n}&extent_m=${size}&env=moor&yaw=25&pitch=15&background=${encodeURIComponent(back)}`);
      expect(answer.status()).toBe(200);
      const { mean, most } = alike(mine, PNG.sync.read(await answer.body()).data);
      line.push(`${mean.toFixed(2)}/${most.toFixed(1)}`);
      expect.soft(mean, `${shape}, ${JSON.stringify(figures)}`).toBeLessThanOrEqual(2);
      expect.soft(most, `${shape}, ${JSON.stringify(figures)}, 99th percentile`).toBeLessThanOrEqual(8);
    }
    rows.push(`${line.join("  ")}  ${JSON.stringify(figures)}`);
  }
  expect(packs).toEqual([]);
  console.log(rows.join("\n"));
});

/** What the lens is at. @param {import("@playwright/test").Page} page */
const state = (page) => page.evaluate(() => {
  const it = /** @type {any} */ (document.getElementById("lit")).lens;
  return { ...it.view, env: it.env, lost: it.stage?.gl.isContextLost() };
});

/** The mean colour of a small picture of the lens. @param {import("@playwright/test").Page} page */
const tone = async (page) => {
  const px = await drawn(page, {}, 24);
  return [0, 1, 2].map((c) => px.filter((_, i) => i % 4 === c).reduce((a, b) => a + b, 0) / 576);
};

test("it is worked by pointer and by keys, and is in the address", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}`);
  await page.getByRole("button", { name: /^Lit/ }).click();
  await settled(page);
  // The very first picture leaves the mat to be seen.
  const corner = await page.evaluate(() => {
    const stage = /** @type {any} */ (document.getElementById("lit")).lens.stage, px = new Float32Array(4);
    stage.gl.bindFramebuffer(stage.gl.FRAMEBUFFER, stage.target.framebuffer);
    stage.gl.readPixels(3, 3, 1, 1, stage.gl.RGBA, stage.gl.FLOAT, px);
    return [...px];
  });
  expect(corner).toEqual([0, 0, 0, 0]);
  const mat = page.locator("#lit .mat").first(), box = /** @type {{x: number, y: number, width: number, height: number}} */ (await mat.boundingBox());
  await page.mouse.move(box.x + 300, box.y + 200);
  await page.mouse.down();
  await page.mouse.move(box.x + 400, box.y + 230, { steps: 4 });
  await page.mouse.up();
  expect((await state(page)).yaw).toBeCloseTo(40, 0);
  expect((await state(page)).turn).toBe(0); // drag turns the shape and nothing else
  await mat.focus();
  await page.keyboard.press("ArrowLeft");
  expect((await state(page)).yaw).toBeCloseTo(35, 0);
  for (const key of [".", ">", "]", ")", "+"]) await page.keyboard.press(key);
  const now = await state(page);
  expect([now.turn, now.tilt, now.exposure, now.zoom]).toEqual([5, 5, 0.5, 1.25]);
  await page.keyboard.press("p");
  expect((await state(page)).plaster).toBe(true);
  const bearing = page.getByRole("slider", { name: "Bearing of the light" });
  await bearing.focus();
  await page.keyboard.press("ArrowRight");
  expect((await state(page)).turn).toBe(6);
  await expect(page).toHaveURL(/turn=6(?!\d)/); // the address follows when the hand rests
  const at = page.url();
  expect(at).toContain("lens=lit");
  await page.goto("about:blank");
  await page.goto(at);
  await settled(page);
  const again = await state(page);
  expect([again.turn, again.tilt, again.plaster, Math.round(again.yaw)]).toEqual([6, 5, true, Math.round(now.yaw)]);
  await page.keyboard.press("1");
  await expect(page.locator("#lit")).toBeHidden();
  await expect(page.locator("#lens")).toBeVisible();
  await expect(page.getByRole("button", { name: /^Flat/ })).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByRole("button", { name: /^Lit/ })).toHaveAttribute("aria-pressed", "false");
});

test("every environment lights it otherwise, one's own too, plaster and channels show what they say", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}?lens=lit`);
  await settled(page);
  const seen = [];
  for (const b of await page.locator(".lights button").all()) {
    await b.click();
    await expect(b).toHaveAttribute("aria-pressed", "true");
    await settled(page);
    seen.push((await tone(page)).map((v) => v.toFixed(1)).join(" "));
  }
  expect(new Set(seen).size).toBe(6);

  // A picture of all directions: red on the left, dark elsewhere.
  const [w, h] = [128, 64], pixels = Buffer.alloc(w * h * 4);
  for (let i = 0; i < w * h; i++) pixels.set((i % w) > 20 && (i % w) < 50 ? [128, 12, 12, 131] : [20, 20, 20, 128], i * 4);
  await page.locator("#lit [x-ref=ownLight]").setInputFiles({ name: "harbour dusk.hdr", mimeType: "application/octet-stream", buffer: Buffer.concat([Buffer.from(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${h} +X ${w}\n`), pixels]) });
  await expect(page.locator(".lights button")).toHaveCount(7);
  await settled(page);
  const [r, g] = await tone(page);
  expect(r).toBeGreaterThan(g * 1.1);
  await page.locator("#lit [x-ref=ownLight]").setInputFiles({ name: "notes.hdr", mimeType: "application/octet-stream", buffer: Buffer.from("no picture") });
  await expect(page.getByText(/notes\.hdr could not be read/)).toBeVisible();

  await page.locator(".lights button").first().click();
  await settled(page);
  await page.keyboard.press("p");
  await expect(page.getByRole("button", { name: /^Plaster/ })).toHaveAttribute("aria-pressed", "true");
  const [pr, pg, pb] = await tone(page);
  expect(Math.max(pr, pg, pb) - Math.min(pr, pg, pb)).toBeLessThan(12);
  await page.keyboard.press("p");
  await page.evaluate(() => /** @type {any} */ (document.getElementById("lit")).lens.set({ channel: "roughness" }));
  const [cr, cg, cb] = await tone(page);
  expect(Math.abs(cr - cg) + Math.abs(cg - cb)).toBeLessThan(1);
});

test("a picture is saved with its alpha", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}?lens=lit`);
  await settled(page);
  await page.getByRole("button", { name: "Save picture" }).click();
  await page.getByLabel("Width, pixels").fill("160");
  await page.getByLabel("Without background").check();
  const [file] = await Promise.all([page.waitForEvent("download", { timeout: 60_000 }), page.getByRole("button", { name: "Save", exact: true }).click()]);
  const png = PNG.sync.read(readFileSync(await file.path()));
  const alpha = (/** @type {number} */ x, /** @type {number} */ y) => png.data[(y * png.width + x) * 4 + 3];
  expect(png.width).toBe(160);
  expect([alpha(0, 0), alpha(159, png.height - 1), alpha(80, Math.floor(png.height / 2))]).toEqual([0, 0, 255]);
});

test("two are compared with a wipe, at one scale", async ({ page }) => {
  await page.setViewportSize({ width: 1024, height: 620 });
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/compare?of=m${sets[0].material_id},m${sets[1].material_id}`);
  await page.waitForSelector("#compare[data-ready][data-settled]", { timeout: 60_000 });
  await page.getByRole("button", { name: "Wipe" }).click();
  await page.waitForSelector("#compare[data-settled]");
  expect(page.url()).toContain("way=wipe");
  const halves = await page.evaluate(() => {
    const it = /** @type {any} */ (document.getElementById("compare")).compare, c = it.$refs.whole, [a, b] = it.pictures;
    const at = (/** @type {HTMLCanvasElement} */ k, /** @type {number} */ x) => /** @type {CanvasRenderingContext2D} */ (k.getContext("2d")).getImageData(Math.floor(k.width * x), k.height >> 1, 1, 1).data.join();
    return [at(c, 0.45) === at(a, 0.45), at(c, 0.55) === at(b, 0.55)];
  });
  expect(halves).toEqual([true, true]);
  await page.getByRole("button", { name: "Difference" }).click();
  await expect(page.getByText(/ΔE .* in the mean/)).toBeVisible();
  await expect(page.locator(".compare-table")).toContainText("Density");
});

test("twelve paints are made of pasted colours", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/finishes`);
  await page.getByLabel("Find a kind").fill("satin");
  await page.getByRole("button", { name: "Satin paint" }).click();
  await page.getByLabel("Colours, one a line").fill(["Harbour blue, #2f4f6f", "#c9b48f", "slategray", "Lamp red; 150; 32; 28", "#123456", "#654321", "#0f0", "olive", "Chalk, #eeeae0", "#777777", "#224422", "Night, 12, 14, 22"].join("\n"));
  await page.getByRole("button", { name: "Make 12 finishes" }).click();
  await expect(page.getByText("12 materials are on the Bench")).toBeVisible();
  await page.getByRole("link", { name: "Satin paint, Lamp red" }).click();
  await settled(page);
  const [r, g, b] = await tone(page);
  expect(r).toBeGreaterThan(2 * Math.max(g, b));
  await expect(page.locator(".surface")).toContainText("#96201c");
  // A figure is changed and put back.
  await page.getByRole("button", { name: /^roughness: / }).click();
  await page.keyboard.type("0.1");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "roughness: 0.1" })).toBeVisible();
  await page.getByRole("button", { name: /^tint: / }).click();
  await page.keyboard.type("#00ff00");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Reset: Colour" })).toBeVisible();
  await page.getByRole("button", { name: "Reset: Colour" }).click();
  await expect(page.getByRole("button", { name: "tint: #ffffff" })).toBeVisible();
  // What is not understood is said, and makes nothing.
  await page.goto(`${s.url}/finishes`);
  await page.getByRole("button", { name: "Satin paint" }).click();
  await page.getByLabel("Colours, one a line").fill("#2f4f6f\nnonesuch");
  await page.getByRole("button", { name: "Make finish" }).click();
  await expect(page.getByRole("alert")).toContainText("Line 2 is no colour");
});

test("the difference of colours is the published one", () => {
  for (const [l1, a1, b1, l2, a2, b2, want] of JSON.parse(readFileSync(new URL("../core/colour/testdata/ciede2000.json", import.meta.url), "utf8"))) expect(Math.abs(difference([l1, a1, b1], [l2, a2, b2]) - want)).toBeLessThan(1e-4);
});

test("a mesh and a backdrop of one's own", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}?lens=lit`);
  await settled(page);
  await page.getByRole("button", { name: "More", exact: true }).last().click();
  const square = "v -0.5 -0.5 0\nv 0.5 -0.5 0\nv 0.5 0.5 0\nv -0.5 0.5 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n";
  await page.locator("input[x-ref=ownMesh]").setInputFiles({ name: "Square.obj", mimeType: "text/plain", buffer: Buffer.from(square) });
  await page.waitForSelector("#lit[data-settled=still]", { timeout: 60_000 });
  await expect(page.locator("#lit .tag.lower")).toContainText("Square 1.00 m");
  expect(await page.locator("#lit img[x-ref=still]").getAttribute("src")).toContain("shape=own-");
  const blue = new PNG({ width: 4, height: 4 });
  for (let i = 0; i < 16; i++) blue.data.set([20, 60, 220, 255], 4 * i);
  await page.locator("input[x-ref=ownDrop]").setInputFiles({ name: "blue.png", mimeType: "image/png", buffer: PNG.sync.write(blue) });
  await expect.poll(() => page.locator("#lit img[x-ref=still]").getAttribute("src"), { timeout: 60_000 }).toContain("background=own-");
  // The same in the browser's own drawing, and in a saved picture.
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Ball", exact: true }).click();
  await page.waitForSelector("#lit[data-settled]:not([data-settled=still])", { timeout: 60_000 });
  await expect.poll(async () => {
    const p = PNG.sync.read(await page.locator("#lit canvas[x-ref=view]").screenshot()), i = (p.width * 8 + p.width / 2) * 4;
    return Math.abs(p.data[i] - 20) + Math.abs(p.data[i + 2] - 220) < 8;
  }, { timeout: 60_000 }).toBe(true);
  await page.getByRole("button", { name: "Save picture" }).click();
  await page.getByLabel("Width, pixels").fill("128");
  await page.getByLabel("Quality").selectOption("preview");
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: "Save", exact: true }).click()]);
  const saved = PNG.sync.read(readFileSync(/** @type {string} */ (await file.path())));
  expect([...saved.data.slice(0, 3)]).toEqual([20, 60, 220]);
  // What cannot be read is said.
  await page.getByRole("button", { name: "More", exact: true }).last().click();
  await page.locator("input[x-ref=ownMesh]").setInputFiles({ name: "bare.obj", mimeType: "text/plain", buffer: Buffer.from(square.replace(/vt.*\n/g, "").replace(/\/\d/g, "")) });
  await expect(page.locator(".trouble")).toContainText("bare.obj could not be read: it has no texture coordinates");
});

test("what drifts is shown moving, at its speed, and stops where motion is unwanted", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const at = `${s.url}/api/v1/materials/${sets[2].material_id}`, change = (/** @type {any} */ figures) => page.request.patch(at, { headers: now, data: { figures } });
  expect((await change({ drift: [0.2, 0] })).status()).toBe(200);
  await page.goto(`${s.url}/bench/${sets[2].material_id}?lens=lit&on=swatch`);
  await settled(page);
  const shown = await page.evaluate(() => new Promise((done) => {
    const it = /** @type {any} */ (document.getElementById("lit")).lens, wide = it.stage.surface.look.size[0];
    /** @type {number[][]} */ const list = [];
    const tick = () => {
      list.push([performance.now() / 1000, it.stage.uniformsOf(it.view, 64, 64).middle[0] * wide]);
      if (list.length < 40) requestAnimationFrame(tick);
      else done(list);
    };
    requestAnimationFrame(tick);
  }));
  const [first, last] = [shown[0], shown.at(-1)];
  expect((last[1] - first[1]) / (last[0] - first[0])).toBeCloseTo(-0.2, 1); // metres a second: the coordinates go back, the map goes on
  expect(new Set(shown.map((/** @type {number[]} */ v) => v[1])).size).toBeGreaterThan(20);
  await page.emulateMedia({ reducedMotion: "reduce" });
  await page.waitForTimeout(500);
  const still = (await state(page)).drift;
  await page.waitForTimeout(300);
  expect((await state(page)).drift).toBe(still);
  expect((await change({ drift: null })).status()).toBe(200);
});

test("a lost context comes back", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}?lens=lit`);
  await settled(page);
  const before = await tone(page);
  await page.evaluate(() => {
    const gl = /** @type {any} */ (document.getElementById("lit")).lens.stage.gl;
    const lose = gl.getExtension("WEBGL_lose_context");
    /** @type {any} */ (window).lose = lose;
    lose.loseContext();
  });
  await expect.poll(async () => (await state(page)).lost).toBe(true);
  await page.evaluate(() => /** @type {any} */ (window).lose.restoreContext());
  await expect.poll(async () => (await state(page)).lost).toBe(false);
  await settled(page);
  const after = await tone(page);
  expect(Math.max(...before.map((v, i) => Math.abs(v - after[i])))).toBeLessThan(2);
});

test("without WebGL the server draws, and turns it", async ({ page }) => {
  await page.addInitScript(() => {
    const get = HTMLCanvasElement.prototype.getContext;
    // @ts-ignore one kind of context is missing here
    HTMLCanvasElement.prototype.getContext = function (kind, ...more) { return kind.startsWith("webgl") ? null : get.call(this, kind, ...more); };
  });
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${sets[0].material_id}?lens=lit`);
  await page.waitForSelector("#lit[data-settled=still]", { timeout: 30_000 });
  const first = await page.locator("#lit img[x-ref=still]").getAttribute("src");
  await page.locator("#lit .mat").first().focus();
  await page.keyboard.press("ArrowRight");
  await page.waitForSelector("#lit[data-settled=still]");
  await expect.poll(() => page.locator("#lit img[x-ref=still]").getAttribute("src")).not.toBe(first);
  expect(await page.locator("#lit img[x-ref=still]").getAttribute("src")).toContain("yaw=5");
});
