// @ts-check
// Intake at work: forty sets of four stations by keyboard alone, a correction for
// all, a rule for the next delivery, undoing and doing again, and two hundred rows
// that stay fluid.
import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { zipSync } from "fflate";
import { binary, enter, now, scanned, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
});
test.afterAll(() => s.stop());

/**
 * Zips files under names that a station's hand has spoiled.
 * @param {string} name
 * @param {Record<string, Uint8Array>} files
 * @param {RegExp} word
 * @param {string} by
 */
function spoil(name, files, word, by) {
  const out = Object.fromEntries(Object.entries(files).map(([path, data]) => [path.replace(word, by), data]));
  const file = join(s.dir, name);
  writeFileSync(file, zipSync(out, { level: 0 }));
  return file;
}

test("forty sets by keyboard", async ({ page }) => {
  const { files } = scanned(s.dir, ["--sets", "40", "--size", "96"]);
  const file = spoil("tuesday.zip", files, /_roughness\.png$/, "_qx.png"); // a word that nobody knows
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/intake`);
  await page.setInputFiles("[data-upload]", file);
  await page.waitForURL(/\/intake\/\d+/);
  await expect(page.locator("tr[data-set]").first()).toBeVisible({ timeout: 90_000 });
  const doubtful = async () => Number(await page.locator("[data-tab=check] .num").textContent());
  const before = await doubtful();
  expect(before).toBeGreaterThan(5);

  // Everything from here on is keys.
  await page.keyboard.press("j");
  await page.keyboard.press("f");
  await page.keyboard.type("slates");
  await expect(page.locator("tr[data-set]:visible")).toHaveCount(2);
  await page.keyboard.press("Escape");
  await page.keyboard.press("j");
  // The next set with a map whose name nobody knows: by its pixels alone it may be its roughness.
  const odd = () => page.evaluate(() => [...(document.activeElement?.closest("tr")?.querySelectorAll("[data-cell]") ?? [])].some((c) => c.getAttribute("title")?.endsWith("_qx.png") && c.classList.contains("doubt")));
  for (let i = 0; i < 30 && !(await odd()); i++) await page.keyboard.press("j");
  const there = () => page.evaluate(() => document.activeElement?.getAttribute("title")?.endsWith("_qx.png"));
  for (let i = 0; i < 10 && !(await there()); i++) await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Space");
  await expect(page.getByRole("dialog", { name: "Map and reasons" })).toBeVisible();
  // Its map is seen large; another one beside it, at the same place.
  const closer = page.locator(".closer"), view = () => closer.evaluate((c) => /** @type {any} */ (c).closer && [/** @type {any} */ (c).closer.scale, /** @type {any} */ (c).closer.x]);
  await expect(closer).toHaveAttribute("data-settled", /^\d+$/);
  const whole = await view();
  await page.keyboard.press("Space");
  await expect(closer).toBeFocused();
  for (const key of ["+", "+", "ArrowRight"]) await page.keyboard.press(key);
  const near = await view();
  expect(near[0] / whole[0]).toBeCloseTo(2.25, 3);
  await page.getByLabel("Beside").selectOption({ label: "Base colour" });
  await expect(closer).toHaveAttribute("data-settled", /^\d+ \d+$/);
  expect(await view()).toEqual(near);
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog", { name: "Map and reasons" })).toBeHidden();
  expect(await there()).toBe(true);
  await page.keyboard.press("Space");
  await page.keyboard.press("r");
  await expect(page.locator(".toast")).toContainText("ending in “qx”");
  await page.keyboard.press("A"); // for all, and for the station's next delivery
  await expect(page.locator(".toast")).toContainText("saved as a rule");
  await expect(page.locator("[data-way=undo]")).toContainText("ending in “qx”");
  await expect.poll(doubtful).toBeLessThan(before);
  const after = await doubtful();
  await page.keyboard.press("u");
  await expect(page.locator(".toast")).toContainText("Undone");
  await expect.poll(doubtful).toBeGreaterThan(after);
  await page.keyboard.press("U");
  await expect(page.locator(".toast")).toContainText("Redone");
  await expect.poll(doubtful).toBe(after);

  // What was decided survives a reload, and so does the way back.
  await page.reload();
  await expect(page.locator("[data-way=undo]")).toContainText("qx");
  expect(await doubtful()).toBe(after);

  await page.keyboard.press("S"); // all that are sure
  await expect(page.locator(".toast")).toContainText("sets accepted");
  await page.keyboard.press("j");
  await page.keyboard.press("l"); // one is left out
  await expect(page.locator(".toast")).toContainText("Left out");
  await expect(page.locator("[data-tab=left]")).toContainText("1");
  const open = page.locator("[data-accept]");
  for (let n = await open.count(); n > 0; n--) {
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    await expect(open).toHaveCount(n - 1);
  }
  const { items } = await (await page.request.get(`${s.url}/api/v1/deliveries`)).json();
  expect(items[0].sets).toBe(40);
  const d = await (await page.request.get(`${s.url}${items[0].href}`)).json();
  expect(d.sets.filter((/** @type {any} */ m) => m.stage === "accepted").length).toBe(39);
  expect(d.sets.filter((/** @type {any} */ m) => m.stage === "left").length).toBe(1);
  for (const set of d.sets) for (const m of set.maps) if (m.file.endsWith("_qx.png")) expect(m.channel).toBe("roughness");
});

test("a rule sorts the next delivery", async ({ page }) => {
  const { files } = scanned(s.dir, ["--sets", "1", "--size", "96", "--seed", "7"]);
  await enter(page, s.url, "librarian");
  const { items: rules } = await (await page.request.get(`${s.url}/api/v1/rules`)).json();
  expect(rules).toMatchObject([{ ending: "qx", channel: "roughness" }]);
  const station = rules[0].station;
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { station, file: { name: "wednesday.zip", mimeType: "application/zip", buffer: Buffer.from(zipSync(Object.fromEntries(Object.entries(files).map(([p, d]) => [p.replace("_roughness", "_qx"), d])))) } } });
  expect(sent.status()).toBe(202);
  const { href } = await sent.json();
  await expect.poll(async () => (await (await page.request.get(s.url + href)).json()).state, { timeout: 30_000 }).toBe("sorted");
  const d = await (await page.request.get(s.url + href)).json();
  const rough = d.sets[0].maps.find((/** @type {any} */ m) => m.file.endsWith("_qx.png"));
  expect(rough.channel).toBe("roughness");
  expect(rough.reasons.some((/** @type {any} */ r) => r.kind === "rule")).toBe(true);

  // The rules have a page: this one is changed, another written, both removed.
  await page.goto(`${s.url}/intake/rules`);
  await page.locator("[data-rule] select").selectOption("occlusion");
  await expect(page.locator("[data-rule] select")).toHaveValue("occlusion");
  await page.fill("#ending", "two words");
  await page.getByRole("button", { name: "Add rule", exact: true }).click();
  await expect(page.locator(".trouble")).toContainText("is not one word");
  await page.fill("#ending", "zz");
  await page.getByRole("button", { name: "Add rule", exact: true }).click();
  await expect(page.locator("[data-rule]")).toHaveCount(2);
  for (let n = 2; n > 0; n--) {
    await page.getByRole("button", { name: "Remove" }).first().click();
    await expect(page.locator("[data-rule]")).toHaveCount(n - 1);
  }
});

test("more sets than a page holds are filtered and settled by keys", async ({ page }) => {
  test.setTimeout(900_000); // sorting takes its time
  const out = join(s.dir, "many");
  execFileSync(binary, ["station", "--out", out, "--sets", "140", "--size", "32", "--faults", "all"], { stdio: "ignore" });
  execFileSync("tar", ["cf", join(s.dir, "many.tar"), "-C", out, "."]);
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/intake`);
  await page.setInputFiles("[data-upload]", join(s.dir, "many.tar"));
  await page.waitForURL(/\/intake\/\d+/);
  await expect(page.locator("tr[data-set]").first()).toBeVisible({ timeout: 300_000 });
  // A press that is under way when news arrives is finished: the row opens.
  const id = page.url().match(/intake\/(\d+)/)?.[1];
  await expect.poll(async () => (await (await page.request.get(`${s.url}/api/v1/deliveries/${id}`)).json()).state, { timeout: 60_000 }).toBe("sorted");
  const tabs = await page.locator("[data-tab] .num").allTextContents();
  const show = Number(tabs[0]) > Number(tabs[1]) ? "check" : "ready";
  const many = Math.max(Number(tabs[0]), Number(tabs[1]));
  expect(Number(tabs[0]) + Number(tabs[1])).toBe(140);
  await page.goto(`${s.url}/intake/${id}?show=${show}`);
  await expect(page.locator("tr[data-set]")).toHaveCount(100); // the rest on demand
  await page.locator("[data-further]").click();
  await expect(page.locator("tr[data-set]")).toHaveCount(many);
  const left = Number(await page.locator("tr[data-set]").last().getAttribute("data-set"));
  const opens = page.locator("tr[data-set] [data-open-row]").nth(2);
  await opens.hover();
  await page.mouse.down();
  for (const undo of [false, true]) {
    const news = page.waitForResponse((r) => (r.request().headers()["x-part"] ?? "").includes("triage"));
    expect((await page.request.post(`${s.url}/api/v1/deliveries/${id}/leave`, { headers: now, data: { materials: [left], undo } })).ok()).toBe(true);
    await news;
  }
  await page.mouse.up();
  await expect(page.locator("#opened")).toContainText("Open on the Bench");
  await opens.click();
  await expect(page.locator("#opened")).toHaveCount(0);
  await expect(page.locator("tr[data-set]")).toHaveCount(many);
  // What is typed into the filter narrows the rows; how fluently is measured by frames.mjs.
  await page.locator("[data-filter]").pressSequentially("slates", { delay: 20 });
  await expect.poll(() => page.locator("tr[data-set]").evaluateAll((all) => all.every((r) => /slates/i.test(/** @type {HTMLElement} */ (r).dataset.name ?? "")))).toBe(true);
  await page.locator("[data-filter]").fill("");
  await expect.poll(() => page.locator("tr[data-set]").count()).toBeGreaterThan(20);

  // A librarian settles all of them by keyboard alone: what is ready at once, the rest one by one.
  await page.goto(`${s.url}/intake/${id}`);
  const remaining = (/** @type {string} */ tab) => page.locator(`[data-tab=${tab}] .num`).textContent().then(Number);
  const all = (await remaining("check")) + (await remaining("ready"));
  let keys = 0;
  const press = async (/** @type {string} */ key) => {
    keys++;
    await page.keyboard.press(key);
  };
  await press("S");
  await expect.poll(() => remaining("ready")).toBe(0);
  const within = () => page.evaluate(() => !!document.activeElement?.closest("tr[data-set]"));
  for (let n = await remaining("check"); n > 0; n--) {
    if (!(await within())) await press("j");
    await press("Enter");
    await expect.poll(() => remaining("check"), { intervals: [20] }).toBe(n - 1);
  }
  expect(keys / all).toBeLessThan(3);
});
