// @ts-check
// Frame times while scrolling many: a thousand sets in Intake, five thousand drafts on the Bench, whose rows and
// cards are copied in the page, so that only the browser is measured; and ten thousand swatches of the Library,
// whose pictures have been seen once before.
import { execFileSync } from "node:child_process";
import { chromium } from "@playwright/test";
import { binary, enter, pictured, scanned, studio } from "./studio.mjs";

const s = await studio();
const browser = await chromium.launch({ executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium", args: ["--no-sandbox"] });
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
await enter(page, s.url, "librarian");
await page.goto(`${s.url}/intake`);
await page.setInputFiles("[data-upload]", { name: "eight.zip", mimeType: "application/zip", buffer: scanned(s.dir, ["--sets", "8", "--size", "64"]).zip });
await page.waitForURL(/\/intake\/\d+/);
await page.locator("tr[data-set]").first().waitFor({ timeout: 90_000 });

/**
 * Scrolls through what is there and prints the frame times.
 * @param {string} what
 */
async function scroll(what) {
  await pictured(page);
  for (const step of [20, 120]) {
    const [median, p95, most] = await page.evaluate(async (step) => {
      scrollTo(0, 0);
      await new Promise((done) => setTimeout(done, 500));
      const times = /** @type {number[]} */ ([]);
      for (let i = 0, last = performance.now(); i < 200; i++) {
        scrollBy(0, step);
        const now = /** @type {number} */ (await new Promise(requestAnimationFrame));
        times.push(now - last);
        last = now;
      }
      times.sort((a, b) => a - b);
      return [times[100], times[190], times[199]];
    }, step);
    console.log(`${what}, ${step} px a frame: median ${median.toFixed(1)} ms, 95th percentile ${p95.toFixed(1)} ms, longest ${most.toFixed(0)} ms`);
  }
}

/**
 * Copies elements until there are so many.
 * @param {string} of @param {number} many @param {number} group so many to a parent like theirs; 0 for one parent
 */
const copies = (of, many, group) => page.evaluate(([of, many, group]) => {
  const all = [...document.querySelectorAll(String(of))], first = /** @type {Element} */ (all[0].parentElement);
  let parent = first;
  for (let n = all.length; n < Number(many); n++) {
    if (group && n % Number(group) === 0) {
      parent = /** @type {Element} */ (first.cloneNode(false));
      parent.id = `more-${n}`;
      first.parentElement?.append(parent);
    }
    const copy = /** @type {Element} */ (all[n % all.length].cloneNode(true));
    copy.id = `copy-${n}`;
    parent.append(copy);
  }
}, [of, many, group]);

const tab = Number(await page.locator("[data-tab=check] .num").textContent()) ? "check" : "ready";
await page.goto(`${page.url().split("?")[0]}?show=${tab}`);
await copies("tr[data-set]", 1000, 25);
await scroll("1,000 sets");
await page.goto(page.url().replace(/show=\w+/, "show=ready"));
for (const b of await page.locator("[data-accept]").elementHandles()) await b.click().catch(() => {});
const { items } = await (await page.request.get(`${s.url}/api/v1/deliveries`)).json();
const { sets } = await (await page.request.get(`${s.url}${items[0].href}`)).json();
await page.request.post(`${s.url}${items[0].href}/accept`, { headers: { "If-Match": "*" }, data: { materials: sets.map((/** @type {any} */ x) => x.material_id) } });
await page.goto(`${s.url}/bench`);
await copies("[data-draft]", 5000, 0);
await scroll("5,000 drafts");
for (const x of sets) await page.request.post(`${s.url}/api/v1/materials/${x.material_id}/releases`, { headers: { "If-Match": "*" }, data: { notes: "First." } });
await s.halt();
execFileSync(binary, ["seed", "--data", s.data, "--n", "10000"], { stdio: "ignore" });
await s.start();
await enter(page, s.url, "artist");
await page.goto(`${s.url}/library?sort=name`);
for (let y = 0; y < 26_000; y += 600) {
  await page.evaluate((y) => scrollTo(0, y), y);
  await pictured(page);
}
const heap = () => page.evaluate(() => /** @type {any} */ (performance).memory.usedJSHeapSize / 1e6);
const before = await heap();
await scroll("10,000 swatches");
console.log(`10,000 swatches: heap ${before.toFixed(1)} MB, after scrolling ${(await heap()).toFixed(1)}`);
await browser.close();
await s.stop();
