import { defineConfig } from "vitest/config";

const limits = { testTimeout: 120_000, hookTimeout: 120_000 };

export default defineConfig({
  test: {
    // Two cores, and the engine laws use one each.
    maxWorkers: 2,
    projects: [
      { test: { ...limits, name: "inside", include: ["test/**/*.test.ts"], exclude: ["test/cli/**"] } },
      {
        test: {
          ...limits,
          name: "program",
          include: ["test/cli/*.test.ts"],
          globalSetup: ["test/cli/install-program.ts"],
        },
      },
    ],
  },
});
