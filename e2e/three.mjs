// @ts-check
// Opens a handoff's glTF and MaterialX with a renderer's own loaders, in a page
// that serves that library and the handoff's files to itself.
import { existsSync, readFileSync } from "node:fs";

const library = new URL("../node_modules/three/", import.meta.url);
const kinds = { js: "text/javascript", json: "application/json", png: "image/png", gltf: "model/gltf+json", mtlx: "application/xml", html: "text/html" };

const shell = `<!doctype html><script type="importmap">{"imports":{
"three":"/three/build/three.module.js","three/webgpu":"/three/build/three.webgpu.js","three/tsl":"/three/build/three.tsl.js","three/addons/":"/three/examples/jsm/"}}</script>`;

/**
 * @param {import("@playwright/test").Page} page
 * @param {Record<string, Uint8Array>} files
 * @param {string} folder
 */
export async function loadDescriptions(page, files, folder) {
  const tab = await page.context().newPage();
  /** @type {string[]} */
  const problems = [];
  tab.on("console", (m) => ["error", "warning"].includes(m.type()) && !/WebGPU|GPU stall/.test(m.text()) && problems.push(m.text()));
  tab.on("pageerror", (e) => problems.push(e.message));
  await tab.route("http://handoff.test/**", (route) => {
    const path = decodeURIComponent(new URL(route.request().url()).pathname).slice(1);
    const type = kinds[/** @type {keyof typeof kinds} */ (path.split(".").pop() ?? "")] ?? "application/octet-stream";
    if (path === "") return route.fulfill({ contentType: "text/html", body: shell });
    if (path.startsWith("three/")) {
      const at = new URL(path.slice(6), library);
      return existsSync(at) ? route.fulfill({ contentType: type, body: readFileSync(at) }) : route.fulfill({ status: 404 });
    }
    const body = files[path];
    return body ? route.fulfill({ contentType: type, body: Buffer.from(body) }) : route.fulfill({ status: 404 });
  });
  await tab.goto("http://handoff.test/");
  const name = Object.keys(files).find((f) => f.endsWith(".gltf"));
  const seen = await tab.evaluate(async ([gltf, mtlx]) => {
    // @ts-ignore resolved by the page's import map
    const { GLTFLoader } = await import("three/addons/loaders/GLTFLoader.js");
    // @ts-ignore
    const { MaterialXLoader } = await import("three/addons/loaders/MaterialXLoader.js");
    const scene = (await new GLTFLoader().loadAsync(gltf)).scene;
    /** @type {any} */ let mesh;
    scene.traverse((/** @type {any} */ o) => o.isMesh && (mesh = o));
    mesh.geometry.computeBoundingBox();
    const { min, max } = mesh.geometry.boundingBox;
    const maps = ["map", "normalMap", "roughnessMap", "metalnessMap", "aoMap", "emissiveMap"].filter((k) => mesh.material[k]?.image?.width > 0);
    const described = Object.values((await new MaterialXLoader().loadAsync(mtlx)).materials);
    const material = /** @type {any} */ (described[0]);
    return {
      gltf: { maps, repeat: mesh.material.map.repeat.toArray(), extent: [max.x - min.x, max.y - min.y] },
      materialx: { nodes: Object.keys(material).filter((k) => k.endsWith("Node") && material[k]) },
    };
  }, [`/${name}`, `/${name?.replace(".gltf", ".mtlx")}`]);
  await tab.close();
  return { ...seen, problems, folder };
}
