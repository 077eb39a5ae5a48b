// @ts-check
import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.mjs",
  workers: 2, // each file has a server and a browser of its own
  retries: process.env.CI ? 1 : 0, // two cores with two browsers: what passes the second time is printed as flaky
  timeout: 180_000,
  expect: { timeout: 20_000 }, // a slow machine is not a fault
  reporter: [["list"]],
  outputDir: "../test-results",
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"],
    },
  },
});
