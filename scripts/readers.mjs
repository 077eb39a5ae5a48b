// @ts-check
// Holds what `aldermoor convert` writes against other programs: every profile of the station's scans. gltf-validator
// must find no errors and no warnings, oiiotool must read each file as material.json says, and sha256sum must agree.
// Needs Debian's openimageio-tools. Prints what is wrong, and how much was read.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import validator from "gltf-validator";

const binary = new URL("../bin/aldermoor", import.meta.url).pathname;
const dir = mkdtempSync(join(tmpdir(), "aldermoor-readers-")), out = join(dir, "out");
const profiles = ["as_scanned", "real_time_packed", "film_linear", "archviz_8_bit", "web_small", "game_y_minus"];
let files = 0, documents = 0, wrong = 0;
const complain = (/** @type {unknown[]} */ ...what) => {
  wrong++;
  console.log(...what);
};
try {
  execFileSync(binary, ["station", "--out", join(dir, "scans"), "--sets", "10", "--size", "512", "--seed", "3"], { stdio: "ignore" });
  for (const p of profiles) execFileSync(binary, ["convert", join(dir, "scans"), "--profile", p, "--tier", "1k", "--out", out], { stdio: "ignore" });
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
console.log(`${files} files, ${documents} glTF documents, ${wrong} wrong`);
process.exit(wrong ? 1 : 0);
