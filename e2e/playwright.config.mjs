// Browser tests: each starts the program itself, on a free port, with data of its own.
import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  outputDir: "results",
  timeout: 60_000,
  expect: { timeout: 10_000 },
  workers: 2,
  fullyParallel: true,
  forbidOnly: true,
  // A shared machine may stand still for seconds: what fails is tried once more, and shown as flaky.
  retries: 1,
  reporter: [["list"]],
  // Speeds are measured when nothing else runs.
  projects: [
    { name: "work", testIgnore: /speed/ },
    // A bound in milliseconds on a shared machine: three tries of which one must hold it.
    { name: "speed", testMatch: /speed/, dependencies: ["work"], retries: 2 },
  ],
  use: {
    viewport: { width: 1280, height: 800 },
    actionTimeout: 10_000,
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
