// Browser tests: each starts the program itself, on a free port, with data of its own.
import { availableParallelism } from "node:os";
import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  outputDir: "results",
  // Only what never comes fails by the clock: a machine that is busy is not a fault.
  timeout: 900_000,
  expect: { timeout: 60_000 },
  workers: Math.min(2, availableParallelism()),
  fullyParallel: true,
  forbidOnly: true,
  // What fails by chance fails: a test waits for what it needs, not for a while.
  retries: 0,
  reporter: [["list"]],
  // How quickly the plan follows the hand is measured, not tested: scripts/speeds.
  testIgnore: process.env.SPEEDS ? /^$/ : /speed/,
  use: {
    viewport: { width: 1280, height: 800 },
    actionTimeout: 60_000,
    trace: "off",
    screenshot: "only-on-failure",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
        "--disable-background-networking", "--disable-component-update", "--disable-sync",
      ],
    },
  },
});
