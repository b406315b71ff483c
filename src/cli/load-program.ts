import { readFileSync } from "node:fs";
import { createRequire, Module } from "node:module";
import { dirname } from "node:path";
import { Script } from "node:vm";
import { cacheFile, readCache, writeCache } from "../cache.js";

interface Program {
  readonly main: (args: readonly string[]) => Promise<number>;
  /** Says that what is waited for never comes. @returns the exit status */
  readonly waits: (args: readonly string[]) => number;
  /** Loads ahead what models are loaded with. */
  readonly getReady: (folder: string) => Promise<void>;
  /** Keeps what was compiled in this run for the next ones. */
  readonly keep: () => void;
}

/** Set by the build: the file of the program, called after what is in it. */
declare const PROGRAM_FILE: string;

/**
 * The program as one script, with what V8 made of it in an earlier run: to compile it takes longer than most commands.
 * That is kept in the user's cache folder, for this build and this version of Node; V8 itself refuses any other
 * (https://nodejs.org/api/vm.html#scriptcreatecacheddata).
 * @param args the command's own part is kept under its name
 */
export function loadProgram(require: NodeJS.Require, args: readonly string[]): Program {
  const command = args.find(arg => /^[a-z]+$/.test(arg)) ?? "help";
  const filename = require.resolve(PROGRAM_FILE);
  const build = `${PROGRAM_FILE.replace(/^.*\/|\.cjs$/g, "")}-${process.version}-${process.arch}`;
  const keeping: (() => void)[] = [];
  const parts = new Map<string, unknown>();
  const own = createRequire(filename);
  /** What stands apart is called after what is in it, too. */
  const part = (name: string): unknown => {
    if (!name.startsWith("./parts/")) return own(name);
    if (!parts.has(name)) {
      const cache = `${name.replace(/^.*\/|\.cjs$/g, "")}-${process.version}-${process.arch}-${command}`;
      parts.set(name, runScript(own.resolve(name), cache, own, keeping));
    }
    return parts.get(name);
  };
  const program = runScript(filename, `${build}-${command}`, Object.assign(part, own), keeping);
  return {
    ...(program as Pick<Program, "main" | "waits" | "getReady">),
    keep: () => keeping.forEach(keep => keep()),
  };
}

/** Runs a CommonJS script. @param name what V8 makes of it is kept under @param keeping gets what keeps it @returns its exports */
function runScript(
  filename: string,
  name: string,
  require: NodeJS.Require,
  keeping: (() => void)[],
): unknown {
  // The build leaves ASCII only, which takes less than half the time to read.
  const source = Module.wrap(readFileSync(filename, "latin1"));
  const cache = cacheFile(`${name}.bin`);
  const cachedData = readCache(cache);
  const script = new Script(source, { filename, ...(cachedData && { cachedData }) });
  const module: { exports: unknown } = { exports: {} };
  const run = script.runInThisContext() as (...args: unknown[]) => void;
  run.call(module.exports, module.exports, require, module, filename, dirname(filename));
  if (!cachedData || script.cachedDataRejected)
    keeping.push(() => writeCache(cache, script.createCachedData()));
  return module.exports;
}
