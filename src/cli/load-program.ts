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
  // The build leaves ASCII only, which takes less than half the time to read.
  const source = Module.wrap(readFileSync(filename, "latin1"));
  const build = PROGRAM_FILE.replace(/^.*\/|\.cjs$/g, "");
  const cache = cacheFile(`${build}-${process.version}-${process.arch}-${command}.bin`);
  const cachedData = readCache(cache);
  const script = new Script(source, { filename, ...(cachedData && { cachedData }) });
  const module = { exports: {} as Pick<Program, "main" | "waits" | "getReady"> };
  const run = script.runInThisContext() as (...args: unknown[]) => void;
  run.call(module.exports, module.exports, createRequire(filename), module, filename, dirname(filename));
  return {
    main: module.exports.main,
    waits: module.exports.waits,
    getReady: module.exports.getReady,
    keep: () => {
      if (!cachedData || script.cachedDataRejected) writeCache(cache, script.createCachedData());
    },
  };
}
