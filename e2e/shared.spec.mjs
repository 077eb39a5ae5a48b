// @ts-check
// The shared Library: handoff profiles, reviews, what is kept together, requests, and ten thousand swatches.
import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { unzipSync } from "fflate";
import validator from "gltf-validator";
import { binary, enter, now, password, scanned, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** @type {{files: Record<string, Uint8Array>}} */ let scan;
/** Materials of the sets by name. @type {Record<string, number>} */ const ids = {};
/** The one that is taken: its set, and its name in the Library. */ let set = "", first = "";

test.beforeAll(async ({ browser }) => {
  test.setTimeout(150_000);
  s = await studio();
  execFileSync(binary, ["user", "add", "--data", s.data, "--user", "lead", "--role", "lead"], { input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
  const page = await browser.newPage();
  await enter(page, s.url, "librarian");
  const made = scanned(s.dir, ["--sets", "5", "--size", "256", "--seed", "3"]);
  scan = made;
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { file: { name: "scans.zip", mimeType: "application/zip", buffer: made.zip } } });
  const { href } = await sent.json();
  await expect.poll(async () => (await (await page.request.get(s.url + href)).json()).state, { timeout: 90_000 }).toBe("sorted");
  for (const k of (await (await page.request.get(s.url + href)).json()).sets) {
    ids[k.name] = k.material_id;
    if (Object.keys(ids).length === 5) break; // the last one is left for the review
    const at = `${s.url}/api/v1/materials/${k.material_id}`;
    expect((await page.request.post(`${at}/releases`, { headers: now, data: { notes: "First." } })).status(), k.name).toBe(201);
    if (!first) [set, first] = [k.name, (await (await page.request.get(at)).json()).name];
  }
  await page.close();
});
test.afterAll(() => s.stop());

/**
 * Takes what the page offers, and opens it.
 * @param {import("@playwright/test").Page} page
 */
async function take(page) {
  const [download] = await Promise.all([page.waitForEvent("download", { timeout: 60_000 }), page.locator("[data-take]").click()]);
  const files = unzipSync(new Uint8Array(readFileSync(await download.path())));
  return Object.fromEntries(Object.entries(files).map(([name, data]) => [name.slice(name.indexOf("/") + 1), data]));
}

test("two profiles of one material have the pixels that they promise, and convert writes the same", async ({ page }) => {
  test.setTimeout(120_000);
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.locator(".sample", { hasText: first }).click();
  const slug = new URL(page.url()).pathname.split("/").pop() ?? "";
  await page.selectOption("[data-profile]", "real_time_packed");
  await expect(page.locator("[x-text=says]")).toContainText("8-bit PNG");
  await expect(page.locator("b[x-text=bytes]")).toContainText("about");
  const packed = await take(page);
  await page.selectOption("[data-profile]", "game_y_minus");
  const game = await take(page);
  const orm = await pixels(page, packed[`maps/${slug}_orm.png`], "image/png"), surface = tga(game[`maps/${slug}_surface.tga`]);
  expect(orm.width).toBe(surface.width);
  for (let i = 0; i < orm.width * orm.height; i += 97) { // occlusion, roughness, metallic: in another order, the same
    expect([surface.at(i, 1), surface.at(i, 0), surface.at(i, 2)]).toEqual([orm.data[4 * i], orm.data[4 * i + 1], orm.data[4 * i + 2]]);
  }
  const up = await pixels(page, packed[`maps/${slug}_normal.png`], "image/png"), down = tga(game[`maps/${slug}_normal.tga`]);
  for (let i = 0; i < up.width * up.height; i += 97) expect(Math.abs(up.data[4 * i + 1] + down.at(i, 1) - 255)).toBeLessThanOrEqual(1);
  for (const name of [`${slug}.gltf`, `${slug}.glb`]) {
    const report = await validator.validateBytes(packed[name], { externalResourceFunction: async (/** @type {string} */ uri) => packed[uri] });
    expect(report.issues.messages.filter((/** @type {any} */ m) => m.severity < 2), name).toEqual([]);
  }
  const from = join(s.dir, "convert-in"), to = join(s.dir, "convert-out");
  for (const [name, data] of Object.entries(scan.files)) {
    mkdirSync(join(from, name, ".."), { recursive: true });
    writeFileSync(join(from, name), data);
  }
  execFileSync(binary, ["convert", from, "--profile", "game_y_minus", "--set", set, "--out", to]);
  for (const [name, data] of Object.entries(game).filter(([n]) => n.startsWith("maps/"))) {
    expect(Buffer.from(data).equals(readFileSync(join(to, `${slug}-r1-source-game-y-minus`, name))), name).toBe(true);
  }
});

test("an artist looks at a released map closely, and lays it on a wall", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.locator(".sample", { hasText: first }).click();
  await expect(page.locator("#pictures")).toBeVisible();
  await expect(page.locator("#lens")).toBeHidden();
  await expect(async () => { // the page may not listen yet
    await page.keyboard.press("1");
    await expect(page.locator("#pictures")).toBeHidden({ timeout: 500 });
  }).toPass();
  await expect(page.locator("#lens .mat")).toHaveAttribute("data-settled", "");
  await page.locator("[data-chip]", { hasText: "Roughness" }).click();
  const box = /** @type {{x: number, y: number, width: number, height: number}} */ (await page.locator("#lens .mat").boundingBox());
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await expect(page.locator(".readout")).toContainText(/cm|mm| m/);
  await expect(page.getByRole("button", { name: /Measure/ })).toHaveCount(0); // sizes are the librarian's
  await page.keyboard.press("3");
  await page.getByLabel("Width of the wall").fill("16 ft");
  await page.getByLabel("Width of the wall").press("Tab");
  await expect(page.locator("[data-wall=across]")).toHaveAttribute("data-metres", /^4\.87/);
  await page.reload(); // what is looked at is in the address
  await expect(page.locator("[data-lens-is=laid]")).toHaveAttribute("aria-pressed", "true");
  await expect(page.locator("#lens .mat")).toHaveAttribute("data-settled", "");
  await page.keyboard.press("2");
  await expect(page.locator("[data-settled] canvas").first()).toBeVisible();
  await expect(page.locator("#lens")).toBeHidden();
  await page.keyboard.press("4");
  await expect(page.locator("#pictures")).toBeVisible();
});

test("a lead makes a profile, tries it before it is saved, and an artist takes it", async ({ page }) => {
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/profiles/real_time_packed`);
  await page.fill("[name=name]", "Quay engine");
  await page.selectOption("[name=normal]", "y-");
  const orm = page.locator("[data-file]").nth(1);
  await orm.locator("[data-hold]").nth(1).selectOption({ label: "Roughness, inverted" });
  await orm.locator("[data-word]").fill("smooth");
  await page.getByRole("button", { name: "Preview" }).click();
  await expect(page.locator(".trial-file")).not.toHaveCount(0);
  await expect(page.locator(".trial-file", { hasText: "_smooth.png" }).locator("figcaption")).toContainText(["Roughness, inverted"]);
  await page.getByRole("button", { name: "Save as new" }).first().click();
  await page.waitForURL(/profiles\/quay_engine/);
  await page.selectOption("[name=pixels]", "kept");
  await page.getByRole("button", { name: "Save version" }).click();
  await expect(page.getByText("Version 2, by lead")).toBeVisible();
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.locator(".sample", { hasText: first }).click();
  await page.selectOption("[data-profile]", "quay_engine");
  await expect(page.locator("[x-text=says]")).toContainText("Y−");
  expect(Object.keys(await take(page)).some((f) => f.endsWith("_smooth.png"))).toBe(true);
});

test("a draft is reviewed, returned, approved; its release is retired", async ({ page }) => {
  const id = Object.values(ids)[4];
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${id}`);
  await page.locator("[data-release]").click();
  await page.fill("#notes", "Ready for the wall.");
  await page.getByRole("button", { name: "Send to review" }).click();
  await expect(page.getByText("Waiting for review")).toBeVisible();
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/reviews`);
  await expect(page.locator(".review")).toContainText("Ready for the wall.");
  await page.fill("[name=reason]", "Say who made it.");
  await page.getByRole("button", { name: "Return" }).click();
  await expect(page.locator(".review")).toContainText("Returned by lead");
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${id}`);
  await expect(page.getByText("Say who made it.")).toBeVisible();
  await page.locator("[data-release]").click();
  await page.getByRole("button", { name: "Send to review" }).click();
  await expect(page.getByText("Waiting for review")).toBeVisible();
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/reviews`);
  await page.getByRole("button", { name: "Approve and release" }).click();
  await expect(page.locator(".review")).toHaveCount(0);
  const { items } = await (await page.request.get(`${s.url}/api/v1/library?state=approved`)).json();
  expect(items.length).toBe(1);
  await page.goto(`${s.url}/library/${items[0].slug}`);
  await expect(page.locator(".state")).toHaveText("Approved");
  await page.locator("#main summary", { hasText: "Retire" }).click();
  await page.fill("#main [name=reason]", "A better scan is there");
  await page.fill("#main [name=replacement]", first);
  await page.getByRole("button", { name: /^Retire release/ }).click();
  await expect(page.locator(".state")).toHaveText("Retired");
  await expect(page.getByText("in its place")).toBeVisible();
  expect((await (await page.request.get(`${s.url}/api/v1/library`)).json()).total).toBe(4);
});

test("materials are chosen by keys, kept in a collection, put in order, tagged and taken back", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/library?sort=name`);
  await page.locator("body").press("ArrowRight");
  await expect(page.locator(".sample").first()).toBeFocused();
  await page.keyboard.press("x");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("x");
  await page.keyboard.press("f");
  await expect(page.locator(".bulk")).toContainText("2 chosen");
  await expect(page.locator("[data-star][aria-pressed=true]")).toHaveCount(1);
  await page.selectOption("[data-to]", "new");
  await expect(page.locator(".toast")).toContainText("Kept 2 in");
  await page.selectOption(".bulk [name=what]", "add_tags");
  await page.fill(".bulk [name=value]", "tidal, quay");
  await page.getByRole("button", { name: "Apply" }).click();
  const tagged = async () => (await (await page.request.get(`${s.url}/api/v1/library?tag=tidal`)).json()).total;
  await expect.poll(tagged).toBe(2);
  await page.locator(".toast").getByRole("button", { name: "Undo" }).click();
  await expect.poll(tagged).toBe(0);
  await page.goto(`${s.url}/collections`);
  await expect(page.locator(".collection")).toHaveCount(2); // and the favourites
  await page.locator(".collection .link", { hasText: "Collection of" }).click();
  await expect(page.locator("h1.sentence b")).toHaveText("2");
  const order = () => page.locator(".sample b").allTextContents();
  const was = await order();
  await page.locator(".sample").first().focus();
  await page.keyboard.press(">");
  await expect.poll(order).toEqual([was[1], was[0]]);
  await page.reload();
  expect(await order()).toEqual([was[1], was[0]]);
  await page.locator(".sample").first().dragTo(page.locator(".sample").last(), { targetPosition: { x: 150, y: 60 } }); // and back, by hand
  await expect.poll(order).toEqual(was);
  await page.reload();
  expect(await order()).toEqual(was);
  await page.getByRole("link", { name: "Table" }).click();
  await expect(page.locator(".figures-row.draft")).toHaveCount(2);
});

test("an artist asks and points at a problem; a librarian answers, and the artist is told", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/requests?ask=1`);
  await page.fill("[name=title]", "Wet slate, laid in rows");
  await page.fill("[name=text]", "For the mill roof.");
  await page.getByRole("button", { name: "Send request" }).click();
  await page.waitForURL(/requests\/\d+/);
  const asked = page.url();
  await page.goto(`${s.url}/library`);
  await page.locator(".sample", { hasText: first }).click();
  await page.getByText("Report a problem").click();
  await page.fill("#main [name=title]:visible", "A seam at the left");
  await page.getByRole("button", { name: "Point at it" }).click();
  await page.locator("#pictures .picture").click({ position: { x: 40, y: 80 } });
  await page.getByRole("button", { name: "Send report" }).click();
  await expect(page.getByRole("link", { name: "A seam at the left" })).toBeVisible();
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/requests`);
  await expect(page.locator(".request-row")).toHaveCount(2);
  await page.locator(".request-row", { hasText: "A seam" }).click();
  await expect(page.locator(".pinned circle").first()).toBeVisible();
  await page.goto(asked);
  await page.fill("[name=text]", "It has been there since May.");
  await page.fill("[name=solved]", first);
  await page.getByRole("button", { name: "Send" }).click();
  await expect(page.getByText("Solved by", { exact: true }).first()).toBeVisible();
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await expect(page.locator(".news")).toHaveText("1");
  await page.goto(`${s.url}/notices`);
  await page.getByRole("link", { name: /Wet slate/ }).click();
  await expect(page.getByText("It has been there since May.")).toBeVisible();
});

test("ten thousand swatches scroll with as many on the page as are in sight", async ({ page }) => {
  test.setTimeout(180_000);
  await s.halt();
  execFileSync(binary, ["seed", "--data", s.data, "--n", "10000"], { stdio: "ignore" });
  await s.start();
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library?sort=name`);
  await expect(page.locator("[data-virtual]")).toBeAttached();
  const shown = () => page.evaluate(() => document.querySelectorAll("[data-card]").length);
  const heap = () => page.evaluate(() => /** @type {any} */ (performance).memory.usedJSHeapSize / 1e6);
  await page.evaluate(() => scrollTo(0, 100_000));
  await page.waitForTimeout(1500);
  const before = await heap();
  const height = await page.evaluate(() => document.body.scrollHeight);
  expect(height).toBeGreaterThan(10_000 / 6 * 200);
  for (let at = 0; at <= 20; at++) {
    await page.evaluate((y) => scrollTo(0, y), (height * at) / 20);
    await page.waitForTimeout(200);
    expect(await shown()).toBeLessThan(90);
  }
  await page.waitForTimeout(800);
  await expect(page.locator("[data-card]").last()).toBeInViewport();
  const { items, total } = await (await page.request.get(`${s.url}/library/cards?sort=name&from=10003&n=1`)).text().then((html) => ({ items: html, total: 1 }));
  expect(total).toBe(1);
  expect(await page.locator(".sample b").last().textContent()).toBe(/<b title="([^"]*)"/.exec(items)?.[1].replace(/&#39;/g, "'"));
  const after = await heap();
  console.log(`heap ${before.toFixed(1)} MB, after scrolling through ${after.toFixed(1)} MB`);
  expect(after).toBeLessThan(before + 15);
});

/**
 * The samples of a picture, as the browser has them.
 * @param {import("@playwright/test").Page} page
 * @param {Uint8Array} bytes
 * @param {string} type
 */
function pixels(page, bytes, type) {
  return page.evaluate(async ([list, type]) => {
    const bitmap = await createImageBitmap(new Blob([new Uint8Array(/** @type {number[]} */ (list))], { type: String(type) }), { colorSpaceConversion: "none", premultiplyAlpha: "none" });
    const canvas = new OffscreenCanvas(bitmap.width, bitmap.height), g = /** @type {OffscreenCanvasRenderingContext2D} */ (canvas.getContext("2d"));
    g.drawImage(bitmap, 0, 0);
    return { width: bitmap.width, height: bitmap.height, data: [...g.getImageData(0, 0, bitmap.width, bitmap.height).data] };
  }, [[...bytes], type]);
}

/** A plain TGA from the top. @param {Uint8Array} b */
function tga(b) {
  const width = b[12] | (b[13] << 8), height = b[14] | (b[15] << 8), n = b[16] / 8;
  expect(b[17] & 0x20).toBe(0x20);
  return { width, height, at: (/** @type {number} */ i, /** @type {number} */ c) => b[18 + i * n + [2, 1, 0, 3][c]] };
}
