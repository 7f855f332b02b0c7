import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: "e2e",
  workers: 1,
  timeout: 60_000,
  globalSetup: "./e2e/installation.ts",
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    actionTimeout: 15_000,
    launchOptions: {
      executablePath: "/usr/bin/chromium-headless-shell",
      args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
    },
  },
});
