// look: node e2e/_look.mjs OUT PATH [role] [js-to-run] [w] [h]
import { chromium } from "playwright-core";
const [out, path, role = "librarian", js = "", w = "1280", h = "800"] = process.argv.slice(2);
const b = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox","--disable-background-networking","--disable-component-update","--disable-sync","--no-first-run"] });
const p = await (await b.newContext({ viewport: { width: +w, height: +h } })).newPage();
p.on("pageerror", (e) => console.log("pageerror", e.message));
p.on("console", (m) => m.type() === "error" && console.log("console", m.text()));
await p.goto("http://127.0.0.1:8555/");
const btn = p.getByRole("button", { name: new RegExp(role, "i") });
if (await btn.count()) await btn.first().click();
await p.waitForTimeout(500);
await p.goto("http://127.0.0.1:8555" + path);
await p.waitForTimeout(1500);
if (js) { try { const r = await eval(`(async()=>{${js}})()`); if (r !== undefined) console.log(r); } catch (e) { console.log(String(e)); } await p.waitForTimeout(800); }
await p.screenshot({ path: out });
await b.close();
