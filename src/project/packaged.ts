import { readFileSync, statSync } from "node:fs";
import { createRequire, Module } from "node:module";
import { dirname, resolve } from "node:path";
import { Script } from "node:vm";
import type { Plugin } from "esbuild";
import { cacheFile, readCache, writeCache } from "../cache.js";
import { sha256 } from "../core/sha256.js";
import { VERSION } from "../version.js";

const key = Symbol.for("emberset.packaged");

/** What packages that were loaded here export, by their files: compiled models take it from there. */
function loaded(): Map<string, object> {
  const holder = globalThis as { [key]?: Map<string, object> };
  return (holder[key] ??= new Map());
}

/**
 * Loads a CommonJS package of many files as one script, which the user's cache folder keeps with what V8 made of it: to
 * find and read some hundred files takes longer than most commands do. Where nothing can be kept, Node loads it.
 * @param file its main file @returns the names it exports
 */
export async function loadPackaged(file: string): Promise<string[]> {
  const known = loaded().get(file);
  const exports = known ?? (await fromCache(file)) ?? (createRequire(file)(file) as object);
  loaded().set(file, exports);
  return Object.keys(exports);
}

/** What stands for such a package in compiled code. */
export function packagedCode(file: string): string {
  return `globalThis[Symbol.for("emberset.packaged")].get(${JSON.stringify(file)})`;
}

async function fromCache(file: string): Promise<object | undefined> {
  const name = `packaged-${sha256(file).toString("hex").slice(0, 16)}`;
  const [cached, compiled] = [`${name}.cjs`, `${name}-${process.version}-${process.arch}.bin`].map(cacheFile);
  try {
    let source = readCache(cached!)?.toString();
    if (source === undefined || !isAsItWas(source)) {
      // Another user's folder, or none that can be written: it would be put together anew each time.
      writeCache(cached!, "");
      if (!readCache(cached!)) return undefined;
      source = await inOnePiece(file);
      writeCache(cached!, source);
    }
    return runCached(source, file, cached!, compiled!);
  } catch {
    // What is kept is harmed, or cannot be made: Node loads the package itself.
    return undefined;
  }
}

/** What a file is told by without reading it: [path, when it was changed, size]. */
type Stamp = readonly [file: string, changed: number, size: number];

function stampOf(file: string): Stamp {
  const { mtimeMs, size } = statSync(file);
  return [file, mtimeMs, size];
}

function isStill([file, changed, size]: Stamp): boolean {
  const [, then, large] = stampOf(file);
  return then === changed && large === size;
}

/** Whether the files that were put together are what they were: an installed package may be mended by hand. */
function isAsItWas(source: string): boolean {
  const head = /^\/\/ (.*)\n/.exec(source)?.[1];
  if (head === undefined) return false;
  try {
    const [version, form, stamps] = JSON.parse(head) as [string, number, readonly Stamp[]];
    return version === VERSION && form === FORM && stamps.length > 0 && stamps.every(isStill);
  } catch {
    // One of them is gone, or it is no head of ours.
    return false;
  }
}

function runCached(source: string, file: string, cached: string, compiled: string): object {
  const cachedData = readCache(compiled);
  const script = new Script(Module.wrap(source), { filename: cached, ...(cachedData && { cachedData }) });
  const module = { exports: {} as object };
  const run = script.runInThisContext() as (...values: unknown[]) => void;
  run.call(module.exports, module.exports, createRequire(file), module, file, dirname(file));
  // V8 refuses what is of another version, or of another text.
  if (!cachedData || script.cachedDataRejected) writeCache(compiled, script.createCachedData());
  return module.exports;
}

/** Another number when what is made of a package becomes another, as long as the version does not. */
const FORM = 2;

/**
 * What checks values is asked for when a value is checked, which models hardly ever do: class-validator would load all of it at
 * its start. The compiler that it comes from reads members of what it imports, and nothing else of it.
 */
const askedLate: Plugin = {
  name: "asked-late",
  setup({ onLoad }) {
    onLoad({ filter: /[\\/]class-validator[\\/]cjs[\\/].*\.js$/ }, ({ path }) => ({
      contents: readFileSync(path, "utf8").replace(
        /^const (\w+) = ((?:__import\w+\()?require\("(?:validator|libphonenumber-js)(?:\/[^"]+)?"\)\)?);$/gm,
        (_, name: string, asked: string) =>
          `const ${name} = (() => { let it; return new Proxy({}, { get: (_, part) => (it ??= ${asked})[part] }); })();`,
      ),
    }));
  },
};

/** A template whose letters are read as they are written. */
const RAW = /[\w$)\]]`[^`]*[^\0-\x7f]/;

/** A text of ASCII alone takes half the time to read; the compiler leaves other letters in patterns only. */
function leaveAscii(code: string): string {
  if (RAW.test(code)) return code;
  return code.replace(/[^\0-\x7f]/g, letter => `\\u${letter.charCodeAt(0).toString(16).padStart(4, "0")}`);
}

/** Behind a first line that says what it was made of. */
async function inOnePiece(file: string): Promise<string> {
  const { build } = await import("esbuild");
  const folder = dirname(file);
  const { outputFiles, metafile } = await build({
    entryPoints: [file],
    absWorkingDir: folder,
    bundle: true,
    write: false,
    metafile: true,
    format: "cjs",
    platform: "node",
    target: "node20",
    // Names of classes are told in messages.
    keepNames: true,
    minifySyntax: true,
    minifyWhitespace: true,
    logLevel: "silent",
    plugins: [askedLate],
  });
  const stamps = Object.keys(metafile.inputs).map(name => stampOf(resolve(folder, name)));
  return `// ${JSON.stringify([VERSION, FORM, stamps])}\n${leaveAscii(outputFiles[0]!.text)}`;
}
