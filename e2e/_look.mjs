// args OUT PATH ROLE "js"
import { chromium } from "@playwright/test";
const [out, path, role, js] = process.argv.slice(2);
const url = process.env.URL ?? "http://127.0.0.1:8555";
const b = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"] });
const ctx = await b.newContext({ viewport: { width: Number(process.env.W ?? 1280), height: Number(process.env.H ?? 800) }, colorScheme: process.env.DARK ? "dark" : "light" });
const p = await ctx.newPage();
p.on("pageerror", (e) => console.error("PAGEERROR", e.message));
p.on("console", (m) => m.type() === "error" && console.error("CONSOLE", m.text()));
await p.goto(url + "/");
await p.click(`button[value=${role || "librarian"}]`);
await p.goto(url + path);
await p.waitForTimeout(1200);
if (js) await eval(`(async()=>{${js}})()`);
await p.waitForTimeout(800);
await p.screenshot({ path: out, fullPage: !!process.env.FULL });
await b.close();
