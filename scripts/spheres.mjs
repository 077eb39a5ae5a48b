// @ts-check
// Renders the station's scans twice under even light: as spheres of our own, straight from the scans, and in three.js
// from the glTF that profiles write. Prints the mean CIEDE2000 difference of each pair.
// The loader, the textures' transforms and the maths of the other renderer are thus all held against the files.
import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";

const root = new URL("..", import.meta.url), binary = new URL("bin/aldermoor", root).pathname;
const dir = mkdtempSync(join(tmpdir(), "aldermoor-spheres-")), px = 256;
const kinds = /** @type {Record<string, string>} */ ({ js: "text/javascript", png: "image/png", jpg: "image/jpeg", html: "text/html" });
const shell = `<!doctype html><script type="importmap">{"imports":{"three":"/node_modules/three/build/three.module.js","three/addons/":"/node_modules/three/examples/jsm/"}}</script>`;

const browser = await chromium.launch({ executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium", args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"] });
let worst = 0;
try {
  execFileSync(binary, ["station", "--out", join(dir, "scans"), "--sets", "10", "--size", "512", "--seed", "3"], { stdio: "ignore" });
  const scans = readdirSync(join(dir, "scans"), { withFileTypes: true }).filter((e) => e.isDirectory()).map((e) => e.name).sort();
  const page = await browser.newPage();
  await page.route("http://spheres.test/**", (route) => {
    const path = decodeURIComponent(new URL(route.request().url()).pathname).slice(1);
    if (path === "") return route.fulfill({ contentType: "text/html", body: shell });
    const at = path.startsWith("out/") ? join(dir, path) : new URL(path, root).pathname;
    return existsSync(at) ? route.fulfill({ contentType: kinds[path.split(".").pop() ?? ""] ?? "application/octet-stream", body: readFileSync(at) }) : route.fulfill({ status: 404 });
  });
  page.on("pageerror", (e) => console.log(e.message));
  await page.goto("http://spheres.test/");
  for (const scan of scans) {
    for (const profile of ["real_time_packed", "web_small"]) {
      const out = join(dir, "out", profile);
      execFileSync(binary, ["convert", join(dir, "scans", scan), "--profile", profile, "--tier", "1k", "--out", out], { stdio: "ignore" });
      const folder = readdirSync(out, { withFileTypes: true }).find((e) => e.isDirectory())?.name ?? "";
      const about = JSON.parse(readFileSync(join(out, folder, "material.json"), "utf8")), [w, h] = [about.size_m?.width_m ?? 1, about.size_m?.height_m ?? 1];
      execFileSync(binary, ["render", join(dir, "scans", scan), "--out", join(out, "own.png"), "--px", String(px), "--env", "neutral", "--tone", "none", "--no-relief", "--pitch", "0", "--extent", String(w), "--texture", "4096", "--quality", "reference", "--samples", "64"], { stdio: "ignore" });
      const gltf = readdirSync(join(out, folder)).find((f) => f.endsWith(".gltf"));
      const d = await page.evaluate(sphere, { own: `/out/${profile}/own.png`, gltf: `/out/${profile}/${folder}/${gltf}`, w, h, px });
      worst = Math.max(worst, d);
      console.log(`${scan.padEnd(20)} ${profile.padEnd(18)} ΔE ${d.toFixed(2)}`);
      rmSync(join(out, folder), { recursive: true });
    }
  }
} finally {
  await browser.close();
  rmSync(dir, { recursive: true, force: true });
}
console.log(`largest mean difference ΔE ${worst.toFixed(2)}`);
process.exit(worst > 6 ? 1 : 0);

/**
 * In the page: draws the sphere with the glTF's material, and compares.
 * @param {{own: string, gltf: string, w: number, h: number, px: number}} of
 */
async function sphere({ own, gltf, w, h, px }) {
  // @ts-ignore resolved by the page's import map
  const T = await import("three");
  // @ts-ignore
  const { GLTFLoader } = await import("three/addons/loaders/GLTFLoader.js");
  // @ts-ignore
  const { lab, difference } = await import("/internal/web/static/js/likeness.js");
  /** @type {any} */ let mesh;
  (await new GLTFLoader().loadAsync(gltf)).scene.traverse((/** @type {any} */ o) => o.isMesh && (mesh = o));
  // How many units of the document's UVs one repeat takes, from its own rectangle.
  const uv = mesh.geometry.attributes.uv, across = Math.max(...[0, 1, 2, 3].map((i) => uv.getX(i))), down = Math.max(...[0, 1, 2, 3].map((i) => uv.getY(i)));
  const n = 192, rows = 96, r = w / 2, place = [], normal = [], at = [], index = [];
  for (let j = 0; j <= rows; j++) for (let i = 0; i <= n; i++) {
    const lon = (i / n - 0.5) * 2 * Math.PI, up = (0.5 - j / rows) * Math.PI, k = [Math.sin(lon) * Math.cos(up), Math.sin(up), Math.cos(lon) * Math.cos(up)];
    normal.push(...k);
    place.push(...k.map((v) => v * r));
    at.push(((r * lon) / w + 0.5) * across, ((-r * up) / h + 0.5) * down);
    if (i < n && j < rows) {
      const a = j * (n + 1) + i, b = a + n + 1;
      index.push(a, b, a + 1, a + 1, b, b + 1);
    }
  }
  const g = new T.BufferGeometry();
  for (const [name, list, size] of /** @type {[string, number[], number][]} */ ([["position", place, 3], ["normal", normal, 3], ["uv", at, 2]])) g.setAttribute(name, new T.Float32BufferAttribute(list, size));
  g.setIndex(index);
  const renderer = new T.WebGLRenderer({ alpha: true, antialias: true, preserveDrawingBuffer: true });
  renderer.setSize(px, px, false);
  const room = new T.Scene();
  room.add(new T.Mesh(new T.SphereGeometry(10, 16, 8), new T.MeshBasicMaterial({ color: 0xffffff, side: T.BackSide, toneMapped: false })));
  const scene = new T.Scene();
  scene.environment = new T.PMREMGenerator(renderer).fromScene(room).texture;
  mesh.material.vertexTangents = false;
  for (const t of Object.values(mesh.material)) if (/** @type {any} */ (t)?.isTexture) /** @type {any} */ (t).anisotropy = 4;
  scene.add(new T.Mesh(g, mesh.material));
  const camera = new T.PerspectiveCamera(20, 1, 0.01, 1000);
  camera.position.z = (r * 1.05) / Math.sin((10 * Math.PI) / 180);
  renderer.render(scene, camera);
  const read = (/** @type {CanvasImageSource} */ im) => {
    const c = new OffscreenCanvas(px, px), x = /** @type {OffscreenCanvasRenderingContext2D} */ (c.getContext("2d"));
    x.drawImage(im, 0, 0);
    return x.getImageData(0, 0, px, px).data;
  };
  const image = new Image();
  image.src = own;
  await image.decode();
  const a = read(image), b = read(renderer.domElement);
  let sum = 0, count = 0;
  for (let i = 0; i < a.length; i += 4) {
    if (a[i + 3] < 255 || b[i + 3] < 255) continue;
    sum += difference(lab(a[i], a[i + 1], a[i + 2]), lab(b[i], b[i + 1], b[i + 2]));
    count++;
  }
  renderer.dispose();
  return count > px * px * 0.4 ? sum / count : Infinity;
}
