#!/usr/bin/env node
import { createRequire } from "node:module";
import { lendImport } from "../project/import-module.js";
import { VERSION } from "../version.js";
import { isCalled } from "./terminal/ahead.js";
import { loadProgram } from "./load-program.js";

// The version alone is asked for by scripts and editors: it does without the rest of the program.
const args = process.argv.slice(2);
if (args.length === 1 && (args[0] === "--version" || args[0] === "-v")) {
  process.stdout.write(`${VERSION}\n`);
} else {
  lendImport(url => import(url));
  void run();
}

async function run(): Promise<void> {
  const { main, keep, waits, getReady } = loadProgram(createRequire(import.meta.url), args);
  if (!(await isCalled(() => getReady(process.cwd())))) return;
  const breaksOff = () => {
    process.exitCode = waits(args);
  };
  // Whoever read it is gone, as `tee` is after Ctrl-C: what is under way is ended in order all the same.
  for (const stream of [process.stdout, process.stderr]) stream.on("error", () => undefined);
  // Nothing is left to do, or something it loaded ends the process, and no end was reached.
  process.once("exit", breaksOff);
  const status = await main(args);
  process.off("exit", breaksOff);
  if (status === 0) keep();
  // Once both are written out; to wait until Node has nothing left to do takes a tenth of its own start.
  process.stdout.write("", () => process.stderr.write("", () => process.exit(status)));
}
