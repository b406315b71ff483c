/** How many made-up cases a law is tried on: fixed in CI, more in a long hunt (`LAW_RUNS=5000 npx vitest run test/laws`). */
export const RUNS = Number(process.env["LAW_RUNS"] ?? 300);

/** The same cases on every run, unless a hunt asks for others. */
export const SEED = Number(process.env["LAW_SEED"] ?? 20261125);
