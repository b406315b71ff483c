import { setTimeout as wait } from "node:timers/promises";
import type { Catalog, CatalogRow } from "../../core/dialect/shared/dialect.js";
import { postgres } from "../../core/dialect/postgres/index.js";
import { atticViews } from "../../core/dialect/postgres/catalog/queries.js";
import { ATTIC } from "../../core/schema/internal-tables.js";
import { Problem, problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import { Breakage, type Database } from "../session/database.js";
import type { Watched } from "../session/engine.js";
import { statementsOver, type Statements } from "../session/statements.js";
import { refuseBreakingBodies } from "./bodies.js";
import { refuseDependents } from "./dependents.js";
import { giveBackLines, noteSurroundings } from "./surroundings.js";
import { triggersThatAreOff, turnOff } from "./triggers.js";
import { FAILURES } from "./failures.js";
import { messageOf } from "../../core/errors.js";
import { seenTables } from "../session/seen-tables.js";
import { STEP_WAITS } from "../session/patience.js";
import { onlineSteps } from "./steps.js";

/**
 * A server's, a database's or a user's own settings do not decide what a script means: moments are in UTC, texts and
 * what the catalog tells are written in one way, every constraint is looked at, and a policy that would hide rows is an
 * error instead. https://www.postgresql.org/docs/15/runtime-config-client.html
 */
const SETTINGS_LIST = [
  "SET TimeZone = 'UTC'",
  "SET DateStyle = 'ISO, YMD'",
  "SET IntervalStyle = 'postgres'",
  "SET standard_conforming_strings = on",
  "SET bytea_output = 'hex'",
  "SET extra_float_digits = 1",
  "SET transform_null_equals = off",
  "SET array_nulls = on",
  "SET xmloption = content",
  "SET quote_all_identifiers = off",
  "SET row_security = off",
  "SET statement_timeout = 0",
  "SET idle_in_transaction_session_timeout = 0",
  "SET client_min_messages = warning",
  // Only who may, may change it; where it is as usual nobody needs to.
  "SELECT set_config('session_replication_role', 'origin', false) WHERE current_setting('session_replication_role') <> 'origin'",
];

/** For a whole session. */
export const SETTINGS = SETTINGS_LIST.join("; ");

/** The same for a transaction. */
export const LOCAL_SETTINGS = SETTINGS_LIST.map(sql =>
  sql.replace(/^SET /, "SET LOCAL ").replace(", false)", ", true)"),
).join("; ");

/** Any number that others are unlikely to use: all runs of Emberset on one database take turns on it. */
const LOCK_KEY = 4_136_982_057;

/** A connection to a PostgreSQL that answers: a server's, or the embedded one. */
export interface Connection {
  /** One statement with its parameters as `$1`, `$2` … */
  readonly query: (sql: string, values: unknown[]) => Promise<{ readonly rows: readonly unknown[] }>;
  /** Several statements sent at once, without parameters; the rows of each. */
  readonly queries: (sql: string) => Promise<readonly (readonly unknown[])[]>;
  /** Several statements sent at once, until one fails. Absent: that saves nothing. @param onDone called for each that is done */
  readonly script?: (sql: string, onDone: () => void) => Promise<void>;
  /** What cut it, if anything did. */
  readonly cut: () => Error | undefined;
  readonly end: () => Promise<void>;
}

/** One that takes several statements at once. */
interface OverConnection extends Database {
  /** Sends several, without parameters, at once. @returns the rows of the last */
  readonly lastRows: (sql: string) => Promise<CatalogRow[]>;
}

/** A database by way of a connection. */
export function databaseOver(
  connection: Connection,
  target: TargetSettings,
  watched: Watched,
): OverConnection {
  // Where the connection was cut, that says more than what the driver makes of it.
  const orCut = async <T>(work: Promise<T>): Promise<T> =>
    work.catch((error: unknown) => {
      throw connection.cut() ?? error;
    });
  const statements = statementsOver(
    {
      query: async (sql, values) =>
        (await orCut(connection.query(values.length > 0 ? numbered(sql) : sql, [...values])))
          .rows as CatalogRow[],
      execute: sql => orCut(connection.query(sql, [])),
      ...(connection.script && {
        // One may end in a comment.
        executeAll: (sqls, onDone) => orCut(connection.script!(sqls.join("\n;\n"), onDone)),
      }),
    },
    { target, watched, failures: FAILURES },
  );
  const { rows, runScripted, runAllScripted } = statements;
  const lastRows = (sql: string) =>
    statements.sent(sql, async () => ((await orCut(connection.queries(sql))).at(-1) ?? []) as CatalogRow[]);
  const { hasTable, run, asOneLook } = seenTables(names => whichOf(names, rows), statements.run, true);
  const isRunning = async () => (await rows(HOLDER)).length > 0;
  const { lockTimeout, batches } = target;
  return {
    dialect: dialectOf(target),
    target,
    rows,
    lastRows,
    run,
    runScripted,
    ...(runAllScripted && { runAllScripted }),
    online: onlineSteps({ rows, run, runScripted, hasTable }, { lockTimeout, batches, isRunning }),
    exclusively: async (work, how) => {
      const locked = () => asOneLook(work);
      const turn = { target, onWait: watched.onWait };
      if (how === "by steps") return bySteps(statements, turn, locked);
      const begin = `BEGIN ISOLATION LEVEL READ COMMITTED; SET LOCAL lock_timeout = ${lockTimeout}; `;
      const ask = (sql: string, asked: number) => (asked === 0 ? lastRows(begin + sql) : rows(sql));
      try {
        await takeTurn({ ask, rows }, turn, "pg_try_advisory_xact_lock");
        const result = await locked();
        await run("COMMIT");
        return result;
      } catch (error) {
        // A connection that was cut cannot be rolled back any more: the server has done so.
        await connection.query("ROLLBACK", []).catch(() => undefined);
        throw error;
      }
    },
    hold: tables => run(`LOCK TABLE ${tables.join(", ")} IN ACCESS EXCLUSIVE MODE`),
    // The server itself refuses what others' objects stand in the way of, and says which; but views follow a table.
    watch: async (scripted, { surroundings = [] }) => {
      await refuseBreakingBodies({ rows }, scripted);
      await refuseDependents({ rows }, scripted);
      const off = await triggersThatAreOff({ rows }, scripted);
      const around = await noteSurroundings({ rows, run }, scripted, Object.keys(target.roles));
      return {
        restore: async () => {
          await turnOff({ rows, run }, off);
          const left = (await around?.restore()) ?? [];
          await giveBackLines({ rows, run }, surroundings);
          return left;
        },
        inspect: async () => {
          if (scripted.some(({ sql }) => sql.includes(ATTIC))) refuseViews(await rows(atticViews));
        },
      };
    },
    readCatalog: () => readCatalog(statements, target, sql => orCut(connection.queries(sql))),
    hasTable,
    asOneLook,
    close: () => connection.end(),
  };
}

/** Asked of the catalog itself: to_regclass may answer from a cache that has not yet heard of another's commit. */
async function whichOf(names: readonly string[], rows: Database["rows"]): Promise<string[]> {
  const here = "(SELECT oid FROM pg_namespace WHERE nspname = current_schema())";
  const list = names.map(() => "?").join(", ");
  const sql = `SELECT relname AS name FROM pg_class WHERE relname IN (${list}) AND relnamespace = ${here}`;
  return (await rows(sql, ...names)).map(({ name }) => String(name));
}

interface Turn extends Pick<Watched, "onWait"> {
  readonly target: TargetSettings;
}

interface Asked extends Pick<Database, "rows"> {
  /** Asks for the turn. @param asked how often that was done before */
  readonly ask: (sql: string, asked: number) => Promise<CatalogRow[]>;
}

/**
 * Waits until no other run is at it. Asked again and again: who waits in one statement is a transaction that an index, which is
 * built meanwhile, waits for in its turn. @param take a function of the server's @throws Problem E404
 */
async function takeTurn({ ask, rows }: Asked, { target, onWait }: Turn, take: string): Promise<void> {
  const until = performance.now() + target.lockTimeout;
  for (let asked = 0; ; asked += 1) {
    const [tried] = await ask(`SELECT ${take}(${LOCK_KEY}) AS taken`, asked);
    if (tried?.["taken"] === true) return;
    if (asked === 0) onWait?.(await holderOf(rows));
    if (performance.now() > until)
      throw problems.locked({ target: target.name, waited: `${target.lockTimeout / 1000} s` });
    await wait(Math.min(10 + 10 * asked, 100));
  }
}

/** Work in no transaction, while no other run is at it; no statement waits for long. */
async function bySteps<T>({ rows, run }: Statements, turn: Turn, work: () => Promise<T>): Promise<T> {
  await takeTurn({ ask: sql => rows(sql), rows }, turn, "pg_try_advisory_lock");
  try {
    await run(`SET lock_timeout = ${Math.min(turn.target.lockTimeout, STEP_WAITS)}`);
    return await work();
  } finally {
    // A connection that was cut has let go of it.
    for (const sql of ["SET lock_timeout = DEFAULT", `SELECT pg_advisory_unlock(${LOCK_KEY})`])
      await run(sql).catch(() => undefined);
  }
}

/** Who else has the lock: https://www.postgresql.org/docs/15/view-pg-locks.html */
const HOLDER = `SELECT a.pid, nullif(a.application_name, '') AS name, to_char(coalesce(a.xact_start, a.backend_start) AT TIME ZONE 'UTC', 'HH24:MI:SS') AS since
  FROM pg_locks l JOIN pg_stat_activity a USING (pid)
  WHERE l.locktype = 'advisory' AND l.granted AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
    AND (l.classid::bigint << 32) | l.objid::bigint = ${LOCK_KEY} AND l.pid <> pg_backend_pid()`;

/** Who has the lock, as far as the server shows it. */
async function holderOf(rows: Database["rows"]): Promise<string> {
  const [found] = await rows(HOLDER);
  if (!found) return "another process";
  const name =
    typeof found["name"] === "string"
      ? found["name"].replace(/^emberset, /, "")
      : `server process ${String(found["pid"])}`;
  return `${name}${typeof found["since"] === "string" ? `, since ${found["since"]} UTC` : ""}`;
}

/** Views that would go on reading a table that was put away. @throws Breakage */
function refuseViews(views: readonly CatalogRow[]): void {
  if (views.length === 0) return;
  const found = views.map(({ name, uses }) => `view ${String(name)} uses ${String(uses)}`);
  throw new Breakage("objects", found, "they would go on reading a table that was put away");
}

/** All queries are sent at once: while rows of one are read here, the server works out the next. */
async function readCatalog(
  { sent, rows }: Statements,
  target: TargetSettings,
  queries: Connection["queries"],
): Promise<Catalog> {
  const sql = postgres.catalog.queries.join(";\n");
  try {
    const results = (await sent(sql, () => queries(sql))) as CatalogRow[][];
    const further = postgres.catalog.further?.(results);
    const more = further === undefined ? [] : [await rows(further)];
    return dialectOf(target).catalog.read([...results, ...more]);
  } catch (error) {
    if (!(error instanceof Problem) || error.code !== problems.readOnly.code) throw error;
    const message = messageOf(error.cause);
    throw problems.noCatalogRight({ target: target.name, label: target.label, reason: message }, error.cause);
  }
}

/** `?` as in the other dialects, to `$1`, `$2` … What has values is a statement of ours, with no other question marks. */
function numbered(sql: string): string {
  let number = 0;
  return sql.replace(/\?/g, () => `$${(number += 1)}`);
}
