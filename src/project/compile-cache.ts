import { readdirSync, readFileSync, statSync } from "node:fs";
import { dirname } from "node:path";
import { cacheFile, readCache, writeCache } from "../cache.js";
import { equal } from "../core/schema/canonical.js";
import { sha256 } from "../core/sha256.js";
import { VERSION } from "../version.js";
import { loadPackaged } from "./packaged.js";

/** Some sources as one script, and all that it was made of. */
export interface Compiled {
  readonly code: string;
  /** The sources it was compiled from. */
  readonly files: readonly string[];
  /** Where packages were found, by the folder they were looked for from and their name. */
  readonly packages: ReadonlyMap<string, string | undefined>;
  /** Packages that are loaded by themselves, by their main files. */
  readonly packaged: readonly string[];
}

/** A password in a URL, or something called like one beside a text: what holds it is compiled again each time. */
export const SECRETS = /:\/\/[^\s/:@"'`]*:[^\s"'`]*@|(?:passw|pwd|secret|token|key)\w*["']?\s*[:=]\s*["'`]/i;

/** What a compiled script was made of: while all of it is the same, compiling again would make the same. */
interface Made {
  readonly version: string;
  /** What was asked for. */
  readonly entry: string;
  readonly files: Readonly<Record<string, string>>;
  /** The names in the files' folders: another file may be found in one's place. */
  readonly folders: Readonly<Record<string, string>>;
  readonly packages: Readonly<Record<string, string | null>>;
  readonly packaged: Readonly<Record<string, readonly string[]>>;
}

/**
 * What was compiled in an earlier run from just the same sources, packages where they were, nothing beside them that was
 * not there: to start the compiler takes longer than most commands do.
 * @param entry what is asked for @param locate where a package is found from a folder
 */
export async function keptCompiled(
  entry: string,
  locate: (path: string, from: string) => string | undefined,
): Promise<string | undefined> {
  const kept = readCache(fileFor(entry))?.toString();
  const end = kept?.indexOf("\n") ?? -1;
  if (!kept || end < 0) return undefined;
  try {
    const made = JSON.parse(kept.slice("// ".length, end)) as Made;
    const found = new Map(
      Object.keys(made.packages).map(key => {
        const [from = "", path = ""] = key.split("\n");
        return [key, locate(path, from)] as const;
      }),
    );
    const now = await madeOf(entry, Object.keys(made.files), found, Object.keys(made.packaged));
    return equal(now, made) ? kept.slice(end + 1) : undefined;
  } catch {
    // What it was made of is no longer there.
    return undefined;
  }
}

/** In milliseconds: file systems tell no finer when a file was changed. */
const AT_ONCE = 20;

/**
 * Keeps what was compiled, unless a source may hold a secret, or was saved meanwhile: what was read of it may be either.
 * @param began when compiling began, as Date.now() tells it
 */
export async function keepCompiled(entry: string, compiled: Compiled, began: number): Promise<void> {
  const { code, files, packages, packaged } = compiled;
  const looked = [...files, ...files.map(file => dirname(file))];
  if (looked.some(path => statSync(path).mtimeMs > began - AT_ONCE)) return;
  if (files.some(file => SECRETS.test(readFileSync(file, "utf8")))) return;
  const made = await madeOf(entry, files, packages, packaged);
  // In JavaScript a line ends at two more letters than in JSON.
  const head = JSON.stringify(made).replace(/[\u2028\u2029]/g, " ");
  writeCache(fileFor(entry), `// ${head}\n${code}`);
}

function fileFor(entry: string): string {
  return cacheFile(`models-${hashOf(entry)}.mjs`);
}

async function madeOf(
  entry: string,
  files: readonly string[],
  packages: Compiled["packages"],
  packaged: readonly string[],
): Promise<Made> {
  const folders = [...new Set(files.map(dirname))];
  const names: Record<string, readonly string[]> = {};
  for (const file of packaged) names[file] = await loadPackaged(file);
  return {
    version: VERSION,
    entry,
    files: Object.fromEntries(files.map(file => [file, hashOf(readFileSync(file, "utf8"))])),
    folders: Object.fromEntries(
      folders.map(folder => [folder, hashOf(readdirSync(folder).sort().join("\n"))]),
    ),
    packages: Object.fromEntries([...packages].map(([key, url]) => [key, url ?? null])),
    packaged: names,
  };
}

function hashOf(text: string): string {
  return sha256(text).toString("hex").slice(0, 32);
}
