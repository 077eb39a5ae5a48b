// @ts-check
// Renders the station's scans under even light: as spheres of our own, straight from the scans, and in three.js from
// the glTF, MaterialX and USD that profiles write. Prints the mean CIEDE2000 difference of each pair.
// The loaders, the textures' transforms and the maths of the other renderer are thus all held against the files.
import { execFileSync } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";

const root = new URL("..", import.meta.url), binary = new URL("bin/aldermoor", root).pathname;
const dir = mkdtempSync(join(tmpdir(), "aldermoor-spheres-")), px = 256;
/** Which profiles, and which of their descriptions. @type {[string, string[]][]} */
const profiles = [["as_scanned", ["gltf", "mtlx", "usda"]], ["real_time_packed", ["gltf"]], ["web_small", ["gltf"]], ["archviz_8_bit", ["mtlx"]]];
const kinds = /** @type {Record<string, string>} */ ({ js: "text/javascript", png: "image/png", jpg: "image/jpeg", html: "text/html" });
const shell = `<!doctype html><script type="importmap">{"imports":{"three":"/node_modules/three/build/three.module.js","three/webgpu":"/node_modules/three/build/three.webgpu.js","three/tsl":"/node_modules/three/build/three.tsl.js","three/addons/":"/node_modules/three/examples/jsm/"}}</script>`;

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
    for (const [profile, endings] of profiles) {
      const out = join(dir, "out", profile);
      execFileSync(binary, ["convert", join(dir, "scans", scan), "--profile", profile, "--tier", "1k", "--out", out], { stdio: "ignore" });
      const folder = readdirSync(out, { withFileTypes: true }).find((e) => e.isDirectory())?.name ?? "";
      const about = JSON.parse(readFileSync(join(out, folder, "material.json"), "utf8")), [w, h] = [about.size_m?.width_m ?? 1, about.size_m?.height_m ?? 1];
      const render = (/** @type {string} */ of, /** @type {string} */ to) => execFileSync(binary, ["render", of, "--out", to, "--px", String(px), "--env", "neutral", "--tone", "none", "--no-relief", "--pitch", "0", "--extent", String(w), "--texture", "4096", "--quality", "reference", "--samples", "64"], { stdio: "ignore" });
      if (profile === profiles[0][0]) {
        render(join(dir, "scans", scan), join(dir, "out", "own.png"));
        // MaterialX's surfaces know no occlusion: path tracers find it by themselves.
        const open = join(dir, "open");
        cpSync(join(out, folder), open, { recursive: true, filter: (file) => !file.includes("occlusion") });
        render(open, join(dir, "out", "open.png"));
        rmSync(open, { recursive: true });
      }
      const seen = [];
      for (const ending of endings) {
        const document = readdirSync(join(out, folder)).find((f) => f.endsWith(`.${ending}`));
        const metres = (ending === "gltf" ? about.conventions.uv : about.conventions.uv.split("and USD: ").pop()) === "metres";
        const d = await page.evaluate(sphere, { own: ending === "mtlx" ? "/out/open.png" : "/out/own.png", document: `/out/${profile}/${folder}/${document}`, ending, metres, w, h, px });
        worst = Math.max(worst, d);
        seen.push(`${ending} ${d.toFixed(2)}`);
      }
      console.log(`${scan.padEnd(20)} ${profile.padEnd(18)} ΔE ${seen.join(", ")}`);
      rmSync(join(out, folder), { recursive: true });
    }
  }
  // Surfaces of figures alone. What has to be seen through is compared by what the reader made of it: its own pictures of that are rough.
  execFileSync("go", ["test", "-count=1", "-run", "WriteSpheres", "./cmd/aldermoor"], { cwd: root.pathname, stdio: "ignore", env: { ...process.env, ALDERMOOR_SPHERES: join(dir, "out") } });
  for (const [name, want] of Object.entries(/** @type {Record<string, Record<string, Record<string, number>>>} */ ({
    constants: {}, metal: {}, coat: {}, emission: {},
    opacity: { gltf: { opacity: 0.5, transparent: 1, alphaTest: 0 }, usda: { opacity: 0.5, alphaTest: 0 } },
    transmission: { gltf: { transmission: 0.8, ior: 1.3 }, usda: { ior: 1.3 } },
  }))) {
    const seen = [];
    for (const ending of ["gltf", "mtlx", "usda"]) {
      const document = `/out/${name}/${name}.${ending}`;
      if (Object.keys(want).length === 0) {
        const d = await page.evaluate(sphere, { own: `/out/${name}/own.png`, document, ending, metres: ending !== "gltf", w: 1, h: 1, px });
        worst = Math.max(worst, d);
        seen.push(`${ending} ${d.toFixed(2)}`);
      } else if (want[ending]) {
        const is = await page.evaluate(figures, { document, ending, keys: Object.keys(want[ending]) });
        for (const [key, v] of Object.entries(want[ending])) {
          if (!(Math.abs(is[key] - v) < 0.001)) worst = Infinity;
          seen.push(`${ending} ${key} ${is[key]}`);
        }
      }
    }
    console.log(`${name.padEnd(20)} ${"figures".padEnd(18)} ${Object.keys(want).length ? "" : "ΔE "}${seen.join(", ")}`);
  }
} finally {
  await browser.close();
  rmSync(dir, { recursive: true, force: true });
}
console.log(`largest mean difference ΔE ${worst.toFixed(2)}`);
process.exit(worst > 6 ? 1 : 0);

/**
 * In the page: what the reader made of a description, as numbers.
 * @param {{document: string, ending: string, keys: string[]}} of
 * @returns {Promise<Record<string, number>>}
 */
async function figures({ document: name, ending, keys }) {
  // @ts-ignore resolved by the page's import map
  const loader = ending === "gltf" ? new (await import("three/addons/loaders/GLTFLoader.js")).GLTFLoader() : new (await import("three/addons/loaders/USDLoader.js")).USDLoader();
  const got = await loader.loadAsync(name);
  /** @type {any} */ let material;
  (got.scene ?? got).traverse((/** @type {any} */ o) => o.isMesh && (material = o.material));
  return Object.fromEntries(keys.map((k) => [k, Number(material[k])]));
}

/**
 * In the page: draws the sphere with the document's material, and compares.
 * @param {{own: string, document: string, ending: string, metres: boolean, w: number, h: number, px: number}} of
 */
async function sphere({ own, document: name, ending, metres, w, h, px }) {
  const nodes = ending === "mtlx"; // its loader makes materials for the newer renderer
  // @ts-ignore resolved by the page's import map
  const T = await import(nodes ? "three/webgpu" : "three");
  // @ts-ignore
  const { lab, difference } = await import("/internal/web/static/js/likeness.js");
  const load = async () => {
    const manager = new T.LoadingManager(), whole = new Promise((done) => (manager.onLoad = () => done(null)));
    // @ts-ignore
    const loader = ending === "gltf" ? new (await import("three/addons/loaders/GLTFLoader.js")).GLTFLoader(manager) : ending === "mtlx" ? new (await import("three/addons/loaders/MaterialXLoader.js")).MaterialXLoader(manager) : new (await import("three/addons/loaders/USDLoader.js")).USDLoader(manager);
    // @ts-ignore
    manager.addHandler(/\.exr$/, new (await import("three/addons/loaders/EXRLoader.js")).EXRLoader(manager));
    const got = await (nodes ? loader.loadAsync(name, { uvSpace: "top-left" }) : loader.loadAsync(name)); // pictures begin at their top
    await whole;
    if (nodes) return Object.values(got.materials)[0];
    /** @type {any} */ let mesh;
    (got.scene ?? got).traverse((/** @type {any} */ o) => o.isMesh && (mesh = o));
    return mesh.material;
  };
  const material = await load();
  // Coordinates from the lower left corner of the repeat in the middle, in the document's unit. glTF counts v from the top, and the MaterialX loader expects that of meshes.
  const [across, down] = metres ? [w, h] : [1, 1], n = 192, rows = 96, r = w / 2, place = [], normal = [], tangent = [], at = [], index = [];
  for (let j = 0; j <= rows; j++) for (let i = 0; i <= n; i++) {
    const lon = (i / n - 0.5) * 2 * Math.PI, up = (0.5 - j / rows) * Math.PI, k = [Math.sin(lon) * Math.cos(up), Math.sin(up), Math.cos(lon) * Math.cos(up)];
    normal.push(...k);
    place.push(...k.map((v) => v * r));
    tangent.push(Math.cos(lon), 0, -Math.sin(lon), 1);
    const v = (r * up) / h + 0.5;
    at.push(((r * lon) / w + 0.5) * across, ending === "usda" ? v * down : ending === "mtlx" ? 1 - v * down : (1 - v) * down);
    if (i < n && j < rows) {
      const a = j * (n + 1) + i, b = a + n + 1;
      index.push(a, b, a + 1, a + 1, b, b + 1);
    }
  }
  const g = new T.BufferGeometry();
  for (const [name, list, size] of /** @type {[string, number[], number][]} */ ([["position", place, 3], ["normal", normal, 3], ["tangent", tangent, 4], ["uv", at, 2]])) g.setAttribute(name, new T.Float32BufferAttribute(list, size));
  g.setIndex(index);
  const renderer = nodes ? new T.WebGPURenderer({ alpha: true, antialias: true, forceWebGL: true }) : new T.WebGLRenderer({ alpha: true, antialias: true, preserveDrawingBuffer: true });
  renderer.setSize(px, px, false);
  if (nodes) await renderer.init();
  renderer.setClearColor(0, 0);
  const room = new T.Scene();
  room.add(new T.Mesh(new T.SphereGeometry(10, 16, 8), new T.MeshBasicMaterial({ color: 0xffffff, side: T.BackSide, toneMapped: false })));
  const scene = new T.Scene();
  scene.environment = new T.PMREMGenerator(renderer).fromScene(room).texture;
  material.vertexTangents = false;
  for (const t of Object.values(material)) if (/** @type {any} */ (t)?.isTexture) /** @type {any} */ (t).anisotropy = 4;
  scene.add(new T.Mesh(g, material));
  const camera = new T.PerspectiveCamera(20, 1, 0.01, 1000);
  camera.position.z = (r * 1.05) / Math.sin((10 * Math.PI) / 180);
  if (nodes) await renderer.renderAsync(scene, camera);
  else renderer.render(scene, camera);
  const read = (/** @type {CanvasImageSource} */ im) => {
    const c = new OffscreenCanvas(px, px), x = /** @type {OffscreenCanvasRenderingContext2D} */ (c.getContext("2d"));
    x.drawImage(im, 0, 0);
    return x.getImageData(0, 0, px, px).data;
  };
  const b = read(renderer.domElement), image = new Image();
  image.src = own;
  await image.decode();
  const a = read(image);
  let sum = 0, count = 0;
  for (let i = 0; i < a.length; i += 4) {
    if (a[i + 3] < 255 || b[i + 3] < 255) continue;
    sum += difference(lab(a[i], a[i + 1], a[i + 2]), lab(b[i], b[i + 1], b[i + 2]));
    count++;
  }
  renderer.dispose();
  return count > px * px * 0.4 ? sum / count : Infinity;
}
