// @ts-check
// How deliveries arrive: in pieces over a connection that breaks and a page that is
// loaded anew, and by themselves from a watched folder.
import { expect, test } from "@playwright/test";
import { appendFileSync, mkdirSync, renameSync, truncateSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { randomFillSync } from "node:crypto";
import { zipSync } from "fflate";
import { enter, scanned, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

test("an upload goes on after a reload", async ({ page }) => {
  // Two sets and forty megabytes that nobody can compress.
  const { files } = scanned(s.dir, ["--sets", "2", "--size", "128"]);
  files["slates_round/scan.raw"] = new Uint8Array(randomFillSync(Buffer.alloc(40 << 20)));
  const file = join(s.dir, "large.zip");
  writeFileSync(file, zipSync(files, { level: 0 }));
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/intake`);

  // The first pieces arrive; then the connection hangs, and somebody loads the page anew.
  let pieces = 0;
  await page.route("**/api/v1/uploads/*", (route) => {
    if (route.request().method() === "PATCH" && ++pieces > 2) return; // never answered
    return route.continue();
  });
  const third = page.waitForRequest((r) => r.method() === "PATCH" && pieces >= 2);
  await page.setInputFiles("[data-upload]", file);
  await third;
  await expect.poll(() => pieces).toBeGreaterThan(2);
  await page.unroute("**/api/v1/uploads/*");
  await page.reload();
  await expect(page.getByText("was interrupted")).toBeVisible();

  const asked = page.waitForResponse((r) => r.request().method() === "HEAD" && r.url().includes("/uploads/"));
  await page.setInputFiles("[data-upload]", file);
  expect(Number((await asked).headers()["upload-offset"])).toBeGreaterThanOrEqual(16 << 20);
  await page.waitForURL(/\/intake\/\d+/, { timeout: 60_000 });
  await expect(page.locator("[data-accept-ready]")).toContainText("Accept 2 ready", { timeout: 30_000 });
  await expect(page.getByText("was interrupted")).toBeHidden();
  const { items } = await (await page.request.get(`${s.url}/api/v1/deliveries`)).json();
  expect(items.length).toBe(1);
});

test("a watched folder delivers what has stopped changing", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/intake/folders`);
  await page.fill("#path", "/etc");
  await page.getByRole("button", { name: "Watch folder" }).click();
  await expect(page.locator(".trouble")).toContainText("lies outside the folders");
  await page.fill("#path", s.drop);
  await page.fill("#station", "Quay Rig");
  await page.getByRole("button", { name: "Watch folder" }).click();
  await expect(page.locator("[data-watch]")).toContainText(s.drop);

  const deliveries = async () => (await (await page.request.get(`${s.url}/api/v1/deliveries`)).json()).items;
  const before = (await deliveries()).length;
  const { files } = scanned(s.dir, ["--sets", "1", "--size", "128"]);
  mkdirSync(join(s.drop, "monday", "slates_round"), { recursive: true });
  const all = Object.entries(files);
  for (const [path, data] of all.slice(1)) writeFileSync(join(s.drop, "monday", path), data);
  // The last file is written slowly: nothing may be taken meanwhile.
  const [path, data] = all[0];
  const slow = join(s.drop, "monday", path);
  writeFileSync(slow, "");
  truncateSync(slow, 0);
  for (let i = 0; i < 6; i++) {
    appendFileSync(slow, data.slice((i * data.length) / 6, ((i + 1) * data.length) / 6));
    await page.waitForTimeout(450);
    expect((await deliveries()).length).toBe(before);
  }
  await expect.poll(async () => (await deliveries()).length, { timeout: 60_000 }).toBe(before + 1);
  const d = (await deliveries())[0];
  expect(d).toMatchObject({ name: "Monday", station: "Quay Rig" });
  await expect.poll(async () => (await (await page.request.get(s.url + d.href)).json()).state, { timeout: 60_000 }).toBe("sorted");
  const full = await (await page.request.get(s.url + d.href)).json();
  expect(full.failed).toEqual([]);
  expect(full.sets.map((/** @type {any} */ m) => m.maps.length)).toEqual([all.length]);

  // Paused, it leaves what comes alone; going on, it takes it. Nothing is taken twice.
  await page.getByRole("button", { name: "Pause" }).click();
  await expect(page.locator("[data-watch]")).toContainText("paused");
  writeFileSync(join(s.dir, "late.png"), all[1][1]);
  renameSync(join(s.dir, "late.png"), join(s.drop, "late_basecolor.png"));
  await page.waitForTimeout(5000);
  expect((await deliveries()).length).toBe(before + 1);
  await page.locator("[data-go]").click();
  await expect.poll(async () => (await deliveries()).length, { timeout: 60_000 }).toBe(before + 2);
  await page.waitForTimeout(4000);
  expect((await deliveries()).length).toBe(before + 2);
  await page.getByRole("button", { name: "Stop watching" }).click();
  await expect(page.locator("[data-watch]")).toHaveCount(0);
});
