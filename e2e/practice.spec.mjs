// @ts-check
// What a practitioner does, counted: decisions, and the time that her hands take. docs/practice.md tells it in words.
import { expect, test } from "@playwright/test";
import { unzipSync } from "fflate";
import { join } from "node:path";
import { mkdirSync, writeFileSync } from "node:fs";
import { colourAlone, enter, scanned, studio } from "./studio.mjs";

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;

test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

/** Counts decisions, and the time of hands in seconds without what the server works. */
function hands() {
  const count = { decisions: 0, seconds: 0 };
  return { count, do: async (/** @type {() => Promise<unknown>} */ act, decides = true) => {
    const began = performance.now();
    await act();
    count.seconds += (performance.now() - began) / 1000;
    if (decides) count.decisions++;
  } };
}

test("a folder is published in three decisions", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { files } = scanned(s.dir, ["--sets", "6", "--size", "128", "--seed", "2"]), folder = join(s.dir, "quay");
  for (const [name, data] of Object.entries(files)) {
    mkdirSync(join(folder, name, ".."), { recursive: true });
    writeFileSync(join(folder, name), data);
  }
  const h = hands();
  await page.goto(`${s.url}/intake`);
  await h.do(() => page.locator("[data-upload-folder]").setInputFiles(folder), false); // what is dropped decides nothing
  const ready = page.locator("[data-accept-ready]");
  await expect(ready).toBeVisible({ timeout: 90_000 });
  await expect(page.locator("progress[aria-label^='Progress']")).toHaveCount(0, { timeout: 90_000 });
  const n = Number((await ready.textContent())?.match(/\d+/)?.[0]);
  await h.do(() => page.keyboard.press("S"));
  const offer = page.locator(".toast").getByRole("button", { name: n === 1 ? /^Release…/ : `Release ${n}…` });
  await expect(offer).toBeVisible();
  await h.do(() => page.keyboard.press("R"));
  const box = page.locator("#releasing");
  await expect(box).toContainText("No licence"); // what is open is said
  const release = box.getByRole("button", { name: n === 1 ? "Release" : `Release ${n}`, exact: true });
  await expect(release).toBeEnabled();
  await h.do(() => release.click());
  await expect(box).toBeHidden();
  const { total } = await (await page.request.get(`${s.url}/api/v1/library`)).json();
  expect(total).toBe(n);
  console.log(`${n} sets of a folder published: ${h.count.decisions} decisions, ${h.count.seconds.toFixed(1)} s of hands`);
  expect(n).toBeGreaterThan(1);
  expect(h.count.decisions).toBeLessThanOrEqual(3);
  expect(h.count.seconds).toBeLessThan(10);
});

test("a picture of colour alone, with a typed roughness, is handed over as what it is", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const one = await colourAlone(page.request, s);
  await page.goto(`${s.url}/bench/${one.material_id}?lens=lit`);
  await page.getByRole("button", { name: "roughness: 0.6" }).click();
  await page.keyboard.type("0.8");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "roughness: 0.8" })).toBeVisible();
  await page.getByRole("button", { name: /^Release…/ }).click();
  const release = page.locator("#releasing").getByRole("button", { name: "Release", exact: true });
  await expect(release).toBeEnabled();
  await release.click();
  await expect(page.locator("#releasing")).toBeHidden();
  const { slug } = await (await page.request.get(`${s.url}/api/v1/materials/${one.material_id}`)).json();
  await page.goto(`${s.url}/library/${slug}`);
  await expect(page.getByRole("region", { name: "Surface" })).toContainText("0.8"); // an artist reads it too
  const list = await (await page.request.get(`${s.url}/api/v1/library`)).json(), mine = list.items.find((/** @type {any} */ k) => k.slug === slug);
  const at = `${s.url}/api/v1/releases/${mine.release_id}/handoff?tier=source&profile=as_scanned`;
  await expect.poll(async () => (await page.request.get(at)).status(), { timeout: 60_000 }).toBe(200);
  const zip = unzipSync(new Uint8Array(await (await page.request.get(at)).body())), text = (/** @type {RegExp} */ name) => Buffer.from(zip[Object.keys(zip).find((n) => name.test(n)) ?? ""] ?? new Uint8Array()).toString();
  const gltf = JSON.parse(text(/\.gltf$/)), about = JSON.parse(text(/material\.json$/));
  expect(gltf.materials[0].pbrMetallicRoughness.roughnessFactor).toBeCloseTo(0.8, 6);
  expect(JSON.stringify(about)).toContain("0.8");
  expect(text(/\.mtlx$/)).toMatch(/specular_roughness[^>]*value="0\.8"/);
});
