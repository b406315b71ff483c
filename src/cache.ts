import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, join } from "node:path";

/** Where a thing is kept that can be made again: https://specifications.freedesktop.org/basedir-spec/latest/ */
export function cacheFile(name: string): string {
  return join(process.env["XDG_CACHE_HOME"] || join(homedir(), ".cache"), "emberset", name);
}

/** What is kept there; undefined when it is not, or cannot be read. */
export function readCache(file: string): Buffer | undefined {
  try {
    return readFileSync(file);
  } catch {
    return undefined;
  }
}

/** Keeps a thing for the next runs, whole or not at all. A cache that cannot be written is no reason to stop. */
export function writeCache(file: string, data: Buffer | string): void {
  try {
    mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
    const draft = `${file}.${process.pid}`;
    writeFileSync(draft, data, { mode: 0o600 });
    renameSync(draft, file);
    removeOld(dirname(file));
  } catch {
    // Made again next time.
  }
}

const DAYS_KEPT = 60;

/** Each build of the program and each project leaves things here: what is old goes, and is made again when asked for. */
function removeOld(folder: string): void {
  const oldest = Date.now() - DAYS_KEPT * 24 * 60 * 60 * 1000;
  for (const name of readdirSync(folder)) {
    const file = join(folder, name);
    if (statSync(file).mtimeMs < oldest) rmSync(file);
  }
}
