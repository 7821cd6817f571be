import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  testMatch: "*.spec.ts",
  workers: 1,
  fullyParallel: false,
  // Generous: other tests run beside the journeys, on machines that may be slow.
  timeout: 420_000,
  expect: { timeout: 40_000 },
  retries: process.env.CI ? 1 : 0,
  reporter: [["list"]],
  outputDir: "../test-results",
  globalSetup: "./server.ts",
  use: {
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    screenshot: "only-on-failure",
    actionTimeout: 40_000,
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--headless",
        "--no-sandbox",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--use-gl=angle",
        "--use-angle=swiftshader",
        "--enable-unsafe-swiftshader",
      ],
    },
  },
});
