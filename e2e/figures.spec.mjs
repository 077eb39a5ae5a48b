// @ts-check
// Figures under the hand: dragged, stepped by keys and by the wheel, seen at once, one change a gesture.
import { expect, test } from "@playwright/test";
import { enter, now, scanned, sorted, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });
test.use({ viewport: { width: 1024, height: 600 } });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** @type {number} */ let id;

test.beforeAll(async ({ browser }) => {
  test.setTimeout(120_000);
  s = await studio();
  const page = await browser.newPage();
  await enter(page, s.url, "librarian");
  const { zip } = scanned(s.dir, ["--sets", "1", "--size", "256", "--seed", "3"]);
  id = (await sorted(page.request, s.url, "scans.zip", "application/zip", zip))[0].material_id;
  await page.close();
});
test.afterAll(() => s.stop());

/** @param {import("@playwright/test").Page} page */
async function open(page) {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${id}?lens=lit`);
  await page.waitForSelector("#lit[data-settled]", { timeout: 60_000 });
  await page.mouse.move(400, 300);
  await page.waitForSelector("[data-hands]");
  /** @type {any[]} */ const changes = [];
  page.on("request", (r) => { if (r.method() === "PATCH") changes.push(r.postDataJSON()); });
  return changes;
}
/** What the lens is shaded with. @param {import("@playwright/test").Page} page */
const shading = (page) => page.evaluate(() => /** @type {any} */ (document.getElementById("lit")).lens.stage.surface.look);
const material = async (/** @type {import("@playwright/test").Page} */ page) => (await page.request.get(`${s.url}/api/v1/materials/${id}`)).json();

test("a drag is seen at once, loads nothing, and is one change that can be undone", async ({ page }) => {
  const changes = await open(page);
  /** @type {string[]} */ const loads = [];
  page.on("request", (r) => { if (r.url().includes("surface.bin")) loads.push(r.url()); });
  const figure = page.getByRole("button", { name: /^what a roughness of 1 becomes: / }), box = /** @type {{x: number, y: number}} */ (await figure.boundingBox());
  await page.mouse.move(box.x + 3, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x - 40, box.y + 8, { steps: 6 });
  await page.mouse.move(box.x - 77, box.y + 8, { steps: 6 });
  await expect(figure).toHaveText(/^0\.6\d*$/);
  const seen = Number(await figure.textContent());
  expect((await shading(page)).figures.roughness[1]).toBe(seen);
  expect(changes).toEqual([]);
  await page.mouse.up();
  await expect.poll(() => changes.length).toBe(1);
  expect(changes[0]).toEqual({ figures: { roughness: [0, seen] } });
  await expect(page.locator("#ledger .figure-edit")).toHaveCount(0); // the end of a drag is no press
  await expect.poll(async () => (await material(page)).figures.roughness[1]).toBe(seen);
  await expect(figure).toHaveText(String(seen));
  expect(loads).toEqual([]);
  await expect.poll(async () => (await shading(page)).figures.roughness[1]).toBe(seen);
  await page.getByRole("button", { name: /^Undo: / }).first().click();
  await expect(figure).toHaveText("1");
  await expect.poll(async () => (await shading(page)).figures.roughness[1]).toBe(1);
});

test("Escape puts back what a drag or keys did", async ({ page }) => {
  const changes = await open(page);
  const figure = page.getByRole("button", { name: /^normal strength: / }), box = /** @type {{x: number, y: number}} */ (await figure.boundingBox());
  await page.mouse.move(box.x + 3, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x + 60, box.y + 8, { steps: 4 });
  expect((await shading(page)).figures.normal_strength).toBeGreaterThan(1.2);
  await page.keyboard.press("Escape");
  await page.mouse.move(box.x + 90, box.y + 8, { steps: 3 }); // what is left of the drag means nothing
  await page.mouse.up();
  await expect(figure).toHaveText("1");
  await expect(page.locator("#ledger .figure-edit")).toHaveCount(0);
  expect((await shading(page)).figures.normal_strength).toBe(1);
  await figure.focus();
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("Shift+ArrowUp");
  await expect(figure).toHaveText("1.22");
  await page.keyboard.press("Escape");
  await expect(figure).toHaveText("1");
  expect(changes).toEqual([]);
});

test("keys and the wheel are one change a run, fine and coarse", async ({ page }) => {
  const changes = await open(page);
  const figure = page.getByRole("button", { name: /^normal strength: / });
  await figure.focus();
  for (const key of ["ArrowUp", "ArrowUp", "Shift+ArrowUp", "Alt+ArrowDown"]) await page.keyboard.press(key);
  await page.keyboard.press("Enter");
  await expect.poll(() => changes.length).toBe(1);
  expect(changes[0].figures.normal_strength).toBeCloseTo(1.238, 6);
  await expect(figure).toHaveText("1.238");
  await expect(figure).toBeFocused();
  // The wheel turns what has the focus and is under the pointer, and nothing else.
  const other = page.getByRole("button", { name: /^what a roughness of 0 becomes: / });
  await other.hover();
  await page.mouse.wheel(0, -100);
  expect(await other.textContent()).toBe("0");
  await figure.hover();
  await page.mouse.wheel(0, -100);
  await page.mouse.wheel(0, -100);
  await expect(figure).toHaveText("1.278");
  await page.keyboard.press("Tab"); // leaving it ends the gesture
  await expect.poll(() => changes.length).toBe(2);
  await expect.poll(async () => (await material(page)).figures.normal_strength).toBeCloseTo(1.278, 6);
  // Limits hold.
  const floor = page.getByRole("button", { name: /^what a roughness of 0 becomes: / });
  await floor.focus();
  await page.keyboard.press("ArrowDown");
  await expect(floor).toHaveText("0");
});

test("sizes and depth are dragged too; the relief and the repeat follow", async ({ page }) => {
  await open(page);
  const before = await shading(page), depth = page.locator(".big .figure[data-field=depth_m]"), width = page.locator(".figure[data-field=width_m]");
  await depth.focus();
  const deep = (await material(page)).depth_m;
  for (let i = 0; i < 5; i++) await page.keyboard.press("Shift+ArrowUp"); // where it is slow these are several gestures: they add up
  expect((await shading(page)).depth / before.depth).toBeCloseTo(1.01 ** 50, 2);
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await material(page)).depth_m / deep).toBeCloseTo(1.01 ** 50, 2);
  await width.focus();
  await page.keyboard.press("PageUp");
  expect((await shading(page)).size[0] / before.size[0]).toBeCloseTo(1.01 ** 10, 2);
  await page.keyboard.press("Escape");
  expect((await shading(page)).size[0]).toBeCloseTo(before.size[0], 9);
});

test("what is refused is put back and said", async ({ page }) => {
  await open(page);
  const figure = page.getByRole("button", { name: /^normal strength: / }), was = await figure.textContent();
  await page.route("**/api/v1/materials/*", (route) => (route.request().method() === "PATCH" ? route.fulfill({ status: 503, contentType: "application/problem+json", body: JSON.stringify({ detail: "The disk is full." }) }) : route.continue()));
  await figure.focus();
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("Enter");
  await expect(page.getByText("The disk is full.")).toBeVisible();
  await expect(figure).toHaveText(was ?? "");
  expect((await shading(page)).figures.normal_strength).toBe(Number(was));
});

test("somebody else's news does not disturb a gesture", async ({ page }) => {
  await open(page);
  const figure = page.getByRole("button", { name: /^what a roughness of 1 becomes: / });
  await figure.focus();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  expect((await page.request.patch(`${s.url}/api/v1/materials/${id}`, { headers: now, data: { author: "Ada" } })).status()).toBe(200);
  for (let i = 0; i < 40 && !(await page.getByRole("button", { name: "Ada" }).count()); i++) { // the hand goes on until the news is there
    await page.keyboard.press(i % 2 ? "ArrowDown" : "ArrowUp");
    expect(Number(await figure.textContent())).toBeLessThan(1);
  }
  await expect(page.getByRole("button", { name: "Ada" })).toBeVisible();
  const seen = Number(await figure.textContent());
  expect([0.98, 0.99]).toContain(seen);
  expect((await shading(page)).figures.roughness[1]).toBe(seen); // the lens still shows what the hand does
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await material(page)).figures.roughness[1]).toBe(seen);
  expect((await material(page)).author).toBe("Ada");
});

test("a colour is picked: by sliders, by typing, from the picture; Escape puts back", async ({ page }) => {
  const changes = await open(page);
  const tint = page.getByRole("button", { name: /^tint: / }), box = page.getByRole("dialog", { name: "Colour: tint" });
  await tint.click();
  await expect(box.getByRole("textbox")).toBeFocused();
  await box.getByLabel("Lightness").focus();
  for (let i = 0; i < 20; i++) await page.keyboard.press("ArrowLeft");
  const [r, g, b] = (await shading(page)).figures.tint;
  expect(r).toBeLessThan(0.85);
  expect(Math.max(r, g, b) - Math.min(r, g, b)).toBeLessThan(0.01); // grey stays grey
  await box.getByLabel("Chroma").press("End"); // beyond sRGB: its edge is taken, and said
  await expect(box.getByText(/At the edge of sRGB: chroma 0\.\d+/)).toBeVisible();
  for (const v of (await shading(page)).figures.tint) expect(v).toBeGreaterThanOrEqual(0);
  await page.keyboard.press("Escape");
  await expect(box).toHaveCount(0);
  await expect(tint).toBeFocused();
  expect((await shading(page)).figures.tint).toEqual([1, 1, 1]);
  expect(changes).toEqual([]);

  // The mean of a disc that covers the whole height of the map is about the mean of the map.
  const m = await material(page), base = m.maps.find((/** @type {any} */ k) => k.channel === "base_color");
  await tint.click();
  await box.getByText("From the picture").click();
  const from = box.getByRole("application");
  await from.focus();
  await page.keyboard.press("Enter");
  await expect(box.getByRole("textbox")).not.toHaveValue("#ffffff");
  const seen = await box.getByRole("textbox").inputValue(), { linear } = await (await page.request.get(`${s.url}/maps/${base.id}/mean?u=0.5&v=0.5&radius=0.03`)).json();
  expect((await shading(page)).figures.tint.map((/** @type {number} */ v) => v.toFixed(3))).toEqual(linear.map((/** @type {number} */ v) => v.toFixed(3)));
  await page.mouse.click(5, 300); // outside: it is kept, as one change
  await expect.poll(() => changes.length).toBe(1);
  await expect(tint).toHaveText(seen);

  await tint.click();
  await expect(box.getByRole("button", { name: seen })).toBeVisible(); // among the last used
  await box.getByRole("textbox").fill("nonesuch");
  await page.keyboard.press("Enter");
  await expect(box.getByRole("alert")).toContainText("nonesuch is no colour");
  await box.getByRole("textbox").fill("#336699");
  await page.keyboard.press("Enter");
  await expect.poll(() => changes.length).toBe(2);
  await expect(tint).toHaveText("#336699");
});

test("two gestures one right after the other are both kept", async ({ page }) => {
  const changes = await open(page);
  await page.route("**/api/v1/materials/*", async (route) => { // a slow line
    if (route.request().method() === "PATCH") await new Promise((done) => setTimeout(done, 400));
    await route.continue();
  });
  const before = (await material(page)).figures;
  for (const [name, key] of /** @type {[RegExp, string][]} */ ([[/^what a roughness of 0 becomes: /, "ArrowUp"], [/^what a roughness of 1 becomes: /, "ArrowDown"]])) { // two of one pair
    await page.getByRole("button", { name }).focus();
    await page.keyboard.press(key);
    await page.keyboard.press("Enter");
  }
  await expect.poll(() => changes.length).toBe(2);
  const want = [before.roughness[0] + 0.01, before.roughness[1] - 0.01].map((v) => v.toFixed(3));
  await expect.poll(async () => (await material(page)).figures.roughness.map((/** @type {number} */ v) => v.toFixed(3))).toEqual(want);
  await expect(page.locator(".trouble")).toHaveCount(0);
});

test("a smaller shape gets maps that are as sharp as it shows", async ({ page }) => {
  await open(page);
  await page.evaluate(() => /** @type {any} */ (document.getElementById("lit")).lens.set({ size: 20 }));
  await expect(page).toHaveURL(/size=20/);
  await page.reload(); // far away, small maps are enough
  await page.waitForSelector("#lit[data-settled]", { timeout: 60_000 });
  const sharp = () => page.evaluate(() => /** @type {any} */ (document.getElementById("lit")).lens.sharp);
  expect(await sharp()).toBe(256);
  for (let i = 0; i < 6; i++) await page.keyboard.press("[");
  await expect.poll(sharp, { timeout: 30_000 }).toBeGreaterThan(256);
});
