import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createRequire, Module } from "node:module";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { parse } from "@babel/parser";
import { fileURLToPath, pathToFileURL } from "node:url";
import { runInThisContext } from "node:vm";
import type { BuildFailure, BuildOptions, Plugin } from "esbuild";
import { cacheFile, readCache, writeCache } from "../cache.js";
import { Problem, problems } from "../core/problems.js";
import { partition } from "../core/lists.js";
import { isIdentifier } from "../core/model/write/code.js";
import { programFolder, VERSION } from "../version.js";
import { keepCompiled, keptCompiled, SECRETS, type Compiled } from "./compile-cache.js";
import { importModule } from "./import-module.js";
import { loadPackaged, packagedCode } from "./packaged.js";

/** TypeScript that does not compile: where, and why. */
export class CompileError extends Error {
  constructor(
    readonly file: string,
    readonly line: number | undefined,
    readonly reason: string,
  ) {
    super(reason);
    this.name = "CompileError";
  }
}

/**
 * Loads one TypeScript file and gives its exports. What it compiles to is kept in the user's cache folder with the text
 * it was compiled from, since starting the compiler takes longer than most commands do; and as a script, since to load
 * an ES module starts a part of Node that a command may have no other use for.
 * @throws CompileError
 */
export async function loadConfigModule(file: string): Promise<Record<string, unknown>> {
  const text = readFileSync(file, "utf8");
  const input = { entryPoints: [file] };
  if (!standsAlone(text)) return runCompiled(input, dirname(file));
  // Two files that share a name there are compiled again and again: no harm.
  const cached = cacheFile(`${file.replace(/\W+/g, "-").slice(-150)}.cjs`);
  // In JavaScript a line ends at two more letters than in JSON.
  const head = `// ${JSON.stringify([VERSION, text]).replace(/[\u2028\u2029]/g, " ")}\n`;
  let script = readCache(cached)?.toString();
  if (!script?.startsWith(head)) {
    script = head + (await compile(input, dirname(file), { format: "cjs" }));
    // What may hold a secret is compiled again each time.
    if (!SECRETS.test(text)) writeCache(cached, script);
  }
  try {
    return runScript(script, cached);
  } catch {
    // Once more, to say where in the sources it is.
    return runCompiled(input, dirname(file));
  }
}

/** A script that needs nothing from elsewhere. @returns its exports */
function runScript(code: string, filename: string): Record<string, unknown> {
  const module = { exports: {} as Record<string, unknown> };
  const run = runInThisContext(Module.wrap(code), { filename }) as (...args: unknown[]) => void;
  run.call(module.exports, module.exports, undefined, module, filename, dirname(filename));
  return module.exports;
}

/**
 * Loads several TypeScript files as one program, whatever circle they import each other in.
 * @returns the exports of each, in the order given
 * @throws CompileError; whatever the files themselves throw
 */
export async function loadModules(
  files: readonly string[],
  folder: string,
): Promise<Record<string, unknown>[]> {
  const contents = files.map((file, at) => `export * as m${at} from ${JSON.stringify(file)};`).join("\n");
  const input = { stdin: { contents, resolveDir: folder, loader: "ts" } } as const;
  const entry = JSON.stringify([folder, contents]);
  const code = (await keptCompiled(entry, locate)) ?? (await compileAndKeep(entry, input, folder));
  const exports = (await runCompiled(input, folder, code)) as Record<string, Record<string, unknown>>;
  return files.map((_, at) => exports[`m${at}`]!);
}

/** The config usually imports a type, or nothing. What only an ES module has, waiting at its top, is left to one. */
function standsAlone(text: string): boolean {
  return (
    !/\bimport\s*[(.]|\brequire\s*\(|\bawait\b|^\s*export\b[^\n]*\bfrom\b/m.test(text) &&
    !/^\s*import\s+(?!type\b)/m.test(text)
  );
}

/** Loads ahead of time what models of a folder are compiled and loaded with, as far as it is there. */
export async function getReady(folder: string): Promise<void> {
  const validator = locate("class-validator", folder);
  const compiler = import("esbuild").then(({ transform }) => transform(""));
  await Promise.allSettled([compiler, validator !== undefined && loadPackaged(fileURLToPath(validator))]);
  parse("");
}

type Input = Pick<BuildOptions, "entryPoints" | "stdin">;

async function compileAndKeep(entry: string, input: Input, folder: string): Promise<string> {
  const began = Date.now();
  const compiled = await compileWhole(input, folder);
  await keepCompiled(entry, compiled, began);
  return compiled.code;
}

/** Only when it fails is it worth to know which line of the sources each line comes from. @param known compiled already */
async function runCompiled(input: Input, folder: string, known?: string): Promise<Record<string, unknown>> {
  const code = known ?? (await compile(input, folder));
  try {
    return await run(code);
  } catch (error) {
    if (error instanceof Problem) throw error;
    return await runMapped(await compile(input, folder, { sourcemap: "inline" }));
  }
}

async function compile(input: Input, folder: string, options: BuildOptions = {}): Promise<string> {
  return (await compileWhole(input, folder, options)).code;
}

async function compileWhole(input: Input, folder: string, options: BuildOptions = {}): Promise<Compiled> {
  const { build } = await import("esbuild");
  const packages = new Map<string, string | undefined>();
  try {
    const result = await build({
      ...(input as BuildOptions),
      absWorkingDir: folder,
      bundle: true,
      write: false,
      format: "esm",
      platform: "node",
      target: "node20",
      sourceRoot: pathToFileURL(`${folder}/`).href,
      keepNames: true,
      // Names are read back from the classes' texts, and a name may have any letters.
      charset: "utf8",
      logLevel: "silent",
      metafile: true,
      plugins: [resolvePackages(folder, packages)],
      // Decorators of the older kind in JavaScript, too; its other syntax is the same.
      loader: { ".js": "ts", ".mjs": "ts", ".cjs": "ts", ".jsx": "tsx" },
      // The settings the decorators are written for, whatever the project's own tsconfig says.
      tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
      ...options,
    });
    const inputs = Object.keys(result.metafile!.inputs).filter(name => name !== "<stdin>");
    const [packaged, files] = partition(inputs, name => name.startsWith(REQUIRED));
    return {
      code: result.outputFiles![0]!.text,
      files: files.map(name => resolve(folder, name)),
      packages,
      packaged: packaged.map(name => fileURLToPath(name.slice(REQUIRED.length))),
    };
  } catch (error) {
    throw compileError(error, folder);
  }
}

function compileError(error: unknown, folder: string): unknown {
  const first = (error as Partial<BuildFailure>).errors?.[0];
  if (!first) return error;
  const { file, line } = first.location ?? {};
  return new CompileError(resolve(folder, file ?? "."), line, first.text);
}

/** Packages stay outside of the compiled code, under the address found for them: the project's, else the program's. */
function resolvePackages(folder: string, known: Map<string, string | undefined>): Plugin {
  return {
    name: "packages",
    setup(build) {
      build.onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) => {
        if (kind === "entry-point" || path.startsWith("node:")) return undefined;
        const from = importer ? dirname(importer) : folder;
        const key = `${from}\n${path}`;
        const found = known.has(key) ? known.get(key) : locate(path, from);
        known.set(key, found);
        // Node reads a CommonJS package that is imported twice, the first time for the names it exports: this one has
        // two hundred files, and every model imports it.
        if (found && path === "class-validator") return { path: found, namespace: "required" };
        if (found === undefined) return undefined;
        // A package of the same workspace may be sources: Node reads no decorators.
        if (/\.[mc]?tsx?$/.test(found)) return { path: fileURLToPath(found) };
        return { path: kind === "require-call" ? fileURLToPath(found) : found, external: true };
      });
      build.onLoad({ filter: /.*/, namespace: "required" }, async ({ path }) => ({
        contents: await reexport(path),
      }));
    },
  };
}

/** What the names of packages that are loaded by themselves begin with among a script's sources. */
const REQUIRED = "required:";

/** All that a CommonJS package exports, named one by one. */
async function reexport(url: string): Promise<string> {
  const file = fileURLToPath(url);
  const names = (await loadPackaged(file)).filter(isIdentifier);
  return `const all = ${packagedCode(file)};
${names.map(name => `export const ${name} = all.${name};`).join("\n")}`;
}

function locate(specifier: string, from: string): string | undefined {
  const own = specifier === "emberset" || specifier.startsWith("emberset/");
  for (const base of [from, programFolder]) {
    try {
      return pathToFileURL(createRequire(join(base, "x.js")).resolve(specifier)).href;
    } catch {
      // Not there: the next place.
    }
  }
  return own
    ? pathToFileURL(join(programFolder, "dist", specifier === "emberset" ? "modelling.js" : "tasks.js")).href
    : undefined;
}

/** Models in CommonJS ask for packages with `require`, which an ES module does not have. On the first line: no line moves. */
const REQUIRE =
  'import { createRequire as __emberset } from "node:module"; const require = __emberset(import.meta.url); ';

async function run(code: string): Promise<Record<string, unknown>> {
  const folder = mkdtempSync(join(tmpdir(), "emberset-"));
  const file = join(folder, "code.mjs");
  try {
    writeFileSync(file, `${REQUIRE}${code}`);
    return (await notForEver(importModule(pathToFileURL(file).href))) as Record<string, unknown>;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** In milliseconds: a config may ask somewhere for its secrets, but not for ever. */
const LOADING = 20_000;

/** Where something keeps Node running, what waits for what never comes would wait for ever. @throws Problem E125 */
async function notForEver<T>(loading: Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const tooLong = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(problems.brokenOffByLoading(undefined)), LOADING);
    timer.unref();
  });
  try {
    return await Promise.race([loading, tooLong]);
  } finally {
    clearTimeout(timer);
  }
}

async function runMapped(code: string): Promise<Record<string, unknown>> {
  process.setSourceMapsEnabled(true);
  try {
    return await run(code);
  } catch (error) {
    // The stack is written when it is first asked for, and only now in terms of the sources.
    if (error instanceof Error) void error.stack;
    throw error;
  } finally {
    process.setSourceMapsEnabled(false);
  }
}
