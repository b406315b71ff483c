import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    include: ["test/**/*.test.ts"],
    globalSetup: ["test/cli/install-program.ts"],
    testTimeout: 120_000,
    hookTimeout: 120_000,
    // Two cores, and the engine laws use one each.
    maxWorkers: 2,
  },
});
