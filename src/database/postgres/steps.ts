import { setTimeout as wait } from "node:timers/promises";
import { FILLER } from "../../core/dialect/postgres/names.js";
import { fillsRows, indexApart } from "../../core/dialect/postgres/steps.js";
import { quietly } from "../../core/dialect/postgres/render/stamps.js";
import { JOURNAL } from "../../core/schema/internal-tables.js";
import { patiently, PIECE_TAKES, STEP_WAITS } from "../session/patience.js";
import { EngineError, type Database, type Steps } from "../session/database.js";
import type { Statements } from "../session/statements.js";

type Own = Pick<Statements, "rows" | "run" | "runScripted"> & Pick<Database, "hasTable">;

interface About {
  /** In milliseconds. */
  readonly lockTimeout: number;
  readonly isRunning: () => Promise<boolean>;
}

/** There is one of that name already. */
const THERE = "42P07";

/** How a script is run on a PostgreSQL server while others write: each step is a transaction with its entry in the journal. */
export function onlineSteps(
  { rows, run, runScripted, hasTable }: Own,
  { lockTimeout, isRunning }: About,
): Steps {
  const together = async (work: () => Promise<void>) => {
    await run("BEGIN ISOLATION LEVEL READ COMMITTED");
    try {
      await work();
      await run("COMMIT");
    } catch (error) {
      await run("ROLLBACK").catch(() => undefined);
      throw error;
    }
  };
  const isValid = async (index: string): Promise<boolean | undefined> => {
    const [found] = await rows(
      "SELECT indisvalid AS valid FROM pg_index WHERE indexrelid = to_regclass(?)",
      index,
    );
    return found && found["valid"] === true;
  };
  /** An index that was not finished is none, and only in the way. */
  const clear = async (index: string) => {
    if ((await isValid(index)) === false) await run(`DROP INDEX CONCURRENTLY ${index}`);
  };
  /** Such a statement keeps nobody waiting, however long it waits: for transactions that began before it. */
  const unhurried = async <T>(work: () => Promise<T>): Promise<T> => {
    await run("SET lock_timeout = 0");
    try {
      return await work();
    } finally {
      await run(`SET lock_timeout = ${Math.min(lockTimeout, STEP_WAITS)}`).catch(() => undefined);
    }
  };
  return {
    stateOf: () => Promise.resolve(""),
    together,
    // In a transaction, to ask what is not there would end it.
    rowsIfThere: async sql => ((await hasTable(JOURNAL)) ? rows(sql) : []),
    lock: () => Promise.resolve(async () => undefined),
    isRunning,
    isDone: () => false,
    apart: {
      run: sql =>
        unhurried(async () => {
          try {
            await runScripted(sql);
          } catch (error) {
            const about = indexApart(sql);
            const isOthers = error instanceof EngineError && error.code === THERE;
            if (about?.does === "create" && !isOthers) await clear(about.index).catch(() => undefined);
            throw error;
          }
        }),
      isDone: async sql => {
        const about = indexApart(sql);
        if (!about) return false;
        if (about.does === "drop") return (await isValid(about.index)) === undefined;
        await unhurried(() => clear(about.index));
        return (await isValid(about.index)) === true;
      },
    },
    inPieces: sql => {
      const update = fillsRows(sql);
      if (!update) throw new Error(`no update in pieces: ${sql}`);
      return fillInPieces({ rows, runScripted }, { sql, table: update.table }, together);
    },
  };
}

/** How many pages of a table the first piece has, and any has at most. */
const PAGES = { first: 16, most: 2048 };

/**
 * An update of all rows that lack a value, some pages of the table at a time (https://www.postgresql.org/docs/15/sql-select.html,
 * TID range scans), each committed by itself. A piece is to be short, and shorter where somebody waits for it; between
 * two of them others have their turn. What is filled already costs little, so that one that was cut off is done again.
 */
async function fillInPieces(
  { rows, runScripted }: Pick<Own, "rows" | "runScripted">,
  { sql, table }: { readonly sql: string; readonly table: string },
  together: (work: () => Promise<void>) => Promise<void>,
): Promise<void> {
  const [size] = await rows(
    `SELECT pg_relation_size(r) / current_setting('block_size')::int AS pages, EXISTS (SELECT 1 FROM pg_trigger WHERE tgrelid = r AND NOT tgisinternal AND tgenabled <> 'D' AND NOT starts_with(tgname, '${FILLER}')) AS watched FROM to_regclass(?) AS r`,
    table,
  );
  const pages = Number(size?.["pages"] ?? 0);
  let many = PAGES.first;
  for (let from = 0; from < pages;) {
    const piece = `${sql} AND ctid >= '(${from},0)' AND ctid < '(${from + many},0)'`;
    const statements = size?.["watched"] === true ? quietly(table, piece) : [piece];
    const start = performance.now();
    let isWaitedFor = false;
    await patiently(() =>
      together(async () => {
        for (const each of statements) await runScripted(each);
        const [waiting] = await rows(WAITED_FOR);
        isWaitedFor = waiting?.["waits"] === true;
      }),
    );
    from += many;
    const took = performance.now() - start;
    if (isWaitedFor || took > 2 * PIECE_TAKES) many = Math.max(1, Math.floor(many / 2));
    else if (took < PIECE_TAKES) many = Math.min(PAGES.most, many * 2);
    await wait(isWaitedFor ? 2 * took : took / 4);
  }
}

/** Whether somebody waits for what this session holds. */
const WAITED_FOR =
  "SELECT EXISTS (SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND pg_backend_pid() = ANY (pg_blocking_pids(pid))) AS waits";
