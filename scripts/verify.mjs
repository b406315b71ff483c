// All checks in one command: formatting, lint, types, tests. The last line is the count of tests.
import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { findEngines } from "./engines.mjs";

const scratch = mkdtempSync(join(tmpdir(), "emberset-verify-"));
const report = join(scratch, "tests.json");
let failed = false;
const { environment, missing } = await findEngines();

for (const [name, command] of [
  ["format", ["prettier", "--check", "--log-level", "warn", "."]],
  ["lint", ["eslint", "."]],
  ["types", ["tsc", "--noEmit"]],
  ["types of the page", ["tsc", "-p", "src/page"]],
  ["tests", ["vitest", "run", "--reporter=default", "--reporter=json", `--outputFile.json=${report}`]],
]) {
  const { status } = spawnSync("npx", ["--no-install", ...command], {
    stdio: "inherit",
    env: { ...process.env, ...environment },
  });
  console.log(`${status === 0 ? "ok" : "FAILED"}  ${name}`);
  failed ||= status !== 0;
}

const { numPassedTests, numFailedTests } = readReport();
rmSync(scratch, { recursive: true, force: true });
if (numPassedTests + numFailedTests === 0) failed = true;
for (const line of missing) console.log(line);
process.exitCode = failed ? 1 : 0;
console.log(`${numPassedTests} passed, ${numFailedTests} failed`);

function readReport() {
  try {
    return JSON.parse(readFileSync(report, "utf8"));
  } catch {
    return { numPassedTests: 0, numFailedTests: 0 };
  }
}
