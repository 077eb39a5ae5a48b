// @ts-check
// The whole way in a second browser engine, Firefox, by WebDriver BiDi: a delivery is sent, looked at, accepted, measured,
// released, found and downloaded, and no page complains.
import { expect, test } from "@playwright/test";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import puppeteer from "puppeteer-core";
import { password, scanned, studio } from "./studio.mjs";

test("the whole way works in Firefox", async () => {
  const s = await studio();
  const browser = await puppeteer.launch({ browser: "firefox", executablePath: process.env.FIREFOX ?? "/usr/bin/firefox-esr", headless: true });
  try {
    const page = await browser.newPage();
    await page.setViewport({ width: 1280, height: 800 });
    page.setDefaultTimeout(30_000);
    /** @type {string[]} */ const wrong = [];
    page.on("pageerror", (e) => wrong.push(`${page.url()}: ${/** @type {Error} */ (e).message}`));
    const press = async (/** @type {string} */ what) => (await page.waitForSelector(what, { visible: true }))?.click();
    const text = (/** @type {string} */ what) => page.$eval(what, (e) => e.textContent ?? "");

    await page.goto(s.url);
    await page.type("#name", "librarian");
    await page.type("#password", password);
    await Promise.all([page.waitForNavigation(), press("button.act")]);
    const file = join(s.dir, "four.zip");
    writeFileSync(file, scanned(s.dir, ["--sets", "4", "--size", "256"]).zip);
    await page.goto(`${s.url}/intake`);
    const field = /** @type {import("puppeteer-core").ElementHandle<HTMLInputElement>} */ (await page.waitForSelector("[data-upload]"));
    await field.uploadFile(file);
    await page.waitForSelector("tr[data-set]");

    // Reasons: a box over the page, the map large in it, closed by Escape.
    await press("tr[data-set] [data-cell][data-map]");
    await page.waitForSelector(".says:popover-open .closer[data-settled]");
    await page.keyboard.press("Escape");
    await page.waitForSelector(".says:not(:popover-open)");
    await press("tr[data-set] [data-accept]");
    await page.waitForFunction(() => /Accepted/.test(document.querySelector(".toast")?.textContent ?? ""));
    const id = await page.evaluate(async () => (await (await fetch("/api/v1/materials?per=1")).json()).items[0].id);

    await page.goto(`${s.url}/bench/${id}`);
    await page.waitForSelector("#lens .mat[data-settled]");
    await press("[data-field=width_m]");
    await page.keyboard.type("90 cm");
    await page.keyboard.press("Enter");
    await page.waitForFunction(() => document.querySelector("[data-field=width_m]")?.textContent?.replace(/\s/, " ") === "0.90 m");
    await page.keyboard.press("3");
    await page.waitForFunction(() => document.querySelector("[data-lens-is=laid]")?.getAttribute("aria-pressed") === "true");
    await page.keyboard.press("2");
    await page.waitForSelector("#lit[data-settled]"); // by the graphics hardware, or by the server where there is none
    await page.keyboard.press("f");
    await page.waitForSelector("[data-full]");
    await page.keyboard.press("Escape");
    await page.evaluate((id) => fetch(`/api/v1/materials/${id}`, { method: "PATCH", headers: { "Content-Type": "application/json", "If-Match": "*" }, body: JSON.stringify({ licence: "CC0-1.0", categories: ["Stone"], name: "Firefox wall" }) }), id);
    await page.reload();
    await press("[data-release]");
    await page.type("#releasing[open] textarea", "First.");
    await press("#releasing[open] button.act:not(.quiet)");
    await page.waitForFunction(() => document.querySelector("#release a")?.textContent?.includes("View in Library"));

    await page.goto(`${s.url}/library?q=firefox`);
    await press(".sample");
    await page.waitForFunction(() => document.querySelector("h1")?.textContent?.startsWith("Firefox wall"));
    expect(await text("main")).toContain("Download");
    for (const path of ["/library?view=table", "/compare", "/finishes", "/standards", "/jobs", "/profiles", "/collections", "/requests", "/you"]) {
      await page.goto(s.url + path);
      await page.waitForSelector("main h1, main .sentence");
    }
    expect(wrong).toEqual([]);
  } catch (e) {
    const [page] = (await browser.pages()).slice(-1);
    await page?.screenshot({ path: "test-results/firefox.png" });
    throw e;
  } finally {
    await browser.close();
    await s.stop();
  }
});
