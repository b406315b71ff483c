import { problems } from "../../core/problems.js";
import { cutName } from "../../core/schema/naming.js";
import { JOURNAL } from "../../core/schema/internal-tables.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Turn, Waiting } from "../session/database.js";
import type { Statements } from "../session/statements.js";

/** How long others are kept waiting from one run to the next, in milliseconds. */
const LONGEST_STAY = 1000;

interface Turns extends Turn {
  /** Work that is done while no other run is at it. */
  readonly whileLocked: <T>(work: () => Promise<T>) => Promise<T>;
}

interface Told {
  readonly onWait: Waiting | undefined;
  readonly onTaken: () => void;
  readonly onLetGo: () => void;
}

/**
 * How runs on a database take turns. MariaDB commits each statement that changes a schema
 * (https://mariadb.com/kb/en/sql-statements-that-cause-an-implicit-commit/), so there is no transaction to undo; a named
 * lock of the session keeps other runs away.
 */
export function turnsOn(
  { rows, run }: Statements,
  target: TargetSettings,
  { onWait, onTaken, onLetGo }: Told,
): Turns {
  const { name, lockTimeout } = target;
  const lock = lockOf(target);
  let held: { readonly since: number; runs: number; stays: boolean } | undefined;
  const take = async (seconds: number) => {
    const [row] = await rows("SELECT GET_LOCK(?, ?) AS taken", lock, seconds);
    return Number(row?.["taken"]) === 1;
  };
  const takeTurn = async () => {
    const isFree = await take(0);
    if (!isFree) onWait?.(await holderOf(rows, lock));
    if (!isFree && !(await take(lockTimeout / 1000)))
      throw problems.locked({ target: name, waited: `${lockTimeout / 1000} s` });
    onTaken();
    return { since: performance.now(), runs: 0, stays: false };
  };
  const letGo = async () => {
    if (!held) return;
    held = undefined;
    onLetGo();
    // A script that failed may have left tables locked.
    await run("UNLOCK TABLES").catch(() => undefined);
    await run("SELECT RELEASE_LOCK(?)", lock).catch(() => undefined);
  };
  return {
    whileLocked: async work => {
      const turn = (held ??= await takeTurn());
      turn.stays = false;
      turn.runs += 1;
      let isDone = false;
      try {
        const result = await work();
        isDone = true;
        return result;
      } finally {
        turn.runs -= 1;
        if (turn.runs === 0 && !(isDone && turn.stays)) await letGo();
      }
    },
    stay: () => {
      if (held) held.stays = performance.now() - held.since < LONGEST_STAY;
      return held?.stays ?? false;
    },
    letGo,
  };
}

/** Work whose statements wait but shortly for what others hold: a second is the least that there is. */
export async function shortly<T>(
  { run }: Statements,
  { lockTimeout }: TargetSettings,
  work: () => Promise<T>,
): Promise<T> {
  const [lock, rows] = ["lock_wait_timeout", "innodb_lock_wait_timeout"];
  await run(`SET SESSION ${lock} = 1, ${rows} = 1`);
  try {
    return await work();
  } finally {
    await run(`SET SESSION ${lock} = ${patienceOf(lockTimeout)}, ${rows} = DEFAULT`).catch(() => undefined);
  }
}

/** In whole seconds. */
export function patienceOf(lockTimeout: number): number {
  return Math.max(1, Math.ceil(lockTimeout / 1000));
}

/**
 * The name of the lock on which runs on a database take turns, at most 64 characters (https://mariadb.com/kb/en/get_lock/): names
 * of databases that begin alike must not be one.
 */
export function lockOf({ address }: Pick<TargetSettings, "address">): string {
  return cutName(`emberset ${new URL(address).pathname.slice(1)}`, 64);
}

/** Who has a lock: by what it says of itself, else by what the server shows of it. */
async function holderOf(rows: Statements["rows"], lock: string): Promise<string> {
  const query =
    "SELECT ID AS id, USER AS user, HOST AS host, DATE_FORMAT(UTC_TIMESTAMP() - INTERVAL TIME SECOND, '%H:%i:%s') AS since FROM information_schema.PROCESSLIST WHERE ID = IS_USED_LOCK(?)";
  const [found] = await rows(query, lock).catch(() => []);
  const [said] = await rows(
    // The journal may be locked: what it says is not worth waiting for.
    `SET STATEMENT lock_wait_timeout = 0 FOR SELECT run_by, began_at FROM ${JOURNAL}`,
  ).catch(() => []);
  if (said) return `${String(said["run_by"])}, since ${String(said["began_at"]).slice(11, 19)} UTC`;
  if (!found) return "another process";
  return `connection ${String(found["id"])} of ${String(found["user"])} from ${String(found["host"])}, since ${String(found["since"])} UTC`;
}
