// @ts-check
// A studio of its own for a test: the real binary on a fresh folder.
import { execFileSync, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, relative } from "node:path";
import { zipSync } from "fflate";

export const binary = new URL("../bin/aldermoor", import.meta.url).pathname;
export const password = "a password for tests";

/** Headers of a write to a thing as it is, whatever was seen of it. */
export const now = { "If-Match": "*" };

/** Starts a server with a librarian and an artist. */
export async function studio() {
  const dir = mkdtempSync(join(tmpdir(), "aldermoor-e2e-"));
  const data = join(dir, "data");
  const drop = join(dir, "drop");
  mkdirSync(drop);
  /** @type {import("node:child_process").ChildProcess} */ let child;
  /** @returns {Promise<string>} */
  const start = () => new Promise((ok, no) => {
    child = spawn(binary, ["serve", "--data", data, "--addr", "127.0.0.1:0", "--watch-root", drop], { stdio: ["ignore", "pipe", "inherit"] });
    let text = "";
    child.stdout?.on("data", (d) => {
      text += d;
      const m = text.match(/http:\/\/\S+/);
      if (m) ok(m[0]);
    });
    child.on("exit", (code) => no(new Error(`the server ended with ${code}`)));
  });
  const halt = async () => {
    const ended = new Promise((ok) => child.once("exit", ok));
    child.kill("SIGTERM");
    await ended;
  };
  const url = await start();
  for (const role of ["librarian", "artist", "administrator"]) {
    execFileSync(binary, ["user", "add", "--data", data, "--user", role, "--role", role], { input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
  }
  return {
    url: String(url),
    dir,
    data,
    drop,
    halt,
    /** Starts a server that was halted; its address is another one. */
    async start() {
      this.url = await start();
    },
    async stop() {
      await halt();
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

/**
 * Waits until the pictures and fonts in sight are there.
 * @param {import("@playwright/test").Page} page
 */
export async function pictured(page) {
  await page.evaluate(() => document.fonts.ready.then(() => {}));
  await page.waitForFunction(() => [...document.images].every((i) => {
    const at = i.getBoundingClientRect();
    return i.complete || at.bottom < 0 || at.top > innerHeight || !i.checkVisibility();
  }));
}

/**
 * Signs in by the page.
 * @param {import("@playwright/test").Page} page
 * @param {string} url
 * @param {string} name
 */
export async function enter(page, url, name) {
  // Answers that are still on their way bring the last session's cookie back: it is ended
  // first, and what comes back all the same is cleared once more.
  for (let i = 0; i < 5; i++) {
    await page.goto("about:blank");
    if ((await page.context().cookies()).length) await page.request.post(`${url}/sign-out`);
    await page.context().clearCookies();
    await page.goto(`${url}/`);
    if (await page.locator("#name").isVisible()) break;
  }
  await page.fill("#name", name);
  await page.fill("#password", password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.waitForURL(/\/(intake|library)/);
}

/**
 * Lets the station scan, and zips what it wrote.
 * @param {string} dir
 * @param {string[]} args
 */
export function scanned(dir, args) {
  const out = mkdtempSync(join(dir, "scan-"));
  execFileSync(binary, ["station", "--out", out, ...args], { stdio: "ignore" });
  /** @type {Record<string, Uint8Array>} */
  const files = {};
  const walk = (/** @type {string} */ at) => {
    for (const name of readdirSync(at)) {
      const p = join(at, name);
      if (statSync(p).isDirectory()) walk(p);
      else files[relative(out, p)] = new Uint8Array(readFileSync(p));
    }
  };
  walk(out);
  return { files, zip: Buffer.from(zipSync(files, { level: 0 })) };
}

/**
 * Sends one file or archive and waits until it is sorted.
 * @param {import("@playwright/test").APIRequestContext} request of somebody who may
 * @param {string} url of the studio
 * @param {string} name @param {string} mimeType @param {Buffer} buffer
 * @returns {Promise<any[]>} its sets
 */
export async function sorted(request, url, name, mimeType, buffer) {
  const sent = await request.post(`${url}/api/v1/deliveries`, { multipart: { file: { name, mimeType, buffer } } });
  if (!sent.ok()) throw new Error(`${name}: ${await sent.text()}`);
  const { href } = await sent.json();
  for (const end = Date.now() + 90_000; Date.now() < end; await new Promise((done) => setTimeout(done, 200))) {
    const d = await (await request.get(url + href)).json();
    if (d.state === "sorted") return d.sets;
  }
  throw new Error(`${name} is not sorted after 90 s.`);
}

/** A picture of colour alone, as a delivery of its own. @param {import("@playwright/test").APIRequestContext} request @param {{url: string, dir: string}} s @returns {Promise<any>} its one set */
export async function colourAlone(request, { url, dir }) {
  const { files } = scanned(dir, ["--sets", "3", "--size", "128"]);
  const [, colour] = Object.entries(files).find(([n]) => n.endsWith("_basecolor.png")) ?? ["", new Uint8Array()];
  return (await sorted(request, url, "sail_cloth.png", "image/png", Buffer.from(colour)))[0];
}
