// Copies what pages need from the pinned packages into the embedded static files:
// fonts, icons, and the script libraries. Nothing is fetched at run time.
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const to = "internal/web/static";
for (const dir of ["fonts", "icons", "vendor"]) mkdirSync(`${to}/${dir}`, { recursive: true });

for (const [name, file] of [
  ["hanken-grotesk", "hanken-grotesk-latin-wght-normal"],
  ["bricolage-grotesque", "bricolage-grotesque-latin-wght-normal"],
  ["jetbrains-mono", "jetbrains-mono-latin-wght-normal"],
]) {
  copyFileSync(`node_modules/@fontsource-variable/${name}/files/${file}.woff2`, `${to}/fonts/${name}.woff2`);
}
for (const icon of ["upload", "download", "moon", "sun", "undo-2", "check", "log-out", "keyboard", "x"]) {
  const svg = readFileSync(`node_modules/lucide-static/icons/${icon}.svg`, "utf8")
    .replace(/<!--.*?-->\s*/s, "").replace(/\s*class="[^"]*"/, ' aria-hidden="true"').replace(/\s+/g, " ").trim();
  writeFileSync(`${to}/icons/${icon}.svg`, svg + "\n");
}
copyFileSync("node_modules/tus-js-client/dist/tus.min.js", `${to}/vendor/tus.js`);
copyFileSync("node_modules/@alpinejs/csp/dist/module.esm.min.js", `${to}/vendor/alpine.js`);
writeFileSync(`${to}/vendor/idiomorph.js`, readFileSync("node_modules/idiomorph/dist/idiomorph.min.js", "utf8").trim() + "export{Idiomorph};\n");
