// @ts-check
// What a reader has done on a page, and what the server has meanwhile: choices, favourites, typed text and the place in a
// list outlast searches and other people's news.
import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { binary, enter, now, password, scanned, studio } from "./studio.mjs";

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
/** Somebody else, by the API. @type {import("@playwright/test").APIRequestContext} */ let other;

/** Drafts that nobody has released. @type {number[]} */ let drafts = [];

test.beforeAll(async ({ playwright }) => {
  test.setTimeout(180_000);
  s = await studio();
  execFileSync(binary, ["user", "add", "--data", s.data, "--user", "lead", "--role", "lead"], { input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
  const token = execFileSync(binary, ["token", "create", "--data", s.data, "--user", "lead", "--scope", "contribute"], { encoding: "utf8" }).trim();
  const somebody = () => playwright.request.newContext({ baseURL: s.url, extraHTTPHeaders: { Authorization: `Bearer ${token}` } });
  other = await somebody();
  const { zip } = scanned(s.dir, ["--sets", "3", "--size", "64", "--seed", "5"]);
  const sent = await other.post("/api/v1/deliveries", { multipart: { file: { name: "scans.zip", mimeType: "application/zip", buffer: zip } } });
  expect(sent.status(), await sent.text()).toBe(202);
  const { href } = await sent.json();
  await expect.poll(async () => (await (await other.get(href)).json()).state, { timeout: 90_000 }).toBe("sorted");
  const [first, ...rest] = (await (await other.get(href)).json()).sets.map((/** @type {any} */ k) => k.material_id);
  drafts = rest;
  await released(first);
  // Many more, as they are.
  await s.halt();
  execFileSync(binary, ["seed", "--data", s.data, "--n", "300"], { stdio: ["ignore", "ignore", "inherit"] });
  await other?.dispose();
  await s.start();
  other = await somebody();
});
test.afterAll(async () => {
  await other?.dispose();
  await s.stop();
});

/** Somebody else releases a draft. @param {number} id */
async function released(id) {
  await other.patch(`/api/v1/materials/${id}`, { headers: now, data: { licence: "CC0-1.0", author: "A. Ness", width_m: 1 } });
  const made = await other.post(`/api/v1/materials/${id}/releases`, { headers: now, data: { notes: "New." } });
  expect(made.status(), await made.text()).toBe(201);
}

/** Somebody else corrects a release: every page of the Library hears of it. @param {string | null} release @param {string} tag */
async function news(release, tag) {
  const answer = await other.patch(`/api/v1/releases/${release}`, { headers: now, data: { tags: [tag] } });
  expect(answer.ok(), await answer.text()).toBe(true);
}

/** Waits until the page has drawn what the server has. @param {import("@playwright/test").Page} page @param {() => Promise<unknown>} act */
async function drawn(page, act) {
  const answer = page.waitForResponse((r) => r.request().headers()["x-part"] !== undefined || r.url().includes("/library/cards"));
  await act();
  await answer;
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
}

/** @param {import("@playwright/test").Page} page @param {string} text */
const search = (page, text) => drawn(page, () => page.locator("[data-find]").fill(text));
/** @param {import("@playwright/test").Page} page */
const cards = (page) => page.locator("[data-card]");

test("choices and favourites outlast a search and somebody's news", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library?sort=name`);
  const [a, b, c] = [cards(page).nth(0), cards(page).nth(1), cards(page).nth(2)];
  const [nameA, idA, idB, releaseC] = [await a.getAttribute("data-name") ?? "", await a.getAttribute("data-card"), await b.getAttribute("data-card"), await c.getAttribute("data-release")];
  for (const card of [a, b]) await card.locator("[data-choose]").check();
  await expect(a.locator("[data-star]")).toBeEnabled();
  await a.locator("[data-star]").click();
  await expect(a.locator("[data-star]")).toHaveText("★");

  await search(page, nameA);
  await drawn(page, () => news(releaseC, "news"));
  const found = page.locator(`#card-${idA}`);
  await expect(found).toHaveAttribute("data-chosen", "");
  await expect(found.locator("[data-choose]")).toBeChecked();
  await expect(found.locator("[data-star]")).toHaveText("★");
  await expect(page.locator(".bulk b")).toHaveText("2 chosen"); // the other one too, which is not shown
  await search(page, "");
  for (const id of [idA, idB]) await expect(page.locator(`#card-${id} [data-choose]`)).toBeChecked();
  await expect(page.locator("[data-card][data-chosen]")).toHaveCount(2);
  // The favourite is one: a press takes it away, another gives it back.
  await page.locator(`#card-${idA} [data-star]`).click();
  await expect(page.locator(`#card-${idA} [data-star]`)).toHaveText("☆");
  await expect.poll(async () => (await (await page.request.get(`${s.url}/api/v1/stars`)).json()).items).toEqual([]);
  // Escape in a field is the field's.
  await page.locator("[data-find]").focus();
  await page.keyboard.press("Escape");
  await expect(page.locator(".bulk b")).toHaveText("2 chosen");
  await page.locator(`#card-${idA} .sample`).focus();
  await page.keyboard.press("Escape");
  await expect(page.locator(".bulk")).toBeHidden();
  await expect(page.locator("[data-card][data-chosen]")).toHaveCount(0);
});

test("the wall goes on below, and stays where it is, after a search and news", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library?sort=name`);
  await expect(page.locator("#shelf-wall")).toHaveAttribute("data-virtual", "");
  await search(page, "x"); // another list, and back
  await search(page, "");
  await expect(page.locator("#shelf-wall")).toHaveAttribute("data-virtual", "");
  await page.evaluate(() => scrollTo(0, document.body.scrollHeight));
  await expect(cards(page).last()).toBeInViewport();
  const at = await page.evaluate(() => scrollY), last = await cards(page).last().getAttribute("data-name");
  expect(at).toBeGreaterThan(4000);
  await drawn(page, async () => news(await cards(page).last().getAttribute("data-release"), "below"));
  await expect(cards(page).last()).toHaveAttribute("data-name", last ?? "");
  await expect(cards(page).last()).toBeInViewport();
  expect(await page.evaluate(() => scrollY)).toBe(at);
});

test("a card keeps its picture when others come before it", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await expect(cards(page).nth(5)).toBeVisible();
  await page.evaluate(() => {
    for (const c of document.querySelectorAll("[data-card] img")) /** @type {any} */ (c).of = c.closest("[data-card]")?.id;
  });
  const before = await cards(page).first().getAttribute("data-card");
  await drawn(page, () => released(drafts[0]));
  await expect(cards(page).first()).not.toHaveAttribute("data-card", before ?? "");
  const [moved, kept] = await page.evaluate(() => {
    const all = [...document.querySelectorAll("[data-card] img")].map((i) => [/** @type {any} */ (i).of, i.closest("[data-card]")?.id]).filter(([of]) => of);
    return [all.filter(([of, id]) => of !== id).length, all.length];
  });
  expect(moved).toBe(0); // an element that showed one material shows no other
  expect(kept).toBeGreaterThan(20); // and what is as it was keeps its picture
});

test("the text of a search comes back with its results, and Name keeps the filters", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  const tag = await page.locator("[data-facet=tag] a[href*='tag=']").first().getAttribute("href") ?? "";
  await page.goto(s.url + tag);
  const one = page.locator("[data-find]");
  const word = (await cards(page).first().getAttribute("data-name") ?? "").split(/\W/)[0];
  await search(page, word);
  await drawn(page, () => page.getByRole("link", { name: "Table", exact: true }).click());
  await drawn(page, () => page.locator(".figures-head a", { hasText: "Name" }).click());
  const address = new URL(page.url()).searchParams;
  expect([address.get("q"), address.get("sort"), address.get("view"), address.has("tag")]).toEqual([word, "name", "table", true]);
  await one.fill("");
  await expect.poll(() => new URL(page.url()).searchParams.has("q")).toBe(false);
  await page.getByRole("link", { name: "Swatches", exact: true }).click();
  await page.goBack();
  await page.goBack();
  await expect.poll(() => new URL(page.url()).searchParams.get("q")).toBe(word);
  await expect(one).toHaveValue(word);
  await expect(page.locator("h1.sentence")).toContainText(word);
  // A saved search is called what is asked for, not what the closed menus hold.
  await page.getByRole("button", { name: "Save search" }).click();
  const name = await page.locator("dialog.ask input").inputValue();
  expect(name.startsWith(`${word}, tagged `), name).toBe(true);
  expect(name).not.toContain("any category");
  await page.keyboard.press("Escape");
});

test("an answer that is typed outlasts somebody's answer", async ({ page }) => {
  const asked = await (await other.post("/api/v1/requests", { data: { kind: "material", title: "Slate, wet", text: "For the slipway." } })).json();
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/requests/${asked.id}`);
  await page.fill("[name=text]", "I have some");
  await page.selectOption("[name=state]", "working");
  await page.fill("[name=solved]", "nothing yet");
  await drawn(page, async () => {
    expect((await other.post(`/api/v1/requests/${asked.id}/answers`, { headers: now, data: { text: "Soon, please." } })).ok()).toBe(true);
  });
  await expect(page.getByText("Soon, please.")).toBeVisible();
  await expect(page.locator("[name=text]")).toHaveValue("I have some");
  await expect(page.locator("[name=state]")).toHaveValue("working");
  await expect(page.locator("[name=solved]")).toHaveValue("nothing yet");
  await page.fill("[name=solved]", "");
  await page.getByRole("button", { name: "Send" }).click();
  await expect(page.getByText("I have some")).toBeVisible();
  await expect(page.locator("[name=text]")).toHaveValue(""); // it has been sent
});

test("a name that several have is asked about", async ({ page }) => {
  await enter(page, s.url, "lead");
  const { items } = await (await other.get("/api/v1/library?per=1")).json();
  await page.goto(`${s.url}/library/${items[0].slug}`);
  await page.locator("#main summary", { hasText: "Retire" }).click();
  await page.fill("[name=reason]", "A better one.");
  await page.fill("[name=replacement]", items[0].name.split(" ")[0]);
  await page.getByRole("button", { name: /^Retire release/ }).click();
  const box = page.locator("dialog.ask");
  await expect(box).toContainText("Which one is");
  await box.getByRole("button", { name: "Cancel" }).click();
  await expect(page.locator("[name=reason]")).toHaveValue("A better one."); // nothing has happened
  expect((await (await other.get(`/api/v1/library?q=${encodeURIComponent(items[0].name)}`)).json()).total).toBeGreaterThan(0);
});

test("a token is made once, however often the page is loaded", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/you`);
  await page.fill("#label", "farm");
  await page.getByRole("button", { name: "Create token" }).click();
  await expect(page.locator("[data-token]")).toBeVisible();
  await page.reload();
  await expect(page.locator("[data-token]")).toBeHidden();
  await expect(page.locator("td", { hasText: "farm" })).toHaveCount(1);
});

test("an undo is offered as long as its notice is there, and no longer", async ({ page }) => {
  await page.clock.install();
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/collections`);
  await page.getByRole("button", { name: /New collection|Add|collection/ }).first().click();
  await page.locator("dialog.ask input").fill("Mine");
  await page.locator("dialog.ask button", { hasText: "Save" }).click();
  const row = page.locator("[data-collection]", { hasText: "Mine" });
  await expect(row).toBeVisible();
  await row.getByRole("button", { name: "Remove" }).click();
  await expect(page.locator(".toast")).toContainText("Removed");
  await page.clock.fastForward(60_000);
  await expect(page.locator(".toast")).toBeHidden();
  await page.locator("h1").first().click();
  await page.keyboard.press("u");
  await page.clock.runFor(1000);
  expect((await (await page.request.get(`${s.url}/api/v1/collections`)).json()).items.map((/** @type {any} */ k) => k.name)).not.toContain("Mine");
});

test("a page that can't be brought up to date says so, and is when the line is back", async ({ page, context }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library?sort=name`);
  await expect(cards(page).first()).toBeVisible();
  const whole = await page.locator("h1.sentence").getAttribute("data-total");
  await context.setOffline(true);
  await page.locator("[data-find]").fill("oak");
  await expect(page.locator(".trouble")).toContainText("not up to date");
  await expect(page.locator(".trouble").getByRole("button", { name: "Try again" })).toBeVisible();
  await expect(page.locator("[data-find]")).toHaveValue("oak");
  await expect(page.locator("h1.sentence")).toHaveAttribute("data-total", whole ?? "");
  await context.setOffline(false);
  await page.locator(".trouble").getByRole("button", { name: "Try again" }).click({ timeout: 1000 }).catch(() => {}); // or the line comes back first
  await expect(page.locator("h1.sentence")).not.toHaveAttribute("data-total", whole ?? "");
  await expect(page.locator(".trouble")).toHaveCount(0);
});

test("a request keeps its picture until it is taken", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/requests?ask=1`);
  await page.fill("[name=title]", "Salt on brick");
  await page.setInputFiles("[name=picture]", { name: "salt.png", mimeType: "image/png", buffer: Buffer.from("no picture") });
  await page.getByRole("button", { name: "Send request" }).click();
  await expect(page.locator(".trouble")).toContainText("The request is made, but its picture was not taken.");
  expect(await page.locator("[name=picture]").evaluate((f) => /** @type {any} */ (f).files.length)).toBe(1);
  const png = Buffer.from("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==", "base64");
  await page.setInputFiles("[name=picture]", { name: "salt.png", mimeType: "image/png", buffer: png });
  await page.getByRole("button", { name: "Send the picture" }).click();
  await page.waitForURL(/\/requests\/\d+/);
  await expect(page.getByAltText("The picture that goes with it")).toBeVisible();
  const { items } = await (await page.request.get(`${s.url}/api/v1/requests`)).json();
  expect(items.filter((/** @type {any} */ r) => r.title === "Salt on brick")).toHaveLength(1);
});

test("a place is pointed at by keys, and the view that was looked at is reported", async ({ page }) => {
  await enter(page, s.url, "artist");
  const { items } = await (await other.get("/api/v1/library?per=1&sort=newest")).json();
  await page.goto(`${s.url}/library/${items[0].slug}?lens=lit&yaw=40`);
  await page.getByText("Report a problem").click();
  await page.fill("#main [name=title]:visible", "A dark patch");
  await page.getByRole("button", { name: "Point at it" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.locator("#pictures .picture")).toBeFocused();
  for (let i = 0; i < 4; i++) await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Enter");
  await expect(page.getByText("The place is marked.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Point at it" })).toBeFocused();
  await page.getByRole("button", { name: "Send report" }).click();
  await expect(page.getByRole("link", { name: "A dark patch" })).toBeVisible();
  const all = (await (await page.request.get(`${s.url}/api/v1/requests`)).json()).items;
  const r = await (await page.request.get(`${s.url}/api/v1/requests/${all.find((/** @type {any} */ k) => k.title === "A dark patch").id}`)).json();
  expect(r.pin[0]).toBeCloseTo(0.62, 5);
  expect(r.view).toContain("lens=lit");
  expect(r.view).toContain("yaw=40");
});

test("the profile editor says all that it holds, and asks before edits are lost", async ({ page }) => {
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/profiles`);
  const said = () => page.locator("[data-document]").inputValue().then(JSON.parse);
  const before = await said();
  await page.getByRole("button", { name: "Add file" }).click();
  expect((await said()).files).toHaveLength(before.files.length + 1);
  await page.locator("[data-file]").last().getByRole("button", { name: "Remove" }).click();
  expect(await said()).toEqual(before);
  await page.fill(".profile-name", "Ours");
  await page.locator(".profile-purpose").focus();
  expect((await said()).name).toBe("Ours");
  let asked = false;
  page.once("dialog", (d) => {
    asked = d.type() === "beforeunload";
    d.dismiss();
  });
  await page.getByRole("link", { name: "Library" }).first().click();
  await expect.poll(() => asked).toBe(true);
  await expect(page.locator(".profile-name")).toHaveValue("Ours");
});

test("a figure that was refused can be corrected and left", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${drafts[1]}`);
  await page.locator("[data-field=width_m]").first().click();
  const field = page.locator("input.figure-edit[data-mine]");
  await field.fill("nonsense");
  await page.keyboard.press("Enter");
  await expect(page.locator(".trouble")).toBeVisible();
  await expect(field).toHaveAttribute("aria-invalid", "true");
  await field.fill("1.25 m");
  await page.locator("h1").first().click();
  await expect.poll(async () => (await (await other.get(`/api/v1/materials/${drafts[1]}`)).json()).width_m).toBe(1.25);
});

test("a treatment that is being filled in outlasts somebody's change", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${drafts[1]}`);
  await page.getByText("Add a treatment").click();
  await page.selectOption("#treat-kind", "rerange");
  await page.locator("[name=low]").fill("0.2");
  await page.selectOption("form [name=channel]", { index: 1 });
  const channel = await page.locator("form [name=channel]").inputValue();
  await drawn(page, async () => {
    expect((await other.patch(`/api/v1/materials/${drafts[1]}`, { headers: now, data: { tags: ["elsewhere"] } })).ok()).toBe(true);
  });
  await expect(page.locator("#ledger")).toContainText("elsewhere");
  await expect(page.locator("#treat-kind")).toHaveValue("rerange");
  await expect(page.locator("[name=low]")).toHaveValue("0.2");
  await expect(page.locator("form [name=channel]")).toHaveValue(channel);
});

test("comparing writes its address when the view rests", async ({ page }) => {
  await enter(page, s.url, "artist");
  const { items } = await (await other.get("/api/v1/library?per=2&sort=newest")).json();
  await page.goto(`${s.url}/compare?of=${items.map((/** @type {any} */ k) => `r${k.release_id}`).join(",")}`);
  await page.evaluate(() => {
    const w = /** @type {any} */ (window), put = history.replaceState.bind(history);
    w.written = 0;
    history.replaceState = (...a) => (w.written++, put(...a));
  });
  const mats = page.locator("[x-ref=mats]"), box = await mats.boundingBox();
  if (!box) throw new Error("there is no view");
  await page.mouse.move(box.x + 100, box.y + 100);
  await page.mouse.down();
  for (let i = 0; i < 20; i++) await page.mouse.move(box.x + 100 + 4 * i, box.y + 100);
  await page.mouse.up();
  await expect.poll(() => new URL(page.url()).searchParams.get("yaw")).not.toBe(null);
  expect(await page.evaluate(() => /** @type {any} */ (window).written)).toBeLessThan(4);
});

test("single characters can be switched off as shortcuts, and on again", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  const field = page.locator("[data-find]");
  await page.keyboard.press("?");
  await page.getByLabel(/single characters/).uncheck();
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await expect(field).not.toBeFocused();
  await page.reload();
  await page.keyboard.press("/");
  await expect(field).not.toBeFocused();
  await page.keyboard.press("?");
  await expect(page.locator("dialog#keys")).toBeHidden();
  await page.locator(".menu summary").click(); // the menu has the list too
  await page.getByRole("button", { name: "Keyboard shortcuts" }).click();
  await page.getByLabel(/single characters/).check();
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await expect(field).toBeFocused();
});

test("a notice waits while it is pointed at or has the focus", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library`);
  await page.clock.install();
  await page.evaluate(() => dispatchEvent(new CustomEvent("tell", { detail: { text: "Saved so far.", undo: () => Promise.resolve(), more: [] } })));
  const toast = page.locator(".toast");
  await expect(toast).toContainText("Saved so far.");
  await toast.hover();
  await page.clock.fastForward(60_000);
  await expect(toast).toBeVisible();
  await toast.getByRole("button", { name: "Undo" }).focus();
  await page.mouse.move(5, 5);
  await page.clock.fastForward(5_000);
  await expect(toast).toBeVisible();
  await page.evaluate(() => /** @type {HTMLElement} */ (document.activeElement).blur());
  await page.clock.fastForward(10_000);
  await expect(toast).toBeHidden();
});

test("the wall shows balls, and goes on showing them", async ({ page }) => {
  await enter(page, s.url, "artist");
  await page.goto(`${s.url}/library?q=timber`);
  await page.getByRole("link", { name: "Balls" }).click();
  await expect(page).toHaveURL(/q=timber.*view=balls|view=balls.*q=timber/);
  await expect(page.locator(".sample img").first()).toHaveAttribute("src", /\/ball\.png\?px=344/);
  await expect(page.locator("[data-extent]")).toHaveCount(0); // balls have their natural size
  await page.goto(`${s.url}/library?view=balls`);
  await page.locator("[data-card]").nth(55).scrollIntoViewIfNeeded();
  await page.mouse.wheel(0, 4000);
  await expect.poll(() => page.locator("[data-card]").count()).toBeGreaterThan(60);
  expect(await page.locator(".sample img[src*='swatch.jpg']").count()).toBe(0);
});

test("where motion is unwanted a flicker changes by a key", async ({ page }) => {
  await page.emulateMedia({ reducedMotion: "reduce" });
  await enter(page, s.url, "artist");
  const { items } = await (await other.get("/api/v1/library?per=2&sort=newest")).json();
  await page.goto(`${s.url}/compare?way=flicker&of=${items.map((/** @type {any} */ k) => `r${k.release_id}`).join(",")}`);
  await page.waitForSelector("#compare[data-settled]", { timeout: 60_000 });
  const says = () => page.evaluate(() => /** @type {any} */ (document.getElementById("compare")).compare.says);
  const first = await says();
  expect(first).toContain("Space shows the other");
  await page.locator("[x-ref=mats]").focus();
  await page.keyboard.press("Space");
  expect(await says()).not.toBe(first.replace(". Space shows the other", ""));
  await page.keyboard.press("Space");
  expect(await says()).toBe(first.replace(". Space shows the other", ""));
});
