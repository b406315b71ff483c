import { setTimeout as wait } from "node:timers/promises";
import { problems, Problem } from "../../core/problems.js";
import { EngineError } from "./database.js";

/** How long a step waits for what others hold, in milliseconds, while others wait behind it. */
export const STEP_WAITS = 250;

/** How long a piece of an update of many rows is to take, in milliseconds: writers of its rows wait as long. */
export const PIECE_TAKES = 40;

/** How often it is tried before a run gives up: about five minutes. */
const TRIES = 60;

/** The pause before the next try, in milliseconds: longer each time, and never just as long as another's. */
function pauseBefore(tried: number): number {
  const most = Math.min(200 * 1.5 ** tried, 5000);
  return most * (0.5 + Math.random());
}

/** Deadlocks that the engines undo: https://www.postgresql.org/docs/15/errcodes-appendix.html, https://mariadb.com/kb/en/mariadb-error-codes/ */
const DEADLOCKS = ["40P01", "ER_LOCK_DEADLOCK"];

/** Whether somebody else was in the way, who will be gone. */
function isBusy(error: unknown): boolean {
  if (error instanceof EngineError) return DEADLOCKS.includes(error.code);
  return error instanceof Problem && error.code === problems.locked.code;
}

/**
 * Work that waits but shortly for what others hold, done once more after a pause: who waits for long lets all others wait
 * behind it. @param onPause told how often it was tried
 */
export async function patiently<T>(work: () => Promise<T>, onPause?: (tried: number) => void): Promise<T> {
  for (let tried = 1; ; tried += 1) {
    try {
      return await work();
    } catch (error) {
      if (!isBusy(error)) throw error;
      if (tried >= TRIES) {
        const reason = `others held what it needs each of the ${TRIES} times that it was tried`;
        throw new EngineError("", reason, "run it again when they are done; it goes on from here", error);
      }
      onPause?.(tried);
      await wait(pauseBefore(tried));
    }
  }
}
