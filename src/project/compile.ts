import { mkdir, mkdtemp, readFile, rename, rm, writeFile } from "node:fs/promises";
import { createHash } from "node:crypto";
import { createRequire } from "node:module";
import { homedir, tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { pathToFileURL } from "node:url";
import type { BuildFailure, BuildOptions, Plugin } from "esbuild";
import { programFolder, VERSION } from "../version.js";

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
    cacheFolder(),
    `${createHash("sha256").update(`${VERSION}\n${text}`).digest("hex")}.mjs`,
  );
  if (standalone) {
    const known = await import(pathToFileURL(cached).href).catch(() => undefined);
    if (known) return known as Record<string, unknown>;
  }
  const code = await compile({ entryPoints: [file] }, dirname(file));
  if (standalone) await keep(cached, code);
  return run(code);
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
  const code = await compile({ stdin: { contents, resolveDir: folder, loader: "ts" } }, folder);
  const exports = (await run(code)) as Record<string, Record<string, unknown>>;
  return files.map((_, at) => exports[`m${at}`]!);
}

/** The config usually imports a type, or nothing. */
function importsNothing(text: string): boolean {
  return (
    !/\bimport\s*\(|\brequire\s*\(|^\s*export\b[^\n]*\bfrom\b/m.test(text) &&
    [...text.matchAll(/^\s*import\s+(?!type\b)[^\n]*/gm)].length === 0
  );
}

async function compile(input: Pick<BuildOptions, "entryPoints" | "stdin">, folder: string): Promise<string> {
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
      sourcemap: "inline",
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
  return {
    name: "packages",
    setup(build) {
      build.onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) => {
        if (kind === "entry-point" || path.startsWith("node:")) return undefined;
        const found = locate(path, importer ? dirname(importer) : folder);
        return found ? { path: found, external: true } : undefined;
      });
    },
  };
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
    process.setSourceMapsEnabled(true);
    return (await import(pathToFileURL(file).href)) as Record<string, unknown>;
  } catch (error) {
    // The stack is written when it is first asked for, and only now in terms of the sources.
    if (error instanceof Error) void error.stack;
    throw error;
  } finally {
    process.setSourceMapsEnabled(false);
    await rm(folder, { recursive: true, force: true });
  }
}

/** https://specifications.freedesktop.org/basedir-spec/latest/ */
function cacheFolder(): string {
  return join(process.env["XDG_CACHE_HOME"] || join(homedir(), ".cache"), "emberset");
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
