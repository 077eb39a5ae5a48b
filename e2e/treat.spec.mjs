// @ts-check
// Treatments in a real browser: a set with five faults is found, mended and released; one
// treatment is undone; a larger tier of the scan gets the same treatments; what stops a
// release needs a lead's override.
import { expect, test } from "@playwright/test";
import { execFileSync } from "node:child_process";
import { deflateSync, inflateSync } from "node:zlib";
import { zipSync } from "fflate";
import { binary, enter, password, scanned, studio, now } from "./studio.mjs";

test.describe.configure({ mode: "serial", timeout: 240_000 });

/** @type {Awaited<ReturnType<typeof studio>>} */ let s;
test.beforeAll(async () => {
  s = await studio();
  execFileSync(binary, ["user", "add", "--data", s.data, "--user", "lead", "--role", "lead"], { input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
});
test.afterAll(() => s.stop());

/**
 * Reads a PNG without interlacing into its rows of bytes.
 * @param {Uint8Array} data
 */
function png(data) {
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  const [w, h, bits, kind] = [view.getUint32(16), view.getUint32(20), data[24], data[25]];
  const per = ((kind === 2 ? 3 : 1) * bits) / 8, long = w * per;
  const packed = [];
  for (let at = 8; at < data.length; at += 12 + view.getUint32(at)) {
    if (String.fromCharCode(...data.subarray(at + 4, at + 8)) === "IDAT") packed.push(data.subarray(at + 8, at + 8 + view.getUint32(at)));
  }
  const raw = inflateSync(Buffer.concat(packed));
  const rows = [];
  for (let y = 0; y < h; y++) {
    const filter = raw[y * (long + 1)], row = new Uint8Array(raw.subarray(y * (long + 1) + 1, (y + 1) * (long + 1))), above = rows[y - 1];
    for (let i = 0; i < long; i++) {
      const a = i >= per ? row[i - per] : 0, b = above ? above[i] : 0, c = above && i >= per ? above[i - per] : 0;
      const p = a + b - c, [pa, pb, pc] = [Math.abs(p - a), Math.abs(p - b), Math.abs(p - c)];
      row[i] += [0, a, b, (a + b) >> 1, pa <= pb && pa <= pc ? a : pb <= pc ? b : c][filter];
    }
    rows.push(row);
  }
  return { w, h, bits, kind, rows };
}

/**
 * Writes rows as a PNG.
 * @param {{w: number, h: number, bits: number, kind: number, rows: Uint8Array[]}} p
 */
function unpng(p) {
  const crcs = Array.from({ length: 256 }, (_, n) => {
    for (let k = 0; k < 8; k++) n = n & 1 ? 0xedb88320 ^ (n >>> 1) : n >>> 1;
    return n >>> 0;
  });
  const chunk = (/** @type {string} */ name, /** @type {Uint8Array} */ body) => {
    const out = Buffer.alloc(12 + body.length);
    out.writeUInt32BE(body.length, 0);
    out.write(name, 4, "latin1");
    out.set(body, 8);
    let crc = 0xffffffff;
    for (const b of out.subarray(4, 8 + body.length)) crc = crcs[(crc ^ b) & 255] ^ (crc >>> 8);
    out.writeUInt32BE((crc ^ 0xffffffff) >>> 0, 8 + body.length);
    return out;
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(p.w, 0);
  head.writeUInt32BE(p.h, 4);
  head[8] = p.bits;
  head[9] = p.kind;
  const raw = Buffer.concat(p.rows.map((r) => Buffer.concat([Buffer.from([0]), r])));
  return Buffer.concat([Buffer.from("\x89PNG\r\n\x1a\n", "latin1"), chunk("IHDR", head), chunk("IDAT", deflateSync(raw)), chunk("IEND", Buffer.alloc(0))]);
}

/**
 * Cuts a picture to a part of its width, and does something to each row.
 * @param {ReturnType<typeof png>} p
 * @param {number} w
 * @param {number} shift pixels down
 */
function cropped(p, w, shift = 0) {
  const per = ((p.kind === 2 ? 3 : 1) * p.bits) / 8;
  return { ...p, w, rows: p.rows.map((_, y) => p.rows[(y - shift + p.h) % p.h].slice(0, w * per)) };
}

/** @param {import("@playwright/test").Page} page @param {Record<string, Uint8Array>} files */
async function deliver(page, files) {
  const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { file: { name: "a.zip", mimeType: "application/zip", buffer: Buffer.from(zipSync(files, { level: 0 })) } } });
  const { href } = await sent.json();
  await expect.poll(async () => (await (await page.request.get(s.url + href)).json()).state, { timeout: 90_000 }).toBe("sorted");
  return (await (await page.request.get(s.url + href)).json()).sets;
}

/** @param {import("@playwright/test").Page} page @param {number} id @returns {Promise<any>} */
const material = async (page, id) => (await page.request.get(`${s.url}/api/v1/materials/${id}`)).json();
/** @param {import("@playwright/test").Page} page @param {number} id */
const codes = async (page, id) => (await material(page, id)).findings.map((/** @type {any} */ f) => f.code);
/** @param {import("@playwright/test").Page} page @param {number} id */
const made = (page, id) => expect.poll(async () => (await material(page, id)).recipe_state, { timeout: 120_000 }).not.toBe("making");

/** @type {number} */ let id;

test("a set with five faults is found, mended and released", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { files } = scanned(s.dir, ["--sets", "1", "--size", "600"]);
  const names = Object.keys(files);
  const named = (/** @type {string} */ part) => /** @type {string} */ (names.find((n) => n.includes(part)));
  const base = png(files[named("basecolor")]), height = png(files[named("height")]), normal = png(files[named("normal")]);
  const w = Math.round(base.w * 0.83);
  // Cut on one side; a lamp on the colour; a height of 8 bits that lies 9 px too low; a
  // normal map of which some vectors were shortened; roughness at half the size.
  const lit = cropped(base, w);
  for (const [y, row] of lit.rows.entries()) {
    for (let x = 0; x < w; x++) {
      const far = ((x / w - 0.35) ** 2 + (y / lit.h - 0.4) ** 2) * 2.6;
      for (let c = 0; c < 3; c++) row[3 * x + c] = Math.round(row[3 * x + c] / (1 + far) ** (1 / 2.2));
    }
  }
  const low = cropped(height, w, 9);
  const eight = { ...low, bits: 8, rows: low.rows.map((r) => r.filter((_, i) => i % 2 === 0)) };
  const short = cropped(normal, w);
  for (const [y, row] of short.rows.entries()) {
    for (let i = 0; (y / 20) % 4 < 1 && i < row.length; i += 2) {
      const v = Math.round(32768 + ((row[i] << 8 | row[i + 1]) - 32768) * 0.7);
      row[i] = v >> 8;
      row[i + 1] = v & 255;
    }
  }
  const rough = cropped(png(files[named("roughness")]), w);
  const half = { ...rough, w: w >> 1, h: rough.h >> 1, rows: rough.rows.filter((_, y) => y % 2 === 0 && y >> 1 < rough.h >> 1).map((r) => r.filter((_, x) => x % 2 === 0 && x >> 1 < w >> 1)) };
  const [set] = await deliver(page, { "ill/ill_basecolor.png": unpng(lit), "ill/ill_height.png": unpng(eight), "ill/ill_normal.png": unpng(short), "ill/ill_roughness.png": unpng(half), "ill/ill.json": Buffer.from('{"width_m": 1.42}') });
  id = set.material_id;
  const found = set.findings.map((/** @type {any} */ f) => f.code);
  for (const code of ["seam_x", "baked_light", "height_8bit", "maps_shifted", "normal_not_unit", "maps_differ_in_size"]) expect(found).toContain(code);

  await page.goto(`${s.url}/bench/${id}`);
  const findings = page.locator("section", { has: page.locator("#l-findings") });
  // Each is mended by the button beside it; what the light and the shift hid comes after.
  for (const word of ["Align map", "Level light", "Remove 8-bit bands", "Renormalise normals", "Match map sizes", "Close seams"]) {
    await findings.getByRole("button", { name: word }).first().click();
    await expect(page.locator(".toast").first()).toContainText("full maps");
    await made(page, id);
    await expect(findings.getByRole("button", { name: word })).toHaveCount(0, { timeout: 30_000 });
  }
  const m = await material(page, id);
  expect(m.recipe.map((/** @type {any} */ t) => t.kind)).toEqual(["register", "level_light", "unband", "renormalise", "one_size", "close_seams"]);
  for (const code of ["seam_x", "seam_y", "baked_light", "height_8bit", "maps_shifted", "normal_not_unit", "maps_differ_in_size"]) expect(m.findings.map((/** @type {any} */ f) => f.code)).not.toContain(code);
  expect(m.width_m).toBeLessThan(1.42);
  expect(m.recipe[0].says).toMatch(/^Moved height .*(8|9|10) px up\.$/);

  // Before and after on the lens.
  await page.keyboard.press("w");
  await expect(page.locator("[x-model=against]")).toHaveValue("scan");
  await expect(page.locator("input[type=range]")).toBeVisible();

  await page.getByRole("button", { name: "Release…" }).click();
  await page.fill("#notes", "Mended.");
  await page.locator("dialog").getByRole("button", { name: "Release", exact: true }).click();
  await expect(page.locator(".toast").first()).toContainText("Release 1");
  const got = await page.request.get(`${s.url}/api/v1/releases/1/handoff?tier=source`);
  expect(got.ok()).toBe(true);
});

test("one treatment is undone, and redone", async ({ page }) => {
  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${id}`);
  const wide = (await material(page, id)).width_m;
  const treatments = page.locator("section", { has: page.locator("#l-recipe") });
  await expect(treatments.locator("li")).toHaveCount(6);
  await treatments.getByRole("button", { name: "Undo this: Remove 8-bit bands" }).click();
  await expect(treatments.locator("li")).toHaveCount(5);
  await made(page, id);
  expect(await codes(page, id)).toContain("height_8bit");
  expect(await codes(page, id)).not.toContain("maps_shifted");
  await page.locator("#heading [data-way=undo]").click(); // the notice may have gone by now
  await expect(treatments.locator("li")).toHaveCount(6);
  await made(page, id);
  expect(await codes(page, id)).not.toContain("height_8bit");
  expect(Math.abs((await material(page, id)).width_m - wide)).toBeLessThan(1e-6);
  // In another order: the first goes later.
  await treatments.locator("li").first().getByRole("button", { name: "Later" }).click();
  await expect.poll(async () => (await material(page, id)).recipe[0].kind).toBe("level_light");
  // A treatment with figures of its own.
  await treatments.locator("summary").click();
  await treatments.locator("#treat-kind").selectOption("normal_strength");
  await treatments.locator("[name=strength]").fill("0");
  // What is filled in stays when news arrives, with the focus where it was.
  const shown = await material(page, id);
  await page.request.patch(`${s.url}/api/v1/materials/${id}`, { data: { author: "M. Osei" }, headers: { "If-Match": `"${shown.version}"` } });
  await expect(page.getByRole("button", { name: "M. Osei" })).toBeVisible();
  await expect(treatments.locator("[name=strength]")).toBeFocused();
  await expect(treatments.locator("[name=strength]")).toHaveValue("0");
  await treatments.getByRole("button", { name: "Apply treatment" }).click();
  await expect(page.locator(".trouble", { hasText: "factor is above 0" })).toBeVisible();
});

test("a larger tier of the scan gets the same treatments", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const small = scanned(s.dir, ["--sets", "2", "--size", "256", "--seed", "9"]).files, large = scanned(s.dir, ["--sets", "2", "--size", "512", "--seed", "9"]).files;
  const of = (/** @type {Record<string, Uint8Array>} */ files) => Object.fromEntries(Object.entries(files).filter(([n]) => n.includes("rubble")));
  const [set] = await deliver(page, of(small));
  const put = await page.request.post(`${s.url}/api/v1/materials/${set.material_id}/recipe`, { headers: now, data: { kind: "normal_strength", strength: 1.5 } });
  expect(put.ok()).toBe(true);
  await made(page, set.material_id);
  const before = await material(page, set.material_id);
  const [again] = await deliver(page, of(large));
  expect((await page.request.post(`${s.url}/api/v1/materials/${again.material_id}/known`, { headers: now, data: { take: "new_version" } })).ok()).toBe(true);
  await made(page, set.material_id);
  const after = await material(page, set.material_id);
  const normal = (/** @type {any} */ m) => m.maps.find((/** @type {any} */ p) => p.channel === "normal");
  expect(normal(before).width).toBe(256);
  expect(normal(after).width).toBe(512);
  expect(after.recipe).toHaveLength(1);
  expect(Math.abs(after.depth_m / before.depth_m - 1)).toBeLessThan(0.05);
  await page.goto(`${s.url}/bench/${set.material_id}`);
  await expect(page.locator("#chips")).toContainText("treated");
});

test("what stops a release needs a lead's override", async ({ page }) => {
  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/standards`);
  await page.locator("[data-code=seam_x]").selectOption("stop");
  await expect(page.locator(".toast").first()).toContainText("Severity saved");
  await page.fill("[name=name] >> nth=0", "Street level");
  await page.fill("[name=density]", "10.24");
  await page.selectOption("[name=unit]", "100");
  await page.getByRole("button", { name: "Add density" }).click();
  await expect(page.locator("#standards-list")).toContainText("1024");
  const { files } = scanned(s.dir, ["--sets", "2", "--size", "300", "--faults", "seam", "--seed", "3"]);
  const sets = await deliver(page, files);
  const bad = sets.find((/** @type {any} */ x) => x.findings.some((/** @type {any} */ f) => f.code === "seam_x"));
  expect(bad.findings.find((/** @type {any} */ f) => f.code === "seam_x").severity).toBe("stop");

  await enter(page, s.url, "librarian");
  await page.goto(`${s.url}/bench/${bad.material_id}`);
  await expect(page.locator("#ledger")).toContainText("Street level");
  await page.getByRole("button", { name: "Release…" }).click();
  await expect(page.locator("#releasing")).toContainText("ask a lead");
  await expect(page.locator("#releasing").getByRole("button", { name: "Release", exact: true })).toBeDisabled();

  await enter(page, s.url, "lead");
  await page.goto(`${s.url}/bench/${bad.material_id}`);
  await page.getByRole("button", { name: "Release…" }).click();
  await page.locator("dialog").getByRole("button", { name: "Release", exact: true }).click();
  await expect(page.locator("dialog [role=alert]")).toContainText("Give a reason");
  await page.fill("#override", "It is only seen from the quay.");
  await page.locator("dialog").getByRole("button", { name: "Release", exact: true }).click();
  await expect(page.locator(".toast").first()).toContainText("Release 1");
  await enter(page, s.url, "administrator");
  await page.goto(`${s.url}/audit?action=override`);
  await expect(page.locator("body")).toContainText("It is only seen from the quay.");
});

test("gloss that is named roughness is told, and said to be gloss", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const { files } = scanned(s.dir, ["--sets", "2", "--size", "256", "--seed", "9", "--faults", "gloss-as-roughness"]);
  const id = (await deliver(page, files)).find((/** @type {any} */ k) => k.findings?.some((/** @type {any} */ f) => f.code === "roughness_as_gloss"))?.material_id;
  await page.goto(`${s.url}/bench/${id}`);
  const finding = page.locator(".finding", { hasText: "looks like glossiness" });
  await expect(finding).toBeVisible();
  await finding.getByRole("button", { name: "It is glossiness" }).click();
  await expect(page.locator(".toast")).toContainText("Assigned as glossiness");
  await expect(finding).toHaveCount(0);
  await expect(page.locator("[data-chip]", { hasText: "Glossiness" })).toBeVisible();
  expect((await material(page, id)).maps.map((/** @type {any} */ p) => p.channel)).toContain("glossiness");
  // Undone, the doubt is back; said to be roughness, it is left alone for good.
  await page.locator(".toast").getByRole("button", { name: "Undo" }).click();
  await expect(page.locator("[data-chip]", { hasText: "Roughness" })).toBeVisible();
  await finding.getByRole("button", { name: "It is roughness" }).click();
  await expect(page.locator(".toast")).toContainText("Assigned as roughness");
  await expect(finding).toHaveCount(0);
  await page.reload();
  await expect(page.locator("[data-chip]", { hasText: "Roughness" })).toBeVisible();
  await expect(finding).toHaveCount(0);
});

test("a treatment is seen before it is applied, and a refusal says why", async ({ page }) => {
  await enter(page, s.url, "librarian");
  const before = await material(page, id);
  await page.goto(`${s.url}/bench/${id}?map=normal`);
  const lens = page.locator("#lens .mat canvas").first(), looks = () => lens.evaluate((c) => /** @type {HTMLCanvasElement} */ (c).toDataURL());
  await expect(page.locator("#lens .mat[data-settled]")).toBeVisible();
  const plain = await looks();
  const form = page.locator("details.treat"), tried = page.locator("#lens .trial"), says = form.getByRole("status");
  await form.locator("summary").click();
  await form.getByLabel("Treatment").selectOption("normal_strength");
  await form.getByLabel("Strength").fill("3");
  await expect(tried).toHaveText("Preview, not applied");
  await expect(says).toContainText("3");
  await expect.poll(looks).not.toBe(plain);
  const strong = await looks();
  await form.getByLabel("Strength").fill("1.5");
  await expect(says).toContainText("1.5");
  await expect.poll(looks).not.toBe(strong);
  // On a map that it leaves alone, the one that it changes is shown, and named.
  await page.locator(".chip", { hasText: "Roughness" }).click();
  await expect(tried).toHaveText("Preview of normal, not applied");
  // What can't be done is said before it is asked for; the lens shows the map again.
  await form.getByLabel("Treatment").selectOption("close_seams");
  await form.getByLabel("Maximum overlap").fill("80 %");
  await expect(tried).toBeHidden();
  await expect(says).not.toBeEmpty();
  await form.getByLabel("Treatment").selectOption("normal_strength");
  await expect(tried).toBeVisible();
  await form.locator("summary").click();
  await expect(tried).toBeHidden();
  await page.locator(".chip", { hasText: "Normal" }).click();
  await expect.poll(looks).toBe(plain);
  expect((await material(page, id)).recipe).toEqual(before.recipe);
});
