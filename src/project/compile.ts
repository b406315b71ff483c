import { mkdir, mkdtemp, readFile, rename, rm, writeFile } from "node:fs/promises";
import { createHash } from "node:crypto";
import { createRequire } from "node:module";
import { homedir, tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";
import type { BuildFailure, BuildOptions, Plugin } from "esbuild";
import { cacheFolder } from "../cache-folder.js";
import { isIdentifier } from "../core/model/code.js";
import { programFolder, VERSION } from "../version.js";
import { importModule } from "./import-module.js";

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
 * Loads one TypeScript file and gives its exports. What it compiles to is kept in the user's cache folder under the
 * hash of its text, since starting the compiler takes longer than most commands do.
 * @throws CompileError
 */
export async function loadConfigModule(file: string): Promise<Record<string, unknown>> {
  const text = await readFile(file, "utf8");
  const standalone = importsNothing(text);
  const cached = join(
    cacheFolder(homedir, join),
    `${createHash("sha256").update(`${VERSION}\n${text}`).digest("hex")}.mjs`,
  );
  if (standalone) {
    const known = await importModule(pathToFileURL(cached).href).catch(() => undefined);
    if (known) return known as Record<string, unknown>;
  }
  const input = { entryPoints: [file] };
  if (standalone) await keep(cached, await compile(input, dirname(file), false));
  return runCompiled(input, dirname(file));
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
  const exports = (await runCompiled(input, folder)) as Record<string, Record<string, unknown>>;
  return files.map((_, at) => exports[`m${at}`]!);
}

/** The config usually imports a type, or nothing. */
function importsNothing(text: string): boolean {
  return (
    !/\bimport\s*\(|\brequire\s*\(|^\s*export\b[^\n]*\bfrom\b/m.test(text) &&
    [...text.matchAll(/^\s*import\s+(?!type\b)[^\n]*/gm)].length === 0
  );
}

type Input = Pick<BuildOptions, "entryPoints" | "stdin">;

/** Only when it fails is it worth to know which line of the sources each line comes from. */
async function runCompiled(input: Input, folder: string): Promise<Record<string, unknown>> {
  const code = await compile(input, folder, false);
  try {
    return await run(code);
  } catch {
    return await runMapped(await compile(input, folder, true));
  }
}

async function compile(input: Input, folder: string, mapped: boolean): Promise<string> {
  const { build } = await import("esbuild");
  try {
    const result = await build({
      ...(input as BuildOptions),
      absWorkingDir: folder,
      bundle: true,
      write: false,
      format: "esm",
      platform: "node",
      target: "node20",
      sourcemap: mapped && "inline",
      sourceRoot: pathToFileURL(`${folder}/`).href,
      keepNames: true,
      // Names are read back from the classes' texts, and a name may have any letters.
      charset: "utf8",
      logLevel: "silent",
      plugins: [resolvePackages(folder)],
      // The settings the decorators are written for, whatever the project's own tsconfig says.
      tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
    });
    return result.outputFiles![0]!.text;
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
function resolvePackages(folder: string): Plugin {
  const known = new Map<string, string | undefined>();
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
        return found ? { path: found, external: true } : undefined;
      });
      build.onLoad({ filter: /.*/, namespace: "required" }, ({ path }) => ({ contents: reexport(path) }));
    },
  };
}

/** All that a CommonJS package exports, named one by one. */
function reexport(url: string): string {
  const file = fileURLToPath(url);
  const names = Object.keys(createRequire(url)(file) as object).filter(isIdentifier);
  return `import { createRequire } from "node:module";
const all = createRequire(${JSON.stringify(url)})(${JSON.stringify(file)});
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

async function run(code: string): Promise<Record<string, unknown>> {
  const folder = await mkdtemp(join(tmpdir(), "emberset-"));
  const file = join(folder, "code.mjs");
  try {
    await writeFile(file, code);
    return (await importModule(pathToFileURL(file).href)) as Record<string, unknown>;
  } finally {
    await rm(folder, { recursive: true, force: true });
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

/** A cache that cannot be written is no reason to stop. */
async function keep(file: string, code: string): Promise<void> {
  try {
    await mkdir(dirname(file), { recursive: true, mode: 0o700 });
    const draft = `${file}.${process.pid}`;
    await writeFile(draft, code, { mode: 0o600 });
    await rename(draft, file);
  } catch {
    // Compiled again next time.
  }
}
