import type * as Files from "node:fs";
import type * as Modules from "node:module";
import type * as Machine from "node:os";
import type * as Paths from "node:path";
import type * as Scripts from "node:vm";

import { cacheFolder } from "../cache-folder.js";

interface Program {
  readonly main: (args: readonly string[]) => Promise<number>;
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
 * @param require an `import` of Node's own modules would start parts of them that are not needed
 */
export function loadProgram(require: NodeJS.Require, args: readonly string[]): Program {
  const fs = require("node:fs") as typeof Files;
  const { Module, createRequire } = require("node:module") as typeof Modules;
  const { homedir } = require("node:os") as typeof Machine;
  const { dirname, join } = require("node:path") as typeof Paths;
  const { Script } = require("node:vm") as typeof Scripts;

  const command = args.find(arg => /^[a-z]+$/.test(arg)) ?? "help";
  const filename = require.resolve(PROGRAM_FILE);
  const source = Module.wrap(fs.readFileSync(filename, "utf8"));
  const name = `${PROGRAM_FILE.replace(/^.*\/|\.cjs$/g, "")}-${process.version}-${process.arch}-${command}.bin`;
  const cache = join(cacheFolder(homedir, join), name);
  const cachedData = readIfThere(cache, fs);
  const script = new Script(source, { filename, ...(cachedData && { cachedData }) });
  const module = { exports: {} as { main: Program["main"] } };
  const run = script.runInThisContext() as (...args: unknown[]) => void;
  run.call(module.exports, module.exports, createRequire(filename), module, filename, dirname(filename));
  return {
    main: module.exports.main,
    keep: () => {
      if (!cachedData || script.cachedDataRejected) write(cache, script.createCachedData(), fs);
    },
  };
}

function readIfThere(file: string, { readFileSync }: typeof Files): Buffer | undefined {
  try {
    return readFileSync(file);
  } catch {
    return undefined;
  }
}

/** A cache that cannot be written is no reason to stop. */
function write(file: string, data: Buffer, fs: typeof Files): void {
  try {
    fs.mkdirSync(file.slice(0, file.lastIndexOf("/")), { recursive: true, mode: 0o700 });
    const draft = `${file}.${process.pid}`;
    fs.writeFileSync(draft, data, { mode: 0o600 });
    fs.renameSync(draft, file);
  } catch {
    // Compiled again next time.
  }
}
