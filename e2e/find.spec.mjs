// @ts-check
// Finding in the Library: by words with slips, by colour, by figures, by what it looks like; what is not
// wanted; words that mean the same.
import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { binary, enter, now, password, scanned, sorted, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
const tags = /** @type {Record<string, string[]>} */ ({ "Hung slates, round ends": ["roof", "grey"], "Lime-washed rubble": ["wall"], "Jetty planks, bleached": ["grey", "deck"] });

test.beforeAll(async ({ browser }) => {
  test.setTimeout(150_000);
  s = await studio();
  execFileSync(binary, ["user", "add", "--data", s.data, "--user", "lead", "--role", "lead"], { input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
  const page = await browser.newPage();
  await enter(page, s.url, "librarian");
  const { zip } = scanned(s.dir, ["--sets", "8", "--size", "256", "--seed", "3"]);
  const names = /** @type {Record<string, string>} */ ({ "slates round": "Hung slates, round ends", "rubble limewash": "Lime-washed rubble", "jetty plank": "Jetty planks, bleached" });
  for (const set of await sorted(page.request, s.url, "scans.zip", "application/zip", zip)) {
    const at = `${s.url}/api/v1/materials/${set.material_id}`, name = names[set.name.toLowerCase().replace(/_/g, " ")] ?? set.name;
    await page.request.patch(at, { headers: now, data: { name, tags: tags[name] ?? [], licence: "CC0-1.0", author: "A. Ness" } });
    expect((await page.request.post(`${at}/releases`, { headers: now, data: { notes: "First." } })).status(), name).toBe(201);
  }
  // What they look like is known soon.
  await expect.poll(async () => (await (await page.request.get(`${s.url}/api/v1/library?colour=808080&hue=1`)).json()).total, { timeout: 90_000 }).toBeGreaterThan(1);
  await expect.poll(async () => (await page.request.get(`${s.url}/api/v1/library?like=${await slug(page, "Hung slates, round ends")}`)).status(), { timeout: 60_000 }).toBe(200);
  await page.close();
});
test.afterAll(() => s.stop());

/** @param {import("@playwright/test").Page} page @param {string} name */
const slug = async (page, name) => (await (await page.request.get(`${s.url}/api/v1/library?q=${encodeURIComponent(name)}`)).json()).items[0].slug;
/** @param {import("@playwright/test").Page} page */
const names = (page) => page.locator(".wall .sample b").allTextContents();

test("a misspelt word finds, and what it found is marked", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.locator("[data-find]").fill("hunk slaets");
  await expect(page.locator("h1.sentence b")).toHaveText("1");
  expect(await names(page)).toEqual(["Hung slates, round ends"]);
  await expect(page.locator(".sample mark")).toHaveText(["Hung", "slates"]);
  expect(new URL(page.url()).searchParams.get("q")).toBe("hunk slaets");
});

test("a colour is picked on the strip, or pasted into the search", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  const whole = (await names(page)).length;
  const hues = page.locator(".hues a");
  await hues.first().click();
  await expect(page.locator(".asked")).toHaveCount(1);
  const dark = (await names(page)).length;
  expect(dark).toBeLessThan(whole);
  await page.locator(".asked").click();
  await expect(page.locator(".asked")).toHaveCount(0);
  await page.locator("[data-find]").fill("#e5ddc6");
  await expect(page.locator(".asked")).toHaveText(/#e5ddc6/);
  expect((await names(page))[0]).toBe("Lime-washed rubble");
});

test("choices add up, and can be left out", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  const tag = page.locator("details[data-facet=tag]");
  await tag.locator("summary").click();
  await tag.getByRole("link", { name: /^grey/ }).click();
  await expect(page.locator("h1.sentence b")).toHaveText("2");
  await tag.getByRole("link", { name: "Without roof" }).click();
  await expect(page.locator("h1.sentence b")).toHaveText("1");
  expect(await names(page)).toEqual(["Jetty planks, bleached"]);
  await expect(tag.locator("summary")).toHaveText("grey not roof");
  expect(page.url()).toContain("not_tag=roof");
  await page.reload();
  expect(await names(page)).toEqual(["Jetty planks, bleached"]);
});

test("figures narrow it down", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  const figures = page.locator("details[data-facet=figures]");
  await figures.locator("summary").click();
  await figures.getByLabel("Width, least").fill("175 cm");
  await figures.getByLabel("Width, most").fill("2 m");
  await figures.getByRole("button", { name: "Show these" }).click();
  await expect(figures.locator("summary")).toHaveText("1.75 to 2 m wide");
  expect(await names(page)).toContain("Lime-washed rubble");
  for (const k of (await (await page.request.get(`${s.url}/api/v1/library?width_m=1.75..2`)).json()).items) expect(k.size.width_m).toBeGreaterThanOrEqual(1.75);
  await figures.locator("summary").click();
  await figures.getByLabel("Width, least").fill("wide");
  await figures.getByRole("button", { name: "Show these" }).click();
  await expect(page.locator(".trouble")).toBeVisible();
});

test("a picture is dropped, and finds what it shows", async ({ page }) => {
  await enter(page, s.url, "artist");
  const id = (await (await page.request.get(`${s.url}/api/v1/library?q=slates`)).json()).items[0].release_id;
  const shot = await (await page.request.get(`${s.url}/api/v1/releases/${id}/swatch.png?extent_m=1&px=344`)).body();
  await page.goto(`${s.url}/library`);
  const data = await page.evaluateHandle(async (b64) => {
    const t = new DataTransfer();
    t.items.add(new File([Uint8Array.from(atob(b64), (c) => c.charCodeAt(0))], "roof.png", { type: "image/png" }));
    return t;
  }, shot.toString("base64"));
  await page.locator("#results").dispatchEvent("drop", { dataTransfer: data });
  await expect(page.getByText("like your picture")).toBeVisible();
  expect((await names(page))[0]).toBe("Hung slates, round ends");
  await page.getByRole("link", { name: "mostly grain" }).click();
  await expect.poll(() => page.url()).toContain("weights=");
  expect((await names(page))[0]).toBe("Hung slates, round ends");
  // What is no picture is said.
  await page.getByRole("link", { name: "Not like your picture" }).click();
  await page.locator("input[x-ref=picture]").setInputFiles({ name: "notes.txt", mimeType: "text/plain", buffer: Buffer.from("no picture") });
  await expect(page.locator(".trouble")).toContainText("notes.txt could not be read");
  // From a material's page.
  await page.goto(`${s.url}/library/${await slug(page, "Hung slates, round ends")}`);
  await expect(page.locator(".alike a")).toHaveCount(6);
  await page.getByRole("link", { name: "All that look like it" }).click();
  await expect(page.getByText("like Hung slates, round ends")).toBeVisible();
  expect(await names(page)).not.toContain("Hung slates, round ends");
});

test("the lead says which words mean the same", async ({ page }) => {
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/standards`);
  await page.getByLabel("Words that mean the same").fill("rubble, random stone\nplanks, decking");
  await page.getByRole("button", { name: "Save words" }).click();
  await expect(page.locator(".toast").first()).toContainText("Saved");
  await page.goto(`${s.url}/library?q=random+stone`);
  expect(await names(page)).toEqual(["Lime-washed rubble"]);
  await page.goto(`${s.url}/library?q=decking`);
  expect(await names(page)).toEqual(["Jetty planks, bleached"]);
});
