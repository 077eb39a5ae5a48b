// @ts-check
// Measures the Lit lens in the software renderer: when its first picture is there, when the last one is,
// what a whole picture takes, and how it follows the hand: frames a second while a shape is turned and
// while the light is, and how many pixels those frames have of those at rest.
import { chromium } from "@playwright/test";
import { enter, scanned, studio } from "./studio.mjs";

const s = await studio();
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"],
});
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
await enter(page, s.url, "librarian");

const { files } = scanned(s.dir, ["--sets", "1", "--size", "2048"]);
const sent = await page.request.post(`${s.url}/api/v1/deliveries`, {
  multipart: Object.fromEntries([["name", "lit"], ...Object.entries(files).map(([n, data]) => ["file", { name: n.replaceAll("/", "_"), mimeType: "image/png", buffer: Buffer.from(data) }])]),
});
const { href } = await sent.json();
let id = 0;
while (!id) {
  const d = await (await page.request.get(s.url + href)).json();
  if (d.state === "sorted") id = d.sets[0].material_id;
  else await page.waitForTimeout(500);
}
await page.waitForTimeout(5000); // until the thumbnails are made

const median = (/** @type {number[]} */ list) => list.sort((a, b) => a - b)[list.length >> 1];

/** Opens the lens; milliseconds to the first picture and to rest. @param {string} view @returns {Promise<[number, number]>} */
async function open(view) {
  await page.goto("about:blank");
  await page.goto(`${s.url}/bench/${id}?lens=lit&${view}`);
  const lit = page.locator("[x-data=lit]");
  await page.waitForFunction(() => document.querySelector("[x-data=lit]")?.hasAttribute("data-settled"), undefined, { timeout: 60_000 });
  return [Number(await lit.getAttribute("data-drawn")), await page.evaluate(() => performance.now())];
}

/** Turns by keys for two seconds; frames a second, and the side of a moving picture to that of one at rest. @param {string} key */
async function follow(key) {
  const lit = page.locator("[x-data=lit]"), canvas = lit.locator("canvas").first();
  const rest = await canvas.evaluate((c) => /** @type {HTMLCanvasElement} */ (c).width);
  await lit.locator("[x-ref=mat]").focus();
  const { list, wide } = await page.evaluate((key) => new Promise((done) => {
    const list = /** @type {number[]} */ ([]), began = performance.now(), target = /** @type {HTMLElement} */ (document.activeElement), canvas = target.querySelector("canvas");
    let wide = 0;
    let last = began;
    const tick = () => {
      const now = performance.now();
      if (now - began > 1000) { // it has found its pixels by then
        list.push(now - last);
        wide += canvas?.width ?? 0;
      }
      last = now;
      target.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
      if (now - began < 3000) requestAnimationFrame(tick);
      else done({ list, wide: wide / list.length });
    };
    requestAnimationFrame(tick);
  }), key);
  await page.waitForFunction(() => document.querySelector("[x-data=lit]")?.hasAttribute("data-settled"), undefined, { timeout: 60_000 });
  return { fps: (1000 * list.length) / list.reduce((a, b) => a + b, 0), side: wide / rest };
}

/** Steps a figure with each frame for three seconds; pictures a second that show another value. */
async function drags() {
  const figure = page.getByRole("button", { name: /^what a roughness of 1 becomes: / }), was = await figure.textContent();
  await figure.hover(); // gestures load when somebody is there
  await page.waitForTimeout(1000);
  await figure.focus();
  await page.keyboard.press("ArrowDown");
  await page.waitForFunction((was) => document.activeElement?.textContent !== was, was);
  const fps = await page.evaluate(() => new Promise((done) => {
    const { stage } = /** @type {any} */ (document.getElementById("lit")).lens, draw = stage.draw, began = performance.now();
    const at = /** @type {HTMLElement} */ (document.activeElement);
    let x = 0, shown = 0, last = -1;
    stage.draw = function (/** @type {any[]} */ ...given) {
      draw.apply(this, given);
      const now = this.surface.look.figures.roughness[1];
      if (performance.now() - began > 1000 && now !== last) shown++;
      last = now;
    };
    const tick = () => {
      if (performance.now() - began > 3000) {
        stage.draw = draw;
        return done(shown / 2);
      }
      at.dispatchEvent(new KeyboardEvent("keydown", { key: x++ % 60 < 30 ? "ArrowDown" : "ArrowUp", bubbles: true, cancelable: true }));
      requestAnimationFrame(tick);
    };
    tick();
  }));
  await page.keyboard.press("Escape");
  return fps;
}

/** What one whole picture takes, from those at rest. */
const whole = () => page.evaluate(() => Number(/** @type {HTMLElement} */ (document.querySelector("[x-data=lit]")).dataset.took));

const only = process.argv[2] === "figures"; // of what is measured
for (const [name, view] of only ? [] : [["ball in the overcast", "on=ball"], ["ball in low sun", "on=ball&env=water"], ["slab in low sun", "on=slab&env=water&yaw=30"], ["drape", "on=drape"], ["ball without relief", "on=ball&relief=0"]]) {
  const first = [], rest = [];
  for (let i = 0; i < 3; i++) {
    const [f, r] = await open(view);
    first.push(f);
    rest.push(r);
  }
  const took = await whole(), turned = await follow("ArrowRight"), light = await follow(".");
  console.log(`lit, ${name}: first picture after ${median(first).toFixed(0)} ms, at rest after ${median(rest).toFixed(0)}; a whole picture takes ${took.toFixed(0)} ms; turning the shape ${turned.fps.toFixed(0)} frames a second at ${turned.side.toFixed(2)} of each side, the light ${light.fps.toFixed(0)} at ${light.side.toFixed(2)}`);
}
await open("on=ball");
console.log(`lit, a figure under the hand: ${(await drags()).toFixed(0)} pictures a second show another value`);
const scripts = await page.evaluate(() => performance.getEntriesByType("resource").filter((e) => /\.js(\?|$)/.test(e.name)).reduce((sum, e) => sum + /** @type {PerformanceResourceTiming} */ (e).encodedBodySize, 0));
console.log(`lit, scripts of the page: ${(scripts / 1000).toFixed(0)} KB compressed`);
await browser.close();
await s.stop();
