// @ts-check
// Measures the lenses in the software renderer: how long the frames of a laid wall of a 4K
// set are while it is panned near and far, and how soon an 8K map is first seen
// (a page of a few words says what the browser itself takes of that).
import { chromium } from "@playwright/test";
import { enter, scanned, studio } from "./studio.mjs";

const s = await studio();
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"],
});
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
await enter(page, s.url, "librarian");

/** @param {number} px @param {(name: string) => boolean} wanted */
async function deliver(px, wanted) {
  const { files } = scanned(s.dir, ["--sets", "1", "--size", String(px)]);
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, {
    multipart: Object.fromEntries([["name", `${px}`], ...Object.entries(files).filter(([n]) => wanted(n)).map(([n, data]) => ["file", { name: n.replaceAll("/", "_"), mimeType: "image/png", buffer: Buffer.from(data) }])]),
  });
  const { href } = await sent.json();
  for (;;) {
    const d = await (await page.request.get(s.url + href)).json();
    if (d.state === "sorted") return d.sets[0];
    await page.waitForTimeout(500);
  }
}

/** The frames of half a second of panning, in milliseconds. */
async function pan() {
  const box = await page.locator("#lens .mat").boundingBox();
  if (!box) throw new Error("there is no lens");
  await page.mouse.move(box.x + 300, box.y + 200);
  await page.mouse.down();
  const frames = page.evaluate(() => new Promise((done) => {
    const list = /** @type {number[]} */ ([]);
    let last = performance.now();
    const tick = (/** @type {number} */ now) => {
      list.push(now - last);
      last = now;
      if (list.length < 90) requestAnimationFrame(tick);
      else done(list.slice(2));
    };
    requestAnimationFrame(tick);
  }));
  for (let i = 0; i < 60; i++) await page.mouse.move(box.x + 300 + 4 * i, box.y + 200 + i);
  const list = /** @type {number[]} */ (await frames);
  await page.mouse.up();
  list.sort((a, b) => a - b);
  return `${(list.reduce((a, b) => a + b, 0) / list.length).toFixed(1)} ms a frame, p95 ${list[Math.floor(list.length * 0.95)].toFixed(1)}, the longest ${list.at(-1)?.toFixed(1)}`;
}

const four = await deliver(4096, () => true);
await page.goto(`${s.url}/bench/${four.material_id}?lens=laid&across=20%20m&down=8%20m`);
await page.waitForTimeout(2500);
console.log(`laid, 4K set, 20 m of wall: ${await pan()}`);
await page.goto(`${s.url}/bench/${four.material_id}?lens=laid&across=2%20m&down=1.2%20m`);
await page.waitForTimeout(2500);
await page.getByRole("button", { name: "1:1" }).click();
await page.waitForTimeout(6000); // the file is decoded, tiles come
console.log(`laid, 4K set, one pixel to one: ${await pan()}`);
for (const [word, more] of [["turned by 30°", "turn=30"], ["on a box", "shape=box"], ["around a column", "shape=column"]]) {
  await page.goto(`${s.url}/bench/${four.material_id}?lens=laid&across=2%20m&down=1.2%20m&${more}`);
  await page.waitForTimeout(1500);
  await page.getByRole("button", { name: "1:1" }).click();
  await page.waitForTimeout(2500);
  console.log(`laid, 4K set, one pixel to one, ${word}: ${await pan()}`);
}

// When the Flat lens first shows the map: the picture that came with the page, or what was
// drawn from tiles in its place, whichever is painted first. Pages note it themselves, for
// asking would delay them.
await page.addInitScript(() => {
  const seen = (/** @type {any} */ (window).seen = { picture: 0, drawn: 0, words: 0 });
  new PerformanceObserver((list) => {
    for (const e of list.getEntries()) if (/** @type {any} */ (e).element?.matches("#lens .first")) seen.picture ||= e.startTime;
  }).observe({ type: "largest-contentful-paint", buffered: true });
  new PerformanceObserver((list) => (seen.words ||= list.getEntries()[0].startTime)).observe({ type: "paint", buffered: true });
  const look = () => {
    const first = document.querySelector("#lens .first");
    if (first && getComputedStyle(first).display === "none") requestAnimationFrame((now) => (seen.drawn = now));
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
});

/**
 * Milliseconds from asking for a page to its being seen.
 * @param {string} from the page before it
 * @param {string} path
 */
async function painted(from, path) {
  await page.goto(from);
  await page.waitForTimeout(700);
  await page.goto(s.url + path);
  await page.waitForTimeout(1000);
  const { picture, drawn, words } = await page.evaluate(() => /** @type {any} */ (window).seen);
  return Math.round(path === "/you" ? words : Math.min(picture || Infinity, drawn || Infinity));
}

const eight = await deliver(8192, (n) => n.includes("basecolor"));
await page.waitForTimeout(10_000); // what is made of it after the import has come to rest
const bench = `/bench/${eight.material_id}`, intake = `${s.url}/intake`, empty = "about:blank";
/** @type {Record<string, number[]>} */
const times = { inside: [], new: [], words: [], wordsNew: [] };
for (let i = 0; i < 11; i++) {
  times.inside.push(await painted(intake, bench));
  times.words.push(await painted(intake, "/you"));
  times.new.push(await painted(empty, bench));
  times.wordsNew.push(await painted(empty, "/you"));
}
const line = (/** @type {number[]} */ list) => `${list.sort((a, b) => a - b)[5]} ms (${list[0]} to ${list[10]})`;
console.log(`flat, 8K map, painted: opened from the Intake after ${line(times.inside)}, in an empty tab ${line(times.new)}`);
console.log(`a page of a few words: from the Intake ${line(times.words)}, in an empty tab ${line(times.wordsNew)}`);

await browser.close();
await s.stop();
