import { setTimeout as wait } from "node:timers/promises";
import { FILLER, quote } from "../../core/dialect/postgres/names.js";
import { copiesRows, fillsRows, indexApart } from "../../core/dialect/postgres/steps.js";
import type { RowsDone } from "../../core/problems.js";
import { JOURNAL } from "../../core/schema/internal-tables.js";
import { rowsOfOurs } from "../session/seen-tables.js";
import { patiently, STEP_WAITS } from "../session/patience.js";
import { PieceSize } from "../session/pieces.js";
import { EngineError, type Database, type Steps } from "../session/database.js";
import type { Statements } from "../session/statements.js";

type Own = Pick<Statements, "rows" | "run" | "runScripted"> & Pick<Database, "hasTable">;

interface About {
  /** In milliseconds. */
  readonly lockTimeout: number;
  /** How many rows a piece has at most; absent: as usual. */
  readonly batches?: number | undefined;
  readonly isRunning: () => Promise<boolean>;
}

/** There is one of that name already. */
const THERE = "42P07";

/** How a script is run on a PostgreSQL server while others write: each step is a transaction with its entry in the journal. */
export function onlineSteps(
  { rows, run, runScripted, hasTable }: Own,
  { lockTimeout, batches, isRunning }: About,
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
    rowsIfThere: sql => rowsOfOurs({ hasTable, rows }, JOURNAL, sql),
    lock: () => Promise.resolve(async () => undefined),
    isRunning,
    isDone: () => false,
    waitAtMost: left =>
      run(`SET LOCAL lock_timeout = ${Math.max(1, Math.min(lockTimeout, Math.round(left)))}`),
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
    inPieces: (sql, filled) => fillInPieces({ rows, runScripted, together }, sql, { most: batches, filled }),
  };
}

/** How many pages of a table are looked through for the rows of a piece: all of them are put in order each time. */
const PAGES = { least: 16, most: 2048 };

/**
 * An update of all rows that lack a value, or a copy of all rows, so many at a time in the order in which the table has them
 * (https://www.postgresql.org/docs/15/ddl-system-columns.html), each piece committed by itself. A piece is to be short, and
 * shorter where somebody waits for it; between two of them others have their turn. What is filled already costs little, so
 * that one that was cut off is done again.
 */
async function fillInPieces(
  { rows, runScripted, together }: Pick<Own, "rows" | "runScripted"> & Pick<Steps, "together">,
  sql: string,
  { most, filled }: Pieces,
): Promise<void> {
  const { table, lacks, among } = goesThrough(sql);
  const [size] = await rows(
    "SELECT pg_relation_size(oid) / current_setting('block_size')::int AS pages, reltuples FROM pg_class WHERE oid = to_regclass(?)",
    table,
  );
  const quietly = lacks === "" ? (each: string) => [each] : await quietlyOn(rows, table);
  const pages = Number(size?.["pages"] ?? 0);
  // Where nobody has counted them yet: https://www.postgresql.org/docs/15/catalog-pg-class.html
  const told = Number(size?.["reltuples"] ?? 0);
  const of =
    told > 0 ? Math.round(told) : Number((await rows(`SELECT count(*) AS n FROM ${table}`))[0]?.["n"]);
  const piece = new PieceSize(most);
  let [from, page, span] = ["(0,0)", 0, PAGES.least];
  while (page < pages) {
    const end = `(${page + span},0)`;
    const between = (to: string) => `ctid >= '${from}' AND ctid < '${to}'`;
    const [next] = await rows(
      `SELECT ctid::text AS place FROM ${table} WHERE ${lacks}${between(end)} ORDER BY ctid OFFSET ${piece.rows} LIMIT 1`,
    );
    const to = next ? String(next["place"]) : end;
    const statements = quietly(among(between(to)));
    const start = performance.now();
    let isWaitedFor = false;
    await patiently(() =>
      together(async () => {
        for (const each of statements) await runScripted(each);
        const [waiting] = await rows(WAITED_FOR);
        isWaitedFor = waiting?.["waits"] === true;
        await filled({ done: Math.min(of, Math.round((of * pageOf(to)) / pages)), of });
      }),
    );
    from = to;
    const began = page;
    // Where rows lie far apart it looks further, and no further than it has to.
    page = next ? pageOf(to) : page + span;
    span = next
      ? Math.max(PAGES.least, Math.min(span, 2 * (page - began) + 2))
      : Math.min(PAGES.most, span * 2);
    const took = performance.now() - start;
    piece.took(took, next !== undefined, isWaitedFor ? 0.5 : 1);
    await wait(isWaitedFor ? took : took / 4);
  }
}

interface Through {
  readonly table: string;
  /** The condition on its rows, with an AND behind it; "": all are meant. */
  readonly lacks: string;
  /** The statement, for those of them that another condition holds for. */
  readonly among: (condition: string) => string;
}

/** The rows that a statement is to go through in pieces. */
function goesThrough(sql: string): Through {
  const copied = copiesRows(sql);
  if (copied) {
    const { table, before, behind } = copied;
    return { table, lacks: "", among: condition => `${before} WHERE ${condition}${behind}` };
  }
  const { table, column } = fillsRows(sql)!;
  return { table, lacks: `${column} IS NULL AND `, among: condition => `${sql} AND ${condition}` };
}

interface Pieces {
  /** How many rows one has at most. */
  readonly most: number | undefined;
  readonly filled: (rows: RowsDone) => Promise<void>;
}

/** `(12,3)` → 12 */
function pageOf(place: string): number {
  return parseInt(place.slice(1), 10);
}

/** Makes an update one that no trigger of a table sees that is on; each is on again as it was, and those that are off stay so. */
async function quietlyOn(rows: Own["rows"], table: string): Promise<(update: string) => string[]> {
  const found = await rows(
    "SELECT tgname AS name, tgenabled = 'A' AS always FROM pg_trigger WHERE tgrelid = to_regclass(?) AND NOT tgisinternal AND tgenabled IN ('O', 'A')",
    table,
  );
  const triggers = found
    .map(({ name, always }) => ({ name: String(name), verb: always === true ? "ENABLE ALWAYS" : "ENABLE" }))
    .filter(({ name }) => !name.startsWith(FILLER));
  if (triggers.length === 0) return update => [update];
  const off = triggers.map(({ name }) => `DISABLE TRIGGER ${quote(name)}`).join(", ");
  const on = triggers.map(({ name, verb }) => `${verb} TRIGGER ${quote(name)}`).join(", ");
  return update => [`ALTER TABLE ${table} ${off}`, update, `ALTER TABLE ${table} ${on}`];
}

/** Whether somebody waits for what this session holds. */
const WAITED_FOR =
  "SELECT EXISTS (SELECT 1 FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND pg_backend_pid() = ANY (pg_blocking_pids(pid))) AS waits";
