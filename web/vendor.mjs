// Copies what pages need from the pinned packages into the embedded static files:
// fonts, icons, and the script libraries. Nothing is fetched at run time.
import { execFileSync } from "node:child_process";
import ts from "typescript";
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";

const to = "internal/web/static";
for (const dir of ["fonts", "icons", "vendor"]) mkdirSync(`${to}/${dir}`, { recursive: true });

for (const name of ["hanken-grotesk", "jetbrains-mono"]) {
  copyFileSync(`node_modules/@fontsource-variable/${name}/files/${name}-latin-wght-normal.woff2`, `${to}/fonts/${name}.woff2`);
}
// Headings have two weights, each a file of half the size of the one with all weights.
for (const weight of [400, 600]) {
  for (const [name, letters] of [["bricolage-grotesque", "latin"], ["bricolage-grotesque-ext", "latin-ext"]]) {
    copyFileSync(`node_modules/@fontsource/bricolage-grotesque/files/bricolage-grotesque-${letters}-${weight}-normal.woff2`, `${to}/fonts/${name}-${weight}.woff2`);
  }
}
// Letters beyond Latin's first two blocks, loaded only by pages that have them. Two of the families
// have no Cyrillic: there another one stands in.
for (const [name, from] of [
  ["hanken-grotesk-ext", "hanken-grotesk/files/hanken-grotesk-latin-ext"],
  ["jetbrains-mono-ext", "jetbrains-mono/files/jetbrains-mono-latin-ext"],
  ["jetbrains-mono-cyrillic", "jetbrains-mono/files/jetbrains-mono-cyrillic"],
  ["golos-text-cyrillic", "golos-text/files/golos-text-cyrillic"],
]) {
  copyFileSync(`node_modules/@fontsource-variable/${from}-wght-normal.woff2`, `${to}/fonts/${name}.woff2`);
}
for (const icon of ["upload", "download", "moon", "sun", "undo-2", "check", "log-out", "keyboard", "x"]) {
  const svg = readFileSync(`node_modules/lucide-static/icons/${icon}.svg`, "utf8")
    .replace(/<!--.*?-->\s*/s, "").replace(/\s*class="[^"]*"/, ' aria-hidden="true"').replace(/\s+/g, " ").trim();
  writeFileSync(`${to}/icons/${icon}.svg`, svg + "\n");
}
copyFileSync("node_modules/tus-js-client/dist/tus.min.js", `${to}/vendor/tus.js`);
copyFileSync("node_modules/@alpinejs/csp/dist/module.esm.min.js", `${to}/vendor/alpine.js`);
// Of twgl.js there is no small module: its script becomes one, without its comments.
const used = ["createBufferInfoFromArrays", "createFramebufferInfo", "createProgramInfo", "drawBufferInfo", "setBuffersAndAttributes", "setUniforms"];
const twgl = readFileSync("node_modules/twgl.js/dist/7.x/twgl.js", "utf8").replace(/\/\/# sourceMappingURL.*/, "");
writeFileSync(`${to}/vendor/twgl.js`, ts.transpileModule(`const exports = {}, module = { exports };\n${twgl}\nexport const { ${used.join(", ")} } = module.exports;\n`, { compilerOptions: { removeComments: true, target: ts.ScriptTarget.ESNext, module: ts.ModuleKind.ESNext } }).outputText);
copyFileSync("node_modules/@github/combobox-nav/dist/index.js", `${to}/vendor/combobox-nav.js`);
writeFileSync(`${to}/vendor/idiomorph.js`, readFileSync("node_modules/idiomorph/dist/idiomorph.min.js", "utf8").trim() + "export{Idiomorph};\n");

// Each page's own script: it starts the islands of interaction that its template has, and no others.
const scripts = `${to}/js`, templates = "internal/web/templates/pages";
/** @type {Map<string, string>} the module of each island */
const moduleOf = new Map();
for (const file of readdirSync(scripts).filter((f) => f.endsWith(".js"))) {
  for (const [, name] of readFileSync(`${scripts}/${file}`, "utf8").matchAll(/^export function (\w+)\(\) \{\n {2}(?:return |\/\*\*)/gm)) moduleOf.set(name, file);
}
rmSync(`${scripts}/page`, { recursive: true, force: true });
mkdirSync(`${scripts}/page`);
for (const page of readdirSync(templates)) {
  const own = readFileSync(`${templates}/${page}`, "utf8");
  const partials = [...own.matchAll(/\{\{template "(\w+)"/g)].map(([, name]) => `internal/web/templates/partials/${name}.html`).filter((f) => existsSync(f));
  const islands = [...new Set(["shell", ...[...[own, ...partials.map((f) => readFileSync(f, "utf8"))].join("").matchAll(/x-data="(\w+)"/g)].map(([, name]) => name)])].sort();
  const imports = islands.map((name) => {
    if (!moduleOf.has(name)) throw new Error(`${page} has an island ${name} that no script exports`);
    return `import { ${name} } from "../${moduleOf.get(name)}";`;
  });
  writeFileSync(`${scripts}/page/${page.replace(".html", ".js")}`, ["// Made by web/vendor.mjs: the islands of this page.", 'import Alpine from "../../vendor/alpine.js";', ...imports, "", ...islands.map((name) => `Alpine.data("${name}", ${name});`), "Alpine.start();", ""].join("\n"));
}

// The licences of all that is shipped: what pages get, and the Go modules of the program.
/** @type {{name: string, version: string, text: string}[]} */
const licences = [];
/** @param {string} dir */
const textIn = (dir) => readdirSync(dir).filter((f) => /^(licen[cs]e|copying|notice)/i.test(f)).sort().map((f) => readFileSync(`${dir}/${f}`, "utf8").trim()).join("\n\n");
for (const name of ["@alpinejs/csp", "@github/combobox-nav", "@fontsource/bricolage-grotesque", "@fontsource-variable/golos-text", "@fontsource-variable/hanken-grotesk", "@fontsource-variable/jetbrains-mono", "idiomorph", "js-base64", "lucide-static", "querystringify", "requires-port", "tailwindcss", "tus-js-client", "twgl.js", "url-parse"]) {
  const dir = `node_modules/${name}`, about = JSON.parse(readFileSync(`${dir}/package.json`, "utf8"));
  const text = textIn(dir) || (existsSync(`web/licences/${name.replace("/", "-")}.txt`) ? readFileSync(`web/licences/${name.replace("/", "-")}.txt`, "utf8").trim() : "");
  if (!text) throw new Error(`${name} has no licence text: put it into web/licences`);
  licences.push({ name, version: about.version, text });
}
const modules = execFileSync("go", ["list", "-e", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}}\t{{.Version}}\t{{.Dir}}{{end}}{{end}}", "./cmd/aldermoor"], { encoding: "utf8" });
for (const line of [...new Set(modules.split("\n").filter(Boolean))].sort()) {
  const [name, version, dir] = line.split("\t");
  const text = textIn(dir);
  if (!text) throw new Error(`${name} has no licence text`);
  licences.push({ name, version, text });
}
const go = execFileSync("go", ["env", "GOROOT", "GOVERSION"], { encoding: "utf8" }).split("\n");
licences.push({ name: "Go and its standard library", version: "", text: readFileSync(`${go[0]}/LICENSE`, "utf8").trim() });
writeFileSync("internal/licences/licences.json", JSON.stringify(licences, null, 1) + "\n");
