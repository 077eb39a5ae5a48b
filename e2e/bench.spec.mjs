// @ts-check
// The Bench in a real browser: the Flat lens by mouse and keys, rulers that tell the
// truth, figures that are edited where they stand, two people at one material; and
// the things that every page has.
import { expect, test } from "@playwright/test";
import { enter, scanned, studio } from "./studio.mjs";

test.describe.configure({ mode: "serial" });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** @type {any[]} */ let sets;
test.beforeAll(async ({ browser }) => {
  s = await studio();
  const page = await browser.newPage();
  await enter(page, s.url, "librarian");
  const { zip } = scanned(s.dir, ["--sets", "3", "--size", "512"]);
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { file: { name: "a.zip", mimeType: "application/zip", buffer: zip } } });
  const { href } = await sent.json();
  await expect.poll(async () => (await (await page.request.get(s.url + href)).json()).state, { timeout: 60_000 }).toBe("sorted");
  ({ sets } = await (await page.request.get(s.url + href)).json());
  await page.close();
});
test.afterAll(() => s.stop());

/** @param {string} name */
const idOf = (name) => sets.find((x) => x.name === name).material_id;

/** The read-out at a place of the lens. @param {import("@playwright/test").Page} page @param {number} x @param {number} y */
async function readAt(page, x, y) {
  const box = await page.locator("#lens .mat").boundingBox();
  if (!box) throw new Error("there is no lens");
  await page.mouse.move(box.x + x - 1, box.y + y);
  await page.mouse.move(box.x + x, box.y + y);
  return (await page.locator(".readout").textContent()) ?? "";
}

/** @param {string} text */
const centimetres = (text) => [...text.matchAll(/[xy] (-?[\d.]+) (cm|mm|m)/g)].map((m) => Number(m[1]) * { mm: 0.1, cm: 1, m: 100 }[/** @type {"mm"|"cm"|"m"} */ (m[2])]);

test("the lens is true to scale", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${idOf("slates_round")}`);
  await page.waitForTimeout(800);
  const box = await page.locator("#lens .mat").boundingBox();
  if (!box) throw new Error("there is no lens");
  // The whole repeat is fitted: two places a known part of it apart read as that many centimetres.
  const scale = Math.min((box.width - 64) / 1.71, (box.height - 48) / 1.14);
  const [x0, y0] = centimetres(await readAt(page, box.width / 2 - 100, box.height / 2 - 60));
  const [x1, y1] = centimetres(await readAt(page, box.width / 2 + 100, box.height / 2 + 60));
  expect(Math.abs(x1 - x0 - 20_000 / scale)).toBeLessThan(0.6);
  expect(Math.abs(y1 - y0 - 12_000 / scale)).toBeLessThan(0.6);
  // Nearer by a key: the same way on the screen is less of the surface.
  await page.locator("#lens .mat").focus();
  for (let i = 0; i < 6; i++) await page.keyboard.press("+");
  const [a] = centimetres(await readAt(page, box.width / 2 - 100, box.height / 2));
  const [b] = centimetres(await readAt(page, box.width / 2 + 100, box.height / 2));
  expect((x1 - x0) / (b - a)).toBeGreaterThan(3);
  expect((x1 - x0) / (b - a)).toBeLessThan(4.5);
  // Dragged by 80 pixels, what lies under the pointer stays under it.
  const grab = { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  const [under] = centimetres(await readAt(page, box.width / 2, box.height / 2));
  await page.mouse.move(grab.x, grab.y);
  await page.mouse.down();
  await page.mouse.move(grab.x + 80, grab.y, { steps: 4 });
  await page.mouse.up();
  const [still] = centimetres(await readAt(page, box.width / 2 + 80, box.height / 2));
  expect(Math.abs(still - under)).toBeLessThan(0.4);
  await page.locator("#lens .mat").focus();
  await page.keyboard.press("0");
  const [back] = centimetres(await readAt(page, box.width / 2 - 100, box.height / 2 - 60));
  expect(Math.abs(back - x0)).toBeLessThan(0.6);
});

test("each channel reads in its own meaning", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${idOf("slates_round")}`);
  for (const [chip, says] of [["Base colour", "albedo"], ["Normal", "slope"], ["Roughness", "roughness"], ["Height", "mm above"], ["Occlusion", "occlusion 0."]]) {
    await page.locator("[data-chip]", { hasText: chip }).click();
    await expect(page.locator("[data-chip]", { hasText: chip })).toHaveAttribute("aria-pressed", "true");
    await expect.poll(() => readAt(page, 380, 250)).toContain(says);
  }
  // The choice is in the address.
  await page.reload();
  await expect(page.locator("[data-chip]", { hasText: "Occlusion" })).toHaveAttribute("aria-pressed", "true");
  await page.getByRole("button", { name: "Show the 10 cm grid" }).click();
  await expect(page.getByRole("button", { name: "Hide the 10 cm grid" })).toBeVisible();
  await page.getByRole("button", { name: "Change the mat" }).click();
  await expect(page.locator("#lens .mat")).toHaveAttribute("data-mat", "dark");
});

test("figures are edited where they stand", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${idOf("slates_round")}`);
  const ledger = page.locator("#ledger");
  const field = (/** @type {string} */ name) => ledger.locator(`[data-field=${name}]`);
  /** @param {string} name @param {string} text @param {string} key */
  const type = async (name, text, key) => {
    await field(name).click();
    await ledger.locator("input").fill(text);
    await page.keyboard.press(key);
  };
  // What is no length is refused in words, and nothing is lost.
  await type("width_m", "a while", "Enter");
  await expect(page.locator(".toast")).toContainText("is not a length");
  await expect(ledger.locator("input")).toHaveValue("a while");
  await page.keyboard.press("Escape");
  await expect(field("width_m")).toHaveText("1.71 m");
  // Feet and inches, sums, and the way back.
  await type("width_m", "5 ft 7 in + 1 cm", "Enter");
  await expect(field("width_m")).toHaveText("1.71 m");
  await type("width_m", "2 * 90 cm", "Enter");
  await expect(field("width_m")).toHaveText("1.80 m");
  await expect(ledger).toContainText("differ by up to");
  await page.locator(".toast button", { hasText: "Undo" }).first().click();
  await expect(field("width_m")).toHaveText("1.71 m");
  await ledger.getByRole("button", { name: "Take this" }).first().click();
  await expect(ledger).toContainText("from the scanner's resolution tag");
  await type("tags", "Wet, wet , slate", "Enter");
  await expect(field("tags")).toHaveText("slate, wet");
});

test("two people at one material do not overwrite each other", async ({ page, browser }) => {
  await enter(page, s.url, "librarian");
  const id = idOf("rubble_limewash");
  await page.goto(`${s.url}/bench/${id}`);
  const other = await (await browser.newContext()).newPage();
  await enter(other, s.url, "administrator");
  await other.goto(`${s.url}/bench/${id}`);
  await other.locator("[data-field=name]").click();
  await other.locator("#ledger input").fill("Rubble of the sea wall");
  await other.keyboard.press("Enter");
  // It shows here by itself, and an API write on the old state is refused.
  await expect(page.locator("h1")).toHaveText("Rubble of the sea wall");
  const stale = await page.request.patch(`${s.url}/api/v1/materials/${id}`, { data: { name: "Mine" }, headers: { "If-Match": '"1"' } });
  expect(stale.status()).toBe(412);
  await other.close();
});

test("every page has its keys, its room and its way out", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/library`);
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible();
  await page.getByRole("button", { name: "Close" }).click();
  await page.locator("details.menu summary").click();
  await page.getByRole("button", { name: "Light or dark room" }).click();
  await expect(page.locator("html")).toHaveAttribute("data-room", "dark");
  await page.reload();
  await expect(page.locator("html")).toHaveAttribute("data-room", "dark");
  await page.keyboard.press("Tab"); // first of all, the way past the bar
  await expect(page.locator(".skip")).toBeFocused();
  await page.locator("details.menu summary").click();
  await page.getByRole("button", { name: "Sign out" }).click();
  await page.goto(`${s.url}/bench`);
  await expect(page).toHaveURL(/\/\?to=%2Fbench/);
  // After signing in she is where she wanted to be.
  await page.fill("#name", "librarian");
  await page.fill("#password", "a password for tests");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page).toHaveURL(/\/bench$/);
});

test("an administrator lets people in and out", async ({ page }) => {
  await enter(page, s.url, "administrator");
  await page.goto(`${s.url}/people`);
  await page.fill("#name", "Tove");
  await page.selectOption("#role", "artist");
  await page.fill("#password", "a password for tests");
  await page.getByRole("button", { name: "Add" }).click();
  const row = page.locator("tr", { hasText: "Tove" }).first();
  await expect(row).toBeVisible();
  await row.getByRole("checkbox").check();
  await row.getByRole("button", { name: "Save" }).click();
  await expect(page.locator("main")).toContainText("account changed: Tove");
  await page.goto(`${s.url}/you`);
  await page.fill("#label", "nightly pull");
  await page.getByRole("button", { name: "Make a token" }).click();
  const token = (await page.locator("[data-token]").textContent()) ?? "";
  expect(token).toMatch(/^ald_/);
  const asked = await fetch(`${s.url}/api/v1/library`, { headers: { Authorization: `Bearer ${token}` } });
  expect(asked.status).toBe(200);
  // The closed account does not get in.
  await page.context().clearCookies();
  await page.goto(s.url);
  await page.fill("#name", "Tove");
  await page.fill("#password", "a password for tests");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("alert")).toContainText("do not go together");
});
