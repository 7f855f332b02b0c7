import { defineConfig } from "vitest/config";

const shared = {
  env: { AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED: "true" },
  testTimeout: 60_000,
  hookTimeout: 120_000,
  pool: "forks" as const,
};

/** `system` starts whole processes; `unit` everything else. */
export default defineConfig({
  test: {
    // One more than the cores of the smallest machine: tests of whole processes wait most of their time.
    maxWorkers: 3,
    projects: [
      { test: { ...shared, name: "unit", include: ["{core,formats,engine,standins,server,app}/**/*.test.ts"], exclude: ["server/tests/**"] } },
      { test: { ...shared, name: "system", include: ["server/tests/**/*.test.ts", "{cli,scripts}/**/*.test.ts"] } },
    ],
  },
});
