// @ts-check
// What hands do and what can go wrong under them: dragging, taps, saves that fail, where the focus
// is after an edit, and pages without script.
import { expect, test } from "@playwright/test";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { zipSync } from "fflate";
import { enter, now, password, scanned, studio } from "./studio.mjs";

/** @typedef {import("@playwright/test").Page} Page */

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

/**
 * Sends a scan whose names of one channel say nothing, and gives the delivery's sets.
 * @param {Page} page
 * @param {string} name
 * @param {number} seed
 */
async function sent(page, name, seed) {
  const { files } = scanned(s.dir, ["--sets", "2", "--size", "96", "--seed", String(seed)]);
  const odd = Object.fromEntries(Object.entries(files).map(([path, data]) => [path.replace("_roughness", "_qx"), data]));
  writeFileSync(join(s.dir, `${name}.zip`), zipSync(odd, { level: 0 }));
  await page.goto(`${s.url}/intake`);
  await page.setInputFiles("[data-upload]", join(s.dir, `${name}.zip`));
  await page.waitForURL(/\/intake\/\d+/);
  await expect(page.locator("tr[data-set]").first()).toBeVisible({ timeout: 90_000 });
  const id = Number(page.url().match(/intake\/(\d+)/)?.[1]);
  return { id, sets: (await (await page.request.get(`${s.url}/api/v1/deliveries/${id}`)).json()).sets };
}

/** The channel that a file of a set has now. @param {Page} page @param {number} set @param {RegExp} file */
const channelOf = async (page, set, file) => (await (await page.request.get(`${s.url}/api/v1/materials/${set}`)).json()).maps.find((/** @type {any} */ m) => file.test(m.file))?.channel;

test("a picture is dragged into its column, and tapped into it", async ({ page, browser }) => {
  await enter(page, s.url, "librarian");
  const { id, sets: [set] } = await sent(page, "drag", 21);
  await page.goto(`${s.url}/intake/${id}?show=check`);
  const row = page.locator(`tr[data-set="${set.material_id}"]`);
  const cell = row.locator('[data-cell][title$="_qx.png"]');
  await expect(cell).toBeVisible();
  await cell.dragTo(row.locator('td[data-column="metallic"]'));
  await expect.poll(() => channelOf(page, set.material_id, /_qx/)).toBe("metallic");
  // A finger taps: the reasons open, with a button for each channel.
  const hand = await browser.newContext({ hasTouch: true, viewport: { width: 1024, height: 768 }, storageState: await page.context().storageState() });
  const tablet = await hand.newPage();
  await tablet.goto(`${s.url}/intake/${id}`);
  await tablet.locator(`tr[data-set="${set.material_id}"] [data-cell][title$="_qx.png"]`).tap();
  await expect(tablet.getByRole("dialog", { name: "Reasons" })).toBeVisible();
  // Two fingers bring the picture nearer.
  const closer = tablet.locator(".closer"), scale = () => closer.evaluate((c) => /** @type {any} */ (c).closer.scale);
  await expect(closer).toHaveAttribute("data-settled", /\d/);
  const before = await scale(), at = /** @type {{x: number, y: number}} */ (await closer.boundingBox()), fingers = await hand.newCDPSession(tablet);
  const touch = (/** @type {"touchStart" | "touchMove" | "touchEnd"} */ type, /** @type {number} */ apart) => fingers.send("Input.dispatchTouchEvent", { type, touchPoints: apart ? [{ x: at.x + 200 - apart, y: at.y + 150, id: 1 }, { x: at.x + 200 + apart, y: at.y + 150, id: 2 }] : [] });
  await touch("touchStart", 40);
  for (const apart of [55, 70, 80]) await touch("touchMove", apart);
  await touch("touchEnd", 0);
  await expect.poll(async () => (await scale()) / before).toBeCloseTo(2, 1);
  await tablet.getByRole("group", { name: "This is" }).getByRole("button", { name: "Roughness" }).tap();
  await expect.poll(() => channelOf(page, set.material_id, /_qx/)).toBe("roughness");
  await hand.close();
});

test("a save that fails says so, and what was typed stays", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { sets: [set] } = await sent(page, "fails", 22);
  await page.request.post(`${s.url}/api/v1/deliveries/${set.delivery_id ?? page.url().match(/intake\/(\d+)/)?.[1]}/accept`, { headers: now, data: { materials: [set.material_id] } });
  await page.goto(`${s.url}/bench/${set.material_id}`);
  const path = `**/api/v1/materials/${set.material_id}`;
  const name = page.locator("#ledger [data-field=name]"), edit = page.locator("#ledger input[data-mine]");
  await name.click();
  await edit.fill("Quay wall, north");
  await page.route(path, (r) => r.abort());
  await edit.press("Enter");
  await expect(page.locator(".trouble")).toContainText("The server cannot be reached");
  await expect(edit).toHaveValue("Quay wall, north");
  await expect(edit).toBeFocused();
  // The server has an accident.
  await page.unroute(path);
  await page.route(path, (r) => r.fulfill({ status: 500, contentType: "application/problem+json", body: JSON.stringify({ detail: "The server could not do that; it was noted." }) }));
  await edit.press("Enter");
  await expect(page.locator(".trouble", { hasText: "it was noted" })).toBeVisible();
  await expect(edit).toHaveValue("Quay wall, north");
  await page.unroute(path);
  await edit.press("Enter");
  await expect(name).toHaveText("Quay wall, north");
  await expect(name).toBeFocused();
});

test("after each kind of edit the focus is where one would look for it", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { id, sets } = await sent(page, "focus", 23);
  const set = sets[0].material_id;
  // Intake: accepting goes to the next row.
  await page.goto(`${s.url}/intake/${id}?show=${sets[0].findings.length ? "check" : "ready"}`);
  const rows = page.locator("tr[data-set]");
  if ((await rows.count()) > 1) {
    const next = await rows.nth(1).getAttribute("data-set");
    await rows.first().locator("[data-accept]").focus();
    await page.keyboard.press("Enter");
    await expect.poll(() => page.evaluate(() => document.activeElement?.closest("tr")?.getAttribute("data-set"))).toBe(next);
  }
  await page.request.post(`${s.url}/api/v1/deliveries/${id}/accept`, { headers: now, data: { materials: sets.map((/** @type {any} */ x) => x.material_id) } });
  // Bench: the figure that was edited, by Enter, Escape and by choosing a suggestion.
  await page.goto(`${s.url}/bench/${set}`);
  const field = (/** @type {string} */ f) => page.locator(`#ledger [data-field=${f}]`), edit = page.locator("#ledger input[data-mine]");
  for (const [f, text] of [["width_m", "1.25 m"], ["name", "Lamp room floor"], ["author", "Ada"]]) {
    await field(f).focus();
    await page.keyboard.press("Enter");
    await edit.fill(text);
    await page.keyboard.press("Enter");
    await expect(field(f)).toHaveText(text);
    await expect(field(f)).toBeFocused();
  }
  await field("contact_class").focus();
  await page.keyboard.press("Enter");
  await edit.fill("wet");
  const list = page.getByRole("listbox");
  await expect(list.getByRole("option")).toHaveText(["wet sand", "wet stone"]);
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Enter");
  await expect(edit).toHaveValue("wet stone");
  await page.keyboard.press("Enter");
  await expect(field("contact_class")).toHaveText("wet stone");
  await expect(field("contact_class")).toBeFocused();
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape"); // the suggestions, then the edit
  await page.keyboard.press("Escape");
  await expect(edit).toHaveCount(0);
  await expect(field("contact_class")).toBeFocused();
  // u takes the last edit back, wherever the focus is.
  await page.keyboard.press("u");
  await expect(field("contact_class")).not.toHaveText("wet stone");
  await page.keyboard.press("Shift+U");
  await expect(field("contact_class")).toHaveText("wet stone");
});

test("without script pages are read, searched and downloaded from", async ({ page, browser }) => {
  await enter(page, s.url, "librarian");
  const { id, sets } = await sent(page, "plain", 24);
  await page.request.post(`${s.url}/api/v1/deliveries/${id}/accept`, { headers: now, data: { materials: sets.map((/** @type {any} */ x) => x.material_id) } });
  for (const x of sets) {
    await page.request.patch(`${s.url}/api/v1/materials/${x.material_id}`, { headers: now, data: { licence: "CC0-1.0", categories: ["Stone"], tags: ["harbour"], width_m: 1.5, contact_class: "hard stone" } });
    expect((await page.request.post(`${s.url}/api/v1/materials/${x.material_id}/releases`, { headers: now, data: { notes: "First." } })).status()).toBe(201);
  }
  const plain = await (await browser.newContext({ javaScriptEnabled: false })).newPage();
  await plain.goto(s.url);
  await plain.fill("#name", "librarian");
  await plain.fill("#password", password);
  await plain.getByRole("button", { name: "Sign in" }).click();
  for (const [path, says] of [["/intake", "Deliveries"], [`/intake/${id}`, "Plain"], ["/bench", "Released"], [`/bench/${sets[0].material_id}`, "Density"], ["/standards", "Severities"], ["/jobs", "Jobs"], ["/intake/rules", "Naming rules"], ["/you", "Sessions"], ["/licences", "Alpine"]]) {
    await plain.goto(s.url + path);
    await expect(plain.locator("main")).toContainText(says, { ignoreCase: true });
  }
  // The Bench's list is filtered by its form.
  await plain.goto(`${s.url}/bench`);
  await plain.locator("#filter").fill("harbour");
  await plain.locator("#filter").press("Enter");
  await expect(plain.locator("[data-draft]")).toHaveCount(2);
  // The Library: by word, by facet, and back.
  await plain.goto(`${s.url}/library`);
  await plain.getByLabel("Find a material").fill("harbour");
  await plain.getByLabel("Find a material").press("Enter");
  await expect(plain).toHaveURL(/q=harbour/);
  await expect(plain.locator(".sample")).toHaveCount(2);
  await plain.locator("details.choice summary").first().click();
  await plain.locator("details.choice[open] a").first().click();
  await expect(plain.locator(".sample").first()).toBeVisible();
  // A material's page says what a download costs and gives it.
  await plain.locator(".sample").first().click();
  await plain.getByLabel("Normal direction").selectOption("y-");
  const got = plain.waitForEvent("download", { timeout: 60_000 });
  await plain.getByRole("button", { name: "Download" }).click();
  expect((await got).suggestedFilename()).toMatch(/-yminus\.zip$/);
  await plain.context().close();
});
