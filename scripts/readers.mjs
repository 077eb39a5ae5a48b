// @ts-check
// Holds what profiles write against other programs: every profile of the station's scans, and of ten kinds of material
// that core/handoff's tests make. gltf-validator must find no errors and no warnings, oiiotool must read each file as
// material.json says, and sha256sum must agree. Needs Debian's openimageio-tools. With MATERIALX, the folder of the
// standard's own library built for JavaScript (JsMaterialXGenShader.cjs, .wasm and .data), that library must find each
// MaterialX document valid, and generate shaders of it. Prints what is wrong, and how much was read.
import { execFileSync } from "node:child_process";
import { createRequire } from "node:module";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import validator from "gltf-validator";

const binary = new URL("../bin/aldermoor", import.meta.url).pathname;
const dir = mkdtempSync(join(tmpdir(), "aldermoor-readers-")), out = join(dir, "out");
const profiles = ["as_scanned", "real_time_packed", "film_linear", "archviz_8_bit", "web_small", "game_y_minus"];
let files = 0, documents = 0, shaders = 0, wrong = 0;
const complain = (/** @type {unknown[]} */ ...what) => {
  wrong++;
  console.log(...what);
};
const home = process.env.MATERIALX;
const mx = home ? await createRequire(import.meta.url)(join(home, "JsMaterialXGenShader.cjs"))({ locateFile: (/** @type {string} */ f) => join(home, f) }) : null;

/** @param {string} where @param {string} text */
async function materialX(where, text) {
  const doc = mx.createDocument();
  await mx.readFromXmlString(doc, text);
  for (const kind of ["EsslShaderGenerator", "GlslShaderGenerator", "OslShaderGenerator", "MdlShaderGenerator", "MslShaderGenerator"]) {
    try {
      const generator = mx[kind].create(), context = new mx.GenContext(generator), standard = mx.loadStandardLibraries(context);
      if (kind.startsWith("Essl")) {
        doc.setDataLibrary(standard);
        if (doc.validate() !== true) complain(where, "MaterialX finds it not valid");
      }
      const element = mx.findRenderableElement(doc);
      if (generator.generate(element.getNamePath(), element, context).getSourceCode("pixel").length < 1000) throw new Error("no shader");
      shaders++;
    } catch (e) {
      complain(where, kind, String(e));
    }
  }
}

try {
  execFileSync(binary, ["station", "--out", join(dir, "scans"), "--sets", "10", "--size", "512", "--seed", "3"], { stdio: "ignore" });
  for (const p of profiles) execFileSync(binary, ["convert", join(dir, "scans"), "--profile", p, "--tier", "1k", "--out", out], { stdio: "ignore" });
  execFileSync("go", ["test", "-count=1", "-run", "TestProfilesOfEveryMaterial", "./core/handoff"], { stdio: "ignore", cwd: new URL("..", import.meta.url).pathname, env: { ...process.env, ALDERMOOR_KEEP: out } });
  for (const folder of readdirSync(out).sort()) {
    const at = join(out, folder);
    try {
      execFileSync("sha256sum", ["-c", "--quiet", "CHECKSUMS.sha256"], { cwd: at, stdio: "pipe" });
    } catch (e) {
      complain(folder, "checksums", String(e));
    }
    for (const f of readdirSync(at).filter((n) => /\.(gltf|glb)$/.test(n))) {
      documents++;
      const report = await validator.validateBytes(new Uint8Array(readFileSync(join(at, f))), { externalResourceFunction: async (/** @type {string} */ uri) => new Uint8Array(readFileSync(join(at, uri))) });
      if (report.issues.numErrors || report.issues.numWarnings) complain(folder, f, JSON.stringify(report.issues.messages.slice(0, 3)));
    }
    for (const f of mx ? readdirSync(at).filter((n) => n.endsWith(".mtlx")) : []) await materialX(`${folder} ${f}`, readFileSync(join(at, f), "utf8"));
    for (const m of JSON.parse(readFileSync(join(at, "material.json"), "utf8")).maps) {
      files++;
      const text = execFileSync("oiiotool", ["--info", "-v", join(at, m.file)], { encoding: "utf8" });
      const [, w, h, n, type] = text.match(/(\d+) x\s+(\d+), (\d) channel, (\w+)/) ?? [];
      const want = m.float ? { 16: "half", 32: "float" }[/** @type {16 | 32} */ (m.bits)] : `uint${m.bits}`;
      if (Number(w) !== m.width || Number(h) !== m.height || type !== want || m.holds && Number(n) !== m.holds.length) complain(m.file, w, h, n, type, "instead of", m.width, m.height, want);
    }
  }
} finally {
  rmSync(dir, { recursive: true, force: true });
}
console.log(`${files} files, ${documents} glTF documents, ${shaders} shaders from MaterialX, ${wrong} wrong`);
process.exit(wrong ? 1 : 0);
