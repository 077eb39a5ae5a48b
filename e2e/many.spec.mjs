// @ts-check
// Many at once: the Bench's list, the list of deliveries, and two scans held against each other.
import { expect, test } from "@playwright/test";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { enter, now, scanned, studio } from "./studio.mjs";

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

/**
 * Sends a file, and waits until its sets are there.
 * @param {import("@playwright/test").Page} page
 * @param {string} file
 */
async function send(page, file) {
  await page.goto(`${s.url}/intake`);
  await page.setInputFiles("[data-upload]", file);
  await page.waitForURL(/\/intake\/\d+/);
  await expect(page.locator("tr[data-set]").first()).toBeVisible({ timeout: 90_000 });
}

test("many materials are filtered, chosen, changed and released together", async ({ page }) => {
  const file = join(s.dir, "eight.zip");
  writeFileSync(file, scanned(s.dir, ["--sets", "8", "--size", "64"]).zip);
  await enter(page, s.url, "librarian");
  await send(page, file);
  await page.keyboard.press("Shift+S");
  await expect(page.locator("[data-tab=done] .num")).not.toHaveText("0");
  await page.goto(`${s.url}/bench`);
  const all = await page.locator("[data-draft]").count();
  expect(all).toBeGreaterThan(2);
  const name = (await page.locator("[data-draft] b").first().textContent()) ?? "";
  await page.keyboard.press("f");
  await page.keyboard.type(name.slice(0, 6));
  await expect(page.locator("[data-draft]")).not.toHaveCount(all);
  await expect(page).toHaveURL(/q=/);
  await expect(page.locator("#filter")).toBeFocused(); // the list came anew, the field stayed
  await page.locator("#filter").fill("");
  await expect(page.locator("[data-draft]")).toHaveCount(all);

  // A row of them by pointer, one more by key.
  await page.locator("[data-draft] a").first().focus();
  await page.keyboard.press("x");
  await page.keyboard.press("ArrowRight");
  await expect(page.locator("[data-draft] a").nth(1)).toBeFocused();
  await page.locator("[data-draft]").nth(2).locator("a").click({ modifiers: ["Shift"] });
  await expect(page.locator("[data-draft][data-chosen]")).toHaveCount(3);
  const bar = page.locator("[data-bulk]");
  await expect(bar).toContainText("3 chosen");
  await bar.getByLabel("Value").fill("harbour, wet");
  await bar.getByRole("button", { name: "Apply" }).click();
  await expect(page.locator(".toast")).toContainText("Saved: 3 materials");
  await expect(page.locator("[data-draft][data-chosen]")).toHaveCount(3); // still chosen
  await page.locator("#filter").fill("harbour");
  await expect(page.locator("[data-draft]")).toHaveCount(3);
  await page.locator(".toast").getByRole("button", { name: "Undo" }).click();
  await expect(page.getByText("No matches.")).toBeVisible();
  await page.getByRole("link", { name: "Show all" }).click();
  await expect(page.locator("[data-draft]")).toHaveCount(all);

  await expect(bar).toContainText("3 chosen"); // what was not shown meanwhile, too
  await bar.getByRole("button", { name: "Clear selection" }).click();
  await page.locator("[data-draft]").first().locator("[data-choose]").check();
  await page.locator("[data-draft]").nth(1).locator("[data-choose]").check();
  await bar.getByRole("button", { name: "Release 2…" }).click();
  const box = page.locator("#releasing");
  await expect(box).toContainText("No licence"); // what is open is said before it can't be undone
  await box.getByLabel("Release notes").fill("First.");
  await box.getByRole("button", { name: "Release 2", exact: true }).click();
  await expect(page.locator("#tab-released .num")).toHaveText("2");
  await expect(bar).toBeHidden();
  await page.locator("#tab-released").click();
  await expect(page.locator("[data-draft]")).toHaveCount(2);
  await page.reload();
  await expect(page.locator("[data-draft]")).toHaveCount(2); // it is in the address
});

test("two scans are compared under one camera, and news leave them open", async ({ page }) => {
  const file = join(s.dir, "once.zip");
  writeFileSync(file, scanned(s.dir, ["--sets", "1", "--size", "160", "--seed", "9"]).zip);
  await enter(page, s.url, "librarian");
  await send(page, file);
  await page.locator("[data-accept]").first().click();
  await expect(page.locator("[data-tab=done] .num")).toHaveText("1");
  await send(page, file);
  await page.locator("[data-open-row]").first().click();
  await page.getByRole("button", { name: "Compare", exact: true }).click();
  const box = page.locator("dialog.pair[open]"), stage = box.locator(".stage");
  await expect(box).toBeVisible();
  const views = () => stage.locator("svg").evaluateAll((all) => all.map((v) => v.getAttribute("viewBox")));
  const fit = await views();
  expect(fit[0]).toBe(fit[1]);
  await stage.hover();
  await page.mouse.wheel(0, -200);
  await stage.press("ArrowRight");
  const moved = await views();
  expect(moved[0]).toBe(moved[1]);
  expect(moved[0]).not.toBe(fit[0]);
  await page.keyboard.press("2");
  await expect(stage).toHaveAttribute("data-way", "wipe");
  const left = await stage.evaluate((e) => getComputedStyle(e).getPropertyValue("--wipe"));
  await page.keyboard.press("Shift+ArrowRight");
  expect(await stage.evaluate((e) => getComputedStyle(e).getPropertyValue("--wipe"))).not.toBe(left);
  await page.keyboard.press("3");
  await expect(stage).toHaveAttribute("data-other", ""); // in turn

  // Somebody else decides meanwhile: what is looked at stays until it is closed.
  const id = Number(page.url().match(/intake\/(\d+)/)?.[1]);
  const { sets } = await (await page.request.get(`${s.url}/api/v1/deliveries/${id}`)).json();
  const heard = page.waitForResponse((r) => r.url().includes(`/intake/${id}`) && r.request().headers()["x-part"] !== undefined);
  const done = await page.request.post(`${s.url}/api/v1/deliveries/${id}/leave`, { headers: now, data: { materials: [sets[0].material_id] } });
  expect(done.ok()).toBe(true);
  await heard;
  await expect(box).toBeVisible();
  expect((await views())[0]).toBe(moved[0]);
  await box.getByRole("button", { name: "Close" }).click();
  await expect(page.locator("[data-tab=left] .num")).toHaveText("1");
  await expect(page.locator("dialog.pair")).toHaveCount(0);
});

test("typed figures mean the same everywhere, and stay as typed where they mean nothing", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const table = JSON.parse(readFileSync(new URL("../core/scale/testdata/figures.json", import.meta.url), "utf8"));
  const module = (await page.locator("script[src*='/js/page/']").getAttribute("src"))?.replace(/page\/.*/, "figure.js");
  for (const { text, kind, value } of [...table.understood, ...table.refused]) {
    const got = await page.evaluate(async ([module, text, kind]) => (await import(module)).figure(text, kind).catch((/** @type {Error} */ e) => e.message), [String(module), text, kind]);
    if (value === undefined) expect(got, text).toMatch(/ is not | no length | no kind |division|not closed/);
    else expect(got, text).toBeCloseTo(value, 9);
  }
  // In the Laid lens: what is not understood is said, and stays.
  await page.goto(`${s.url}/bench`);
  await page.goto(`${s.url}${await page.locator("[data-draft] a", { hasText: "×" }).first().getAttribute("href")}?lens=laid`);
  await page.getByRole("button", { name: "More", exact: true }).click();
  const right = page.getByLabel("Moved right");
  await right.fill("6 leagues");
  await right.press("Enter");
  await expect(page.locator(".trouble")).toContainText("6 leagues");
  await expect(right).toHaveValue("6 leagues");
  await right.fill("1 3/4 in");
  await right.press("Enter");
  await expect(page).toHaveURL(/right=1\+3%2F4\+in/);
});

test("a delivery is found by its name", async ({ page }) => {
  await enter(page, s.url, "librarian");
  for (const name of ["Tide mill", "Salt store", "Net loft", "Pier head", "Slip", "Gate", "Lamp room", "Oil store", "Long shed"]) {
    const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { name, file: { name: "notes.txt", mimeType: "text/plain", buffer: Buffer.from(name) } } });
    expect(sent.ok()).toBe(true);
  }
  await page.goto(`${s.url}/intake`);
  await page.locator("#find-delivery").fill("store");
  await expect(page.locator("#deliveries > a")).toHaveCount(2);
  await expect(page.locator("#find-delivery")).toBeFocused();
  await page.locator("#deliveries > a", { hasText: "Salt store" }).click();
  await page.waitForURL(/find=store/);
  await expect(page.locator("#deliveries > a")).toHaveCount(2);
  await page.locator("#find-delivery").fill("nothing like it");
  await expect(page.getByText("No matches.")).toBeVisible();
});

test("sets of a delivery are chosen across tabs, changed, left out and accepted together", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { zip } = scanned(s.dir, ["--sets", "7", "--size", "96", "--faults", "all"]);
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { file: { name: "chosen.zip", mimeType: "application/zip", buffer: zip } } });
  const { href } = await sent.json(), delivery = async () => (await page.request.get(s.url + href)).json();
  await expect.poll(async () => (await delivery()).state, { timeout: 60_000 }).toBe("sorted");
  await page.goto(`${s.url}/intake/${href.split("/").pop()}?show=check`);
  const boxes = page.locator("tr[data-set] [data-choose]"), bar = page.locator("form[data-bulk]");
  await boxes.nth(0).click();
  await boxes.nth(2).click({ modifiers: ["Shift"] });
  await expect(bar).toContainText("3 sets");
  const names = await page.locator("tr[data-chosen]").evaluateAll((rows) => rows.map((r) => /** @type {HTMLElement} */ (r).dataset.item));
  // A filter that hides them, and news: they stay chosen.
  await page.locator("[data-filter]").fill("nothing has this name");
  await expect(page.locator("tr[data-set]")).toHaveCount(0);
  await page.locator("[data-filter]").fill("");
  await expect(page.locator("tr[data-chosen]")).toHaveCount(3);
  await bar.getByLabel("Value").fill("chosen here");
  await bar.getByRole("button", { name: "Apply" }).click();
  for (const id of names) await expect.poll(async () => (await (await page.request.get(`${s.url}/api/v1/materials/${id}`)).json()).tags).toContain("chosen here");
  // A key on the box; on a map's cell the same key means something else.
  await boxes.nth(3).focus();
  await page.keyboard.press("x");
  await expect(bar).toContainText("4 sets");
  await bar.getByRole("button", { name: "Leave out" }).click();
  await expect(page.locator("[data-tab=left] .num")).toHaveText("4");
  await expect(bar).toBeHidden();
  await page.locator("[data-tab=left]").click();
  await expect(page.locator("tr[data-set]")).toHaveCount(4);
  await boxes.nth(0).click();
  await boxes.nth(3).click({ modifiers: ["Shift"] });
  await expect(bar.getByRole("button", { name: "Accept" })).toBeHidden();
  await bar.getByRole("button", { name: "Put back" }).click();
  await expect(page.locator("[data-tab=left] .num")).toHaveText("0");
  await page.locator("[data-tab=check]").click();
  await boxes.nth(0).click();
  await boxes.nth(1).click();
  await bar.getByRole("button", { name: "Accept" }).click();
  await expect(page.locator("[data-tab=done] .num")).toHaveText("2");
  await page.keyboard.press("u");
  await expect.poll(async () => (await delivery()).sets.filter((/** @type {any} */ k) => k.stage === "accepted").length).toBe(0);
});
