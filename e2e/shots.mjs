// @ts-check
// Takes the pictures in docs/screenshots from the demo's data. ALDERMOOR_SHOTS may
// name a running demo; otherwise one is started and left to deliver everything.
import { chromium } from "@playwright/test";
import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { zipSync } from "fflate";
import { binary, now, pictured, scanned } from "./studio.mjs";

const to = new URL("../docs/screenshots/", import.meta.url).pathname;
mkdirSync(to, { recursive: true });
const dir = mkdtempSync(join(tmpdir(), "aldermoor-shots-"));
let url = process.env.ALDERMOOR_SHOTS ?? "";
const demo = url ? null : spawn(binary, ["demo", "--data", dir, "--addr", "127.0.0.1:0"], { stdio: ["ignore", "pipe", "inherit"] });
if (demo) url = await new Promise((ok) => demo.stdout.on("data", (d) => /http:\S+/.test(d) && ok(String(d).match(/http:\S+/)?.[0])));

const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"],
});
const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
page.on("pageerror", (e) => console.error(e.message));

/** @param {string} name */
const shoot = async (name) => {
  await pictured(page);
  if (await page.locator("#lit:not([hidden])").count()) await page.locator("#lit[data-settled]").waitFor({ timeout: 90_000 });
  else if (await page.locator("#lens:not([hidden]) .mat[x-ref=mat]").count()) await page.locator("#lens .mat[data-settled]").waitFor();
  await page.screenshot({ path: join(to, `${name}.png`) });
  console.log(name);
};
/** @param {string} path */
const go = (path) => page.goto(url + path);

await go("/");
await page.click("button[value=librarian]");
for (;;) {
  const { items } = await (await page.request.get(`${url}/api/v1/deliveries`)).json();
  const busy = !/^aldermoor_jobs_waiting 0$/m.test(await (await page.request.get(`${url}/metrics`)).text());
  if (items.some((/** @type {any} */ d) => d.name === "Ironwork") && items.every((/** @type {any} */ d) => d.state === "sorted") && !busy) break;
  await page.waitForTimeout(1000);
}
const { items } = await (await page.request.get(`${url}/api/v1/deliveries`)).json();
/** @param {string} name */
const delivery = (name) => items.find((/** @type {any} */ d) => d.name === name).id;
/** @param {string} name */
const material = async (name) => (await (await page.request.get(`${url}/api/v1/library?q=${encodeURIComponent(name)}`)).json()).items[0];

await go(`/intake/${delivery("After the repair")}`);
await shoot("intake");
await page.locator(".cell.doubt").first().click();
await shoot("intake-reasons");
// Scans that somebody else named: a word that no dictionary has is asked about once.
if (demo) {
  /** @type {Record<string, Uint8Array>} */ const lent = {};
  for (const [path, data] of Object.entries(scanned(dir, ["--sets", "24", "--size", "192"]).files)) {
    const name = path.split("/").pop() ?? "";
    if (/^[a-z_]+_(basecolor|normal|roughness|ao)\.png$/.test(name)) lent[name.replace("_basecolor", "").replace("_roughness", "_gm")] = data;
  }
  const sent = await page.request.post(`${url}/api/v1/deliveries`, { multipart: { name: "Lent by the boatyard", file: { name: "lent.zip", mimeType: "application/zip", buffer: Buffer.from(zipSync(lent, { level: 0 })) } } });
  const { href } = await sent.json();
  while ((await (await page.request.get(url + href)).json()).state !== "sorted") await page.waitForTimeout(1000);
  await go(href.replace("/api/v1/deliveries", "/intake"));
  await shoot("intake-question");
}
// A large mixed delivery, as a week brings it: some of its names spoiled, some scans known.
if (demo) {
  const { files } = scanned(dir, ["--sets", "52", "--size", "192", "--faults", "all"]);
  const spoiled = Object.fromEntries(Object.entries(files).map(([path, data], i) => [i % 7 ? path : path.replace("_roughness", "_qx"), data]));
  const sent = await page.request.post(`${url}/api/v1/deliveries`, { multipart: { name: "The whole week", file: { name: "week.zip", mimeType: "application/zip", buffer: Buffer.from(zipSync(spoiled, { level: 0 })) } } });
  const { href } = await sent.json();
  while ((await (await page.request.get(url + href)).json()).state !== "sorted") await page.waitForTimeout(1000);
  await go(href.replace("/api/v1/deliveries", "/intake"));
}
const slates = await material("Hung slates");
await go(`/bench/${slates.material_id}`);
await page.locator("#lens .mat[data-settled]").waitFor();
await page.mouse.move(440, 400);
await page.mouse.move(452, 418);
await shoot("bench");
await page.keyboard.press(".");
await page.getByLabel("Pattern").check();
await page.keyboard.press("Escape");
await page.keyboard.press("m");
await page.mouse.move(330, 355);
await page.mouse.down();
await page.mouse.move(560, 355, { steps: 4 });
await page.mouse.up();
await go(`/bench/${slates.material_id}?lens=laid&across=5%20m&down=2.6%20m`);
await page.locator("#lens .mat[data-settled]").waitFor();
await page.keyboard.press("g");
await shoot("bench-laid");
await go(`/bench/${slates.material_id}?lens=lit`);
await shoot("lit");
const sail = await material("Sailcloth"), rubble = await material("Lime-washed rubble"), copper = await material("Copper flashing");
await go(`/compare?of=r${slates.release_id},r${copper.release_id},r${rubble.release_id}&env=water`);
await page.locator("#compare[data-ready][data-settled]").waitFor({ timeout: 120_000 });
await shoot("compare-lit");
await go("/finishes");
await page.getByRole("button", { name: "Enamel" }).click();
await page.getByLabel("Colours, one a line").fill("Harbour blue, #2f4f6f\nLamp red, #96201c\n#c9b48f\nslategray");
await shoot("finishes");
// One of the repaired scanner's sets, mended: as it was scanned on the left of the wipe.
const { sets } = await (await page.request.get(`${url}/api/v1/deliveries/${delivery("After the repair")}`)).json();
const ill = sets.find((/** @type {any} */ x) => x.findings.some((/** @type {any} */ f) => f.code === "baked_light")) ?? sets.find((/** @type {any} */ x) => x.findings.some((/** @type {any} */ f) => f.code === "seam_x"));
await page.request.post(`${url}/api/v1/materials/${ill.material_id}/recipe`, { headers: now, data: { kind: "level_light" } });
await page.request.post(`${url}/api/v1/materials/${ill.material_id}/recipe`, { headers: now, data: { kind: "close_seams" } });
while ((await (await page.request.get(`${url}/api/v1/materials/${ill.material_id}`)).json()).recipe_state === "making") await page.waitForTimeout(500);
await go(`/bench/${ill.material_id}`);
await page.locator("#lens .mat[data-settled]").waitFor();
await page.keyboard.press("w");
await page.locator("#l-depth").scrollIntoViewIfNeeded();
await page.evaluate(() => document.querySelector("#l-recipe")?.scrollIntoView({ block: "end" }));
await page.evaluate(() => scrollBy(0, 260));
await shoot("bench-treated");
await go("/library");
await shoot("library");
await page.getByRole("link", { name: "Contact sheet" }).click();
await page.waitForURL(/sheet/);
await shoot("contact-sheet");
await go(`/library/${slates.slug}`);
await shoot("material");
await go(`/library?like=${slates.slug}`);
await page.locator("details[data-facet=figures] summary").click();
await shoot("library-like");
// A ring as a mesh of one's own.
const ring = [], faces = [], [n, m] = [120, 40];
for (let i = 0; i <= n; i++) {
  for (let j = 0; j <= m; j++) {
    const [a, b] = [(2 * Math.PI * i) / n, (2 * Math.PI * j) / m], r = 0.5 + 0.18 * Math.cos(b);
    ring.push(`v ${r * Math.cos(a)} ${0.18 * Math.sin(b)} ${r * Math.sin(a)}`, `vt ${(3 * i) / n} ${j / m}`, `vn ${Math.cos(b) * Math.cos(a)} ${Math.sin(b)} ${Math.cos(b) * Math.sin(a)}`);
    const k = i * (m + 1) + j + 1;
    if (i < n && j < m) faces.push(`f ${[k, k + 1, k + m + 2, k + m + 1].map((v) => `${v}/${v}/${v}`).join(" ")}`);
  }
}
const sent = await page.request.post(`${url}/api/v1/meshes?name=Ring.obj`, { headers: { "Content-Type": "application/octet-stream" }, data: Buffer.from([...ring, ...faces].join("\n")) });
await go(`/bench/${rubble.material_id}?lens=lit&on=${(await sent.json()).id}&env=water&size=1.36&pitch=35&yaw=20&bg=environment`);
await shoot("lit-mesh");
// What is decided, asked and kept.
await go("/library?view=table&sort=density");
await shoot("library-table");
await page.request.post(`${url}/api/v1/materials/${ill.material_id}/review`, { headers: now, data: { notes: "The light is level now, and the seam is closed." } });
await page.request.patch(`${url}/api/v1/materials/${sail.material_id}`, { headers: now, data: { tags: ["cloth", "canvas", "salt"], depth_m: 0.0012 } });
await page.request.post(`${url}/api/v1/materials/${sail.material_id}/review`, { headers: now, data: { notes: "Measured again on the loom." } });
await page.request.post(`${url}/sign-out`);
await go("/");
await page.click("button[value=lead]");
const asked = (await (await page.request.get(`${url}/api/v1/requests`)).json()).items.find((/** @type {any} */ r) => r.kind === "problem");
await page.request.post(`${url}/api/v1/requests/${asked.id}/answers`, { headers: now, data: { text: "Seen. The next release closes it.", state: "working" } });
await go(`/requests/${asked.id}`);
await shoot("requests");
await go("/reviews");
await shoot("reviews");
await go("/profiles/game_y_minus");
await page.fill("[name=example]", "Cast-iron grating");
await page.getByRole("button", { name: "Preview" }).click();
await page.locator(".trial-file").first().waitFor();
await page.evaluate(() => scrollBy(0, 330));
await shoot("profiles");
// Much work of an artist, and how it shares the workers.
const artist = await (await browser.newContext()).newPage();
await artist.goto(url);
await artist.click("button[value=artist]");
for (const seed of [1, 2, 3]) await artist.request.get(`${url}/api/v1/releases/${slates.release_id}/picture.png?quality=reference&px=1024&samples=256&seed=${seed}`);
for (const profile of ["film_linear", "real_time_packed", "archviz_8_bit", "game_y_minus"]) for (const tier of ["source", "1k"]) await artist.request.get(`${url}/api/v1/releases/${rubble.release_id}/handoff?profile=${profile}&tier=${tier}&wait=0`);
await go("/jobs");
await page.locator("text=Make a handoff").first().waitFor({ timeout: 20_000 }).catch(() => {}); // they may all be made
await shoot("jobs");
await browser.close();
demo?.kill("SIGTERM");
rmSync(dir, { recursive: true, force: true });
