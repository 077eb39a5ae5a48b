// @ts-check
// The whole path in a real browser: a zip from the station is dropped, sorted,
// corrected, accepted, measured, described, released, found and taken; and what
// was taken is opened and held against the scan, pixel by pixel.
import { expect, test } from "@playwright/test";
import { createHash } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { unzipSync } from "fflate";
import validator from "gltf-validator";
import { PNG } from "pngjs";
import { enter, scanned, studio } from "./studio.mjs";
import { loadDescriptions } from "./three.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** @type {ReturnType<typeof scanned>} */ let scan;
test.beforeAll(async () => {
  s = await studio();
  scan = scanned(s.dir, ["--sets", "2", "--size", "2048"]);
});
test.afterAll(() => s.stop());

/** @param {number} v */
const light = (v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);

/** @param {Uint8Array} data */
const png = (data) => PNG.sync.read(Buffer.from(data), { skipRescale: true });

/**
 * Mean of linear light over a picture's colour.
 * @param {PNG} p
 */
function meanLight(p) {
  const top = p.data instanceof Uint16Array ? 65535 : 255;
  let sum = 0;
  for (let i = 0; i < p.data.length; i += 4) for (let c = 0; c < 3; c++) sum += light(p.data[i + c] / top);
  return sum / (3 * p.width * p.height);
}

test("a delivery becomes a release", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await expect(page.getByRole("heading", { name: "No deliveries yet" })).toBeVisible();
  const file = join(s.dir, "Tuesday.zip");
  writeFileSync(file, scan.zip);
  await page.setInputFiles("[data-upload]", file);
  await page.waitForURL(/\/intake\/\d+/);

  // Both sets are ready: they can be accepted by one button. Look at them, and put a map in the wrong place.
  await expect(page.locator("[data-accept-ready]")).toContainText("Accept 2 ready", { timeout: 60_000 });
  await page.locator("[data-tab=ready]").click();
  const slates = page.locator("[data-set]", { hasText: "Slates round" });
  await expect(slates.locator("[data-column=normal] [data-cell]")).toBeVisible();
  await expect(slates.locator(".name")).toContainText("1.71 × 1.14 m · tag");
  const rough = slates.locator("[data-column=roughness] [data-cell]");
  await rough.focus();
  await page.keyboard.press("Space");
  await expect(page.getByRole("dialog", { name: "Reasons" })).toContainText("The name says");
  await page.keyboard.press("m");
  await page.locator("[data-tab=check]").click(); // it has no roughness now
  await expect(slates.locator("[data-column=metallic] [data-cell]")).toBeVisible();
  await expect(slates.locator("[data-column=roughness] [data-cell]")).toHaveCount(0);
  await page.keyboard.press("u");
  await page.locator("[data-tab=ready]").click();
  await expect(slates.locator("[data-column=roughness] [data-cell]")).toBeVisible();

  await slates.getByRole("button", { name: "Accept" }).click();
  await page.locator("[data-tab=done]").click();
  await slates.getByRole("link", { name: "Slates round" }).click();
  await page.waitForURL(/\/bench\/\d+/);

  // The ledger: the size is the scanner's; density follows at every tier.
  const ledger = page.locator("#ledger");
  await expect(ledger).toContainText("from the file's resolution tag");
  await expect(ledger.locator("section[aria-labelledby=l-size]")).toContainText("1.71 m × 1.14 m");
  await expect(ledger.locator(".tiers tbody tr")).toHaveCount(2);
  await expect(ledger.locator(".tiers tbody td[title]").first()).toHaveAttribute("title", "1024 × 683");
  /** @param {string} field @param {string} text */
  const write = async (field, text) => {
    await ledger.locator(`[data-field=${field}]`).click();
    await ledger.locator("input.figure-edit").fill(text);
    await page.keyboard.press("Enter");
    await expect(ledger.locator("input.figure-edit")).toHaveCount(0);
  };
  await write("width_m", "2 * 171 cm / 2");
  await expect(ledger).toContainText("from what was typed");
  await expect(ledger.locator("section[aria-labelledby=l-size]")).toContainText("1.71 m × 1.14 m");
  await write("name", "Hung slates, round ends");
  await expect(page.locator("h1")).toHaveText("Hung slates, round ends");
  await write("tags", "slate, roof, grey");
  await write("categories", "Roofing, Stone");
  await write("contact_class", "thin stone");
  await write("licence", "CC-BY-4.0");

  // The lens shows the map and reads it in its own unit.
  await page.locator("[data-chip]", { hasText: "Normal" }).click();
  await page.evaluate(() => scrollTo(0, 0)); // the ledger is longer than the window
  await expect(async () => {
    await page.mouse.move(440, 400);
    await page.mouse.move(444, 402);
    await expect(page.locator(".readout")).toContainText("slope", { timeout: 500 });
  }).toPass({ timeout: 20_000 });

  for (const [n, notes] of [[1, "First release."], [2, "A better name."]]) {
    await page.getByRole("button", { name: "Release…" }).click();
    await page.fill("#notes", String(notes));
    await page.getByRole("button", { name: "Release", exact: true }).click();
    await expect(page.locator(".toast")).toContainText(`Release ${n} is in the Library.`);
    if (n === 1) await write("name", "Hung slates, rounded");
  }
});

test("an artist finds it", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await expect(page.locator("[data-total]")).toHaveAttribute("data-total", "1");
  await page.keyboard.press("/");
  await page.keyboard.type("hung sla");
  await expect(page).toHaveURL(/q=hung/);
  await expect(page.locator(".sample")).toHaveCount(1);
  await page.locator("[data-find]").fill("velvet");
  await expect(page.getByText(/No matches for/)).toBeVisible();
  await page.locator("[data-find]").fill("");
  await page.locator("[data-facet=category] summary").click();
  await page.getByRole("link", { name: "Roofing 1" }).click();
  await expect(page).toHaveURL(/category=Roofing/);
  // One step of the extent shows half as much of the same surface.
  await page.locator("body").click({ position: { x: 5, y: 700 } });
  await page.keyboard.press("[");
  await expect(page).toHaveURL(/extent=0\.5/);
  await expect(page.locator(".sample img")).toHaveAttribute("src", /extent_m=0\.5/);
});

/**
 * Takes a handoff by the page's sentence.
 * @param {import("@playwright/test").Page} page
 * @param {{tier: string, normal: string, roughness: string}} want
 */
async function take(page, want) {
  await page.locator("[data-tier]").selectOption(want.tier);
  await page.locator("[data-normal]").selectOption(want.normal);
  await page.locator("[data-rough]").selectOption(want.roughness);
  const download = page.waitForEvent("download");
  await page.locator("[data-take]").click();
  const d = await download;
  return { name: d.suggestedFilename(), files: unzipSync(new Uint8Array(readFileSync(await d.path()))) };
}

test("what she takes is what was scanned", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.locator(".sample").click();
  await expect(page.locator("h1")).toHaveText("Hung slates, rounded");
  const source = (/** @type {string} */ end) => png(scan.files[Object.keys(scan.files).find((f) => f.includes("slates") && f.endsWith(end)) ?? ""]);

  // The source as it is, with the normals the other way.
  const whole = await take(page, { tier: "2k", normal: "y-", roughness: "glossiness" });
  const root = whole.name.replace(".zip", "");
  expect(root).toMatch(/-r2-2k-yminus-gloss$/);
  const file = (/** @type {typeof whole} */ z, /** @type {string} */ end) => z.files[Object.keys(z.files).find((f) => f.endsWith(end)) ?? ""];
  const [n0, n1] = [source("normal.png"), png(file(whole, "-normal.png"))];
  expect([n1.width, n1.height]).toEqual([n0.width, n0.height]);
  const top = n0.data instanceof Uint16Array ? 65535 : 255;
  let kept = 0, turned = 0; // the most by which red and blue, and green, are not what they should be, in steps of a sample
  for (let i = 0; i < n0.data.length; i += 4) {
    kept = Math.max(kept, Math.abs(n1.data[i] - n0.data[i]), Math.abs(n1.data[i + 2] - n0.data[i + 2]));
    turned = Math.max(turned, Math.abs(n1.data[i + 1] - (top - n0.data[i + 1])));
  }
  expect(kept).toBe(0);
  expect(turned).toBeLessThanOrEqual(1);
  const [r0, r1] = [source("roughness.png"), png(file(whole, "-glossiness.png"))];
  const white = r0.data instanceof Uint16Array ? 65535 : 255;
  let wrong = 0;
  for (let i = 0; i < r0.data.length; i += 4) wrong += Number(r1.data[i] + r0.data[i] !== white);
  expect(wrong).toBe(0);

  // A smaller tier: filtered in linear light.
  const small = await take(page, { tier: "1k", normal: "y+", roughness: "roughness" });
  const [c0, c1] = [source("basecolor.png"), png(file(small, "-base_color.png"))];
  expect(c1.width).toBe(1024);
  expect(c1.height).toBe(Math.round((1024 * c0.height) / c0.width));
  expect(Math.abs(meanLight(c1) / meanLight(c0) - 1)).toBeLessThan(0.005);

  for (const z of [whole, small]) {
    const sums = Buffer.from(file(z, "CHECKSUMS.sha256")).toString().trim().split("\n");
    const folder = z.name.replace(".zip", "");
    expect(sums.length).toBe(Object.keys(z.files).filter((f) => !f.endsWith("/")).length - 1);
    for (const line of sums) {
      const [sum, name] = line.split(/ [ *]/);
      expect(createHash("sha256").update(z.files[`${folder}/${name}`]).digest("hex")).toBe(sum);
    }
    const about = JSON.parse(Buffer.from(file(z, "material.json")).toString());
    expect(about.size_m.width_m).toBeCloseTo(1.71, 5);
    expect(about.licence).toBe("CC-BY-4.0");
    expect(Buffer.from(file(z, "LICENCE.txt")).toString()).toContain("CC-BY-4.0");
    for (const [name, data] of Object.entries(z.files)) {
      if (/\.(mtlx|gltf|usda|json)$/.test(name)) expect(Buffer.from(data).toString()).not.toMatch(/"\/|file:\/\/|\\\\/);
    }
    const gltf = file(z, ".gltf");
    const report = await validator.validateBytes(gltf, { externalResourceFunction: async (/** @type {string} */ uri) => z.files[`${folder}/${uri}`] });
    // The quad leaves its tangents to the reader: they follow from its UVs.
    expect(report.issues.messages.filter((/** @type {any} */ m) => m.severity < 2 && m.code !== "MESH_PRIMITIVE_GENERATED_TANGENT_SPACE")).toEqual([]);
    expect(report.info.extensionsUsed ?? []).toEqual([]);
  }

  // Another program's readers open both descriptions.
  const seen = await loadDescriptions(page, small.files, small.name.replace(".zip", ""));
  expect(seen.problems).toEqual([]);
  expect(seen.gltf.maps).toEqual(expect.arrayContaining(["map", "normalMap", "roughnessMap", "aoMap"]));
  expect(seen.gltf.repeat[0]).toBe(1);
  expect(seen.gltf.extent[0]).toBeCloseTo(1.71, 4);
  expect(seen.materialx.nodes).toEqual(expect.arrayContaining(["colorNode", "roughnessNode", "normalNode"]));
});
