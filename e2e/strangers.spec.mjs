// @ts-check
// Strangers' files: what was made of each name, in the API and on the page.
import { expect, test } from "@playwright/test";
import { zipSync } from "fflate";
import { enter, studio } from "./studio.mjs";
import { strangers } from "./strangers.mjs";

test("a delivery of strangers' files is sorted as a librarian would", async ({ page }) => {
  const s = await studio();
  try {
    const { files, sets } = strangers(s.dir, 128);
    await enter(page, s.url, "librarian");
    const sent = await page.request.post(`${s.url}/api/v1/deliveries`, { multipart: { name: "Loose ends", file: { name: "loose.zip", mimeType: "application/zip", buffer: Buffer.from(zipSync(files, { level: 0 })) } } });
    const { href } = await sent.json();
    /** @type {any} */
    let d;
    await expect.poll(async () => (d = await (await page.request.get(s.url + href)).json()).state, { timeout: 60_000 }).toBe("sorted");
    const sorted = (/** @type {Record<string, string>} */ o) => JSON.stringify(Object.entries(o).sort());
    const got = d.sets.map((/** @type {any} */ set) => sorted(Object.fromEntries(set.maps.map((/** @type {any} */ m) => [m.file, m.channel]))));
    for (const [name, want] of Object.entries(sets)) expect(got, name).toContain(sorted(want));
    expect(d.sets.length).toBe(Object.keys(sets).length);

    // The page says of a shared map whose it is.
    await page.goto(s.url + href.replace("/api/v1/deliveries", "/intake"));
    await page.locator("[data-filter]").fill("reed");
    await expect(page.locator("tr[data-set]").first()).toContainText("Reed");
    for (const tab of ["check", "ready"]) {
      if (await page.getByRole("link", { name: "Reed a", exact: true }).isVisible()) break;
      await page.locator(`[data-tab=${tab}]`).click();
      await expect(page.locator(`[data-tab=${tab}]`)).toHaveAttribute("aria-current", "page");
    }
    const row = page.locator("tr[data-set]", { has: page.getByRole("link", { name: "Reed a", exact: true }) });
    await row.locator("td[data-column=normal] .cell").click();
    await expect(page.getByText(/Shared with reed, of which this is a variant/)).toBeVisible();
  } finally {
    await s.stop();
  }
});
