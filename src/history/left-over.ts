import { existsSync, readdirSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";

/** A folder that is being written: the process, and letters by chance. */
export const DRAFT = ".draft-";

/** A migration's folder that is away while another takes its place: the process, and its name. */
export const AWAY = ".old-";

/**
 * What a process that was killed while it wrote has left among the migrations: a folder that is away comes back, unless
 * the one that takes its place is there; what was being written goes.
 */
export function tidy(folder: string): void {
  for (const name of readdirSync(folder)) {
    const [, kind, process, migration] = /^(\.draft-|\.old-)(\d+)-(.+)$/.exec(name) ?? [];
    if (kind === undefined || isRunning(Number(process))) continue;
    const number = /^\d+-/.exec(migration ?? "")?.[0];
    const isReplaced = readdirSync(folder).some(each => number !== undefined && each.startsWith(number));
    try {
      if (kind === AWAY && number !== undefined && !isReplaced)
        renameSync(join(folder, name), join(folder, migration!));
      else if (existsSync(join(folder, name))) rmSync(join(folder, name), { recursive: true });
    } catch {
      // Who may only read leaves it as it is.
    }
  }
}

/** https://man7.org/linux/man-pages/man2/kill.2.html: signal 0 asks only. Another user's process runs, too. */
function isRunning(id: number): boolean {
  try {
    process.kill(id, 0);
    return true;
  } catch (error) {
    return (error as { code?: string }).code !== "ESRCH";
  }
}
