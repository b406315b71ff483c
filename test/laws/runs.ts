/** How many made-up cases a law is tried on: fixed in CI, more in a long hunt (`npm run laws -- --runs 5000`). */
export const RUNS = Number(process.env["LAW_RUNS"] ?? 300);

/** The same cases on every run, unless a hunt asks for others. */
export const SEED = Number(process.env["LAW_SEED"] ?? 20261125);

/** How long a law may take, in milliseconds: a second a case, on servers that are busy. */
export const PATIENCE = Math.max(1_200_000, RUNS * 1000);
