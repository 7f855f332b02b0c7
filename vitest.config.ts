import { defineConfig } from "vitest/config";

const shared = {
  env: { AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED: "true" },
  testTimeout: 60_000,
  hookTimeout: 120_000,
  pool: "forks" as const,
  isolate: false,
};

/** `system` starts whole processes; `unit` everything else. What a test makes ends with it, so that modules need to be read only once a worker. */
export default defineConfig({
  test: {
    // As many as the cores of the smallest machine; the default leaves one idle.
    maxWorkers: 2,
    globalSetup: "engine/tests/test-folder.ts",
    projects: [
      { test: { ...shared, name: "unit", include: ["{core,formats,engine,standins,server,app}/**/*.test.ts"], exclude: ["server/tests/**"] } },
      // Whole processes are started and killed here: slow is not wrong.
      { test: { ...shared, name: "system", testTimeout: 180_000, include: ["server/tests/**/*.test.ts", "{cli,scripts}/**/*.test.ts"] } },
    ],
  },
});
