// A long hunt: the laws on more made-up cases than CI has time for, each hunt on cases of its own.
//   npm run laws -- --runs 5000 [--seed 7] [--engine SQLite] [--law rows]
import { spawnSync } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { parseArgs } from "node:util";
import { findEngines } from "./engines.mjs";

const FOLDER = join("test", "laws");
const { values } = parseArgs({
  options: {
    runs: { type: "string", default: "5000" },
    seed: { type: "string", default: String(Math.floor(Math.random() * 2 ** 31)) },
    engine: { type: "string" },
    law: { type: "string" },
  },
});
const files = values.law ? [join(FOLDER, `${values.law}.test.ts`)] : [FOLDER];
if (!/^\d+$/.test(values.runs) || !/^\d+$/.test(values.seed) || !files.every(existsSync)) {
  const laws = readdirSync(FOLDER).flatMap(name => /^(.+)\.test\.ts$/.exec(name)?.[1] ?? []);
  console.error(`--runs and --seed are whole numbers; --law is one of ${laws.join(", ")}`);
  process.exit(2);
}
const { environment, missing } = await findEngines();
console.log(`${values.runs} cases a law, seed ${values.seed}`);
const { status } = spawnSync(
  "npx",
  [
    ...["--no-install", "vitest", "run", "--project", "inside", ...files],
    ...(values.engine ? ["-t", `real ${values.engine}`] : []),
  ],
  {
    stdio: "inherit",
    env: {
      ...process.env,
      ...environment,
      LAW_RUNS: values.runs,
      LAW_SEED: values.seed,
      LAW_TELL: "1",
    },
  },
);
for (const line of missing) console.log(line);
process.exitCode = status ?? 1;
