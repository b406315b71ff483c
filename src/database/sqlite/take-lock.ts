import { readFileSync, statSync } from "node:fs";
import { hostname } from "node:os";
import { setTimeout as wait } from "node:timers/promises";
import { Problem, problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Watched } from "../session/engine.js";
import type { Statements } from "../session/statements.js";

const BEGIN = "BEGIN IMMEDIATE";

const SOMEBODY = "another process";

/** Milliseconds between two attempts: by chance, so that those who wait do not step on each other's feet. */
const PAUSE = { least: 10, spread: 30 };

/**
 * Takes the write lock of a file. SQLite's own waiting stands still until the time is up, tells nobody, and cannot be
 * ended, so the lock is asked for again and again instead.
 * @param begin runs a statement and lets go of it at once: one that was refused for the lock is in progress until then,
 *   and stands in the way of a commit (https://sqlite.org/rescode.html#busy)
 * @throws Problem E404 when it is not to be had in the target's time
 */
export async function takeLock(
  { run, sent }: Statements,
  begin: (sql: string) => void,
  { target, onWait }: Pick<Watched, "onWait"> & { readonly target: TargetSettings },
): Promise<void> {
  const until = Date.now() + target.lockTimeout;
  await run("PRAGMA busy_timeout = 0");
  try {
    let isTold = false;
    for (let tries = 0; ; tries += 1) {
      try {
        return await sent(BEGIN, () => begin(BEGIN));
      } catch (error) {
        if (!isLocked(error) || Date.now() >= until) throw error;
      }
      // It may have let go just now, and then there is nobody to tell of.
      const whom =
        isTold || tries === 0 ? undefined : (holderOf(target.address) ?? (tries > 20 ? SOMEBODY : undefined));
      if (whom !== undefined) {
        onWait?.(whom);
        isTold = true;
      }
      await wait(PAUSE.least + Math.random() * PAUSE.spread);
    }
  } finally {
    await run(`PRAGMA busy_timeout = ${target.lockTimeout}`);
  }
}

function isLocked(error: unknown): boolean {
  return error instanceof Problem && error.code === problems.locked.code;
}

/**
 * Who has locked a file, by the kernel's own list, which knows other programs too:
 * https://man7.org/linux/man-pages/man5/proc_locks.5.html
 */
function holderOf(file: string): string | undefined {
  try {
    // With a log, locks stand on the file of its index: https://sqlite.org/walformat.html#locks
    const held = [file, `${file}-shm`].flatMap(name => {
      const ino = statSync(name, { throwIfNoEntry: false })?.ino;
      return ino === undefined ? [] : [`:${ino}`];
    });
    for (const line of readFileSync("/proc/locks", "utf8").split("\n")) {
      const [, kind, , access, pid, inode = ""] = line.split(/\s+/);
      if (kind !== "POSIX" || access !== "WRITE" || !held.some(end => inode.endsWith(end))) continue;
      if (Number(pid) === process.pid) continue;
      return `process ${pid} on ${hostname()}, since ${startOf(pid!)} UTC`;
    }
  } catch {
    // Other systems have no such list.
  }
  return undefined;
}

/** When a process began. */
function startOf(pid: string): string {
  return statSync(`/proc/${pid}`).ctime.toISOString().slice(11, 19);
}
