// @ts-check
// Intake asks once what a word means that nobody knows; sets are merged and taken apart by hand; a map comes later.
// All of it is undone.
import { expect, test } from "@playwright/test";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { zipSync } from "fflate";
import { enter, pictured, scanned, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

/** @param {import("@playwright/test").Page} page */
const undo = async (page) => {
  await page.keyboard.press("u");
  await expect(page.locator(".toast")).toContainText("Undone");
};

test("one question, merging, taking apart, and a map that comes later", async ({ page }) => {
  /** @type {Record<string, Uint8Array>} */ const out = {};
  /** @type {Uint8Array | undefined} */ let later;
  for (const [path, data] of Object.entries(scanned(s.dir, ["--sets", "24", "--size", "96"]).files)) {
    const name = path.split("/").pop() ?? "";
    if (name === "jetty_plank_ao.png") later = data;
    else if (/^[a-z_]+_(basecolor|normal|roughness|ao)\.png$/.test(name)) out[name.replace("_basecolor", "").replace("_roughness", "_gm")] = data;
  }
  const file = join(s.dir, "tuesday.zip");
  writeFileSync(file, zipSync(out, { level: 0 }));
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/intake`);
  await page.setInputFiles("[data-upload]", file);
  await page.waitForURL(/\/intake\/\d+/);
  await expect(page.locator("tr[data-set]").first()).toBeVisible({ timeout: 90_000 });

  // One question for all files that carry the word.
  const question = page.locator("[data-question=gm]");
  const count = Object.keys(out).filter((n) => n.endsWith("_gm.png")).length;
  await expect(question).toContainText(`${count} files have “gm” in the name`);
  const toCheck = () => page.locator("[data-tab=check] .num").textContent().then(Number);
  const before = await toCheck();
  await question.locator("[data-meaning]").selectOption("roughness");
  await question.getByRole("button", { name: "Answer" }).click();
  await expect(page.locator(".toast")).toContainText(`“gm”: ${count} files taken as roughness`);
  await expect(question).toHaveCount(0);
  await expect.poll(toCheck).toBeLessThan(before);
  await undo(page);
  await expect(question).toBeVisible();
  await expect.poll(toCheck).toBe(before);

  // Merge one set into another, and take it back.
  const rows = page.locator("tr[data-set]");
  const all = await rows.count();
  const open = async (/** @type {string} */ name) => {
    await page.locator(`tr[data-name="${name}"] [data-open-row]`).click();
    await page.locator("#regroup summary").click();
  };
  await open("Jetty plank");
  await page.locator("[data-merge] [data-to]").selectOption({ label: "Slates round" });
  await page.getByRole("button", { name: "Merge sets" }).click();
  await expect(page.locator(".toast")).toContainText("Merged into Slates round");
  await expect(rows).toHaveCount(all - 1);
  await expect(page.locator('tr[data-name="Slates round"]')).toContainText("3 unassigned");
  await undo(page);
  await expect(rows).toHaveCount(all);

  // Take a map out as a set of its own.
  await page.locator("#opened").waitFor({ state: "detached", timeout: 500 }).catch(() => page.locator('tr[data-open] [data-open-row]').click());
  await open("Jetty plank");
  await page.locator("[data-apart] .pick", { hasText: "Normal" }).locator("input").check();
  await pictured(page);
  await page.getByRole("button", { name: "Move maps" }).click();
  await expect(page.locator(".toast")).toContainText("1 map taken out as");
  await expect(rows).toHaveCount(all + 1);
  await undo(page);
  await expect(rows).toHaveCount(all);

  // A map comes later: dropped on the material's Bench it is added as one step.
  const id = await page.locator('tr[data-name="Jetty plank"]').getAttribute("data-set");
  await page.goto(`${s.url}/bench/${id}`);
  const chips = page.locator("#chips [data-chip]");
  const had = await chips.count();
  const transfer = await page.evaluateHandle((bytes) => {
    const t = new DataTransfer();
    t.items.add(new File([new Uint8Array(bytes)], "jetty_plank_ao.png", { type: "image/png" }));
    return t;
  }, [...(later ?? [])]);
  await page.dispatchEvent("[data-bench]", "dragover", { dataTransfer: transfer });
  await page.dispatchEvent("[data-bench]", "drop", { dataTransfer: transfer });
  await expect(page.locator(".toast")).toContainText("Added to Jetty plank", { timeout: 30_000 });
  await expect(chips).toHaveCount(had + 1);
  await page.locator(".toast").getByRole("button", { name: /Undo/ }).click();
  await expect(chips).toHaveCount(had);
});
