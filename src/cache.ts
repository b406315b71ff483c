import {
  closeSync,
  constants,
  fstatSync,
  lstatSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
  type Stats,
} from "node:fs";
import { homedir } from "node:os";
import { dirname, isAbsolute, join } from "node:path";

/** Where a thing is kept that can be made again: https://specifications.freedesktop.org/basedir-spec/latest/ */
export function cacheFile(name: string): string {
  const given = process.env["XDG_CACHE_HOME"];
  // One that is relative is to be ignored: it would be another folder in each folder.
  return join(given && isAbsolute(given) ? given : join(homedir(), ".cache"), "emberset", name);
}

/**
 * What is kept there; undefined when it is not, or cannot be read, or is not surely ours: code that another user could
 * have written there would run.
 */
export function readCache(file: string): Buffer | undefined {
  let descriptor: number | undefined;
  try {
    if (!isOurs(lstatSync(dirname(file)))) return undefined;
    descriptor = openSync(file, constants.O_RDONLY | constants.O_NOFOLLOW);
    return isOurs(fstatSync(descriptor)) ? readFileSync(descriptor) : undefined;
  } catch {
    return undefined;
  } finally {
    if (descriptor !== undefined) closeSync(descriptor);
  }
}

/** Whether we own a file or folder, itself and no link, and nobody else may write to it. Where there are no owners, it is. */
function isOurs(stats: Stats): boolean {
  const self = process.getuid?.();
  if (self === undefined) return true;
  return !stats.isSymbolicLink() && stats.uid === self && (stats.mode & 0o022) === 0;
}

/** Keeps a thing for the next runs, whole or not at all. A cache that cannot be written is no reason to stop. */
export function writeCache(file: string, data: Buffer | string): void {
  try {
    mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
    if (!isOurs(lstatSync(dirname(file)))) return;
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
