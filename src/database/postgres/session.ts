import type { CatalogRow } from "../../core/dialect/dialect.js";
import { postgres } from "../../core/dialect/postgres/index.js";
import { atticViews } from "../../core/dialect/postgres/catalog.js";
import { ATTIC } from "../../core/schema/own.js";
import { Problem, problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import { isTlsFailure } from "../tls.js";
import { Breakage, EngineError, type Database, type Trace, type Value } from "../database.js";

/** Any number that others are unlikely to use: all runs of Emberset on one database take turns on it. */
const LOCK_KEY = 4_136_982_057;

/** A connection to a PostgreSQL that answers: a server's, or the embedded one. */
export interface Connection {
  /** One statement with its parameters as `$1`, `$2` … */
  readonly query: (sql: string, values: unknown[]) => Promise<{ readonly rows: readonly unknown[] }>;
  /** Several statements sent at once, without parameters; the rows of each. */
  readonly queries: (sql: string) => Promise<readonly (readonly unknown[])[]>;
  /** What cut it, if anything did. */
  readonly cut: () => Error | undefined;
  readonly end: () => Promise<void>;
}

/** A database by way of a connection. */
export function databaseOver(
  connection: Connection,
  target: TargetSettings,
  trace: Trace | undefined,
): Database {
  const timed = async <T>(sql: string, work: () => Promise<T>): Promise<T> => {
    const start = performance.now();
    try {
      return await work();
    } finally {
      trace?.(sql, performance.now() - start);
    }
  };
  const query = async (sql: string, values: readonly Value[] = []): Promise<CatalogRow[]> => {
    try {
      const { rows } = await timed(sql, () => connection.query(numbered(sql), [...values]));
      return rows as CatalogRow[];
    } catch (error) {
      throw explain(connection.cut() ?? error, sql, target);
    }
  };
  return {
    dialect: dialectOf(target),
    target,
    rows: (sql, ...values) => query(sql, values),
    run: async (sql, ...values) => void (await query(sql, values)),
    runScripted: async sql => {
      try {
        await timed(sql, () => connection.query(sql, []));
      } catch (error) {
        throw engineError(connection.cut() ?? error, target);
      }
    },
    exclusively: async work => {
      await query("BEGIN ISOLATION LEVEL READ COMMITTED");
      try {
        await query(`SET LOCAL lock_timeout = ${target.lockTimeout}`);
        await query(`SELECT pg_advisory_xact_lock(${LOCK_KEY})`);
        const result = await work();
        await query("COMMIT");
        return result;
      } catch (error) {
        // A connection that was cut cannot be rolled back any more: the server has done so.
        await connection.query("ROLLBACK", []).catch(() => undefined);
        throw error;
      }
    },
    // The server itself refuses what others' objects stand in the way of, and says which; but views follow a table.
    watch: async statements => ({
      restore: async () => undefined,
      inspect: async () => {
        if (!statements.some(({ sql }) => sql.includes(ATTIC))) return;
        const views = await query(atticViews);
        if (views.length === 0) return;
        const found = views.map(({ name, uses }) => `view ${String(name)} uses ${String(uses)}`);
        throw new Breakage("objects", found, "they would go on reading a table that was put away");
      },
    }),
    readCatalog: async () => {
      // Sent at once: while rows of one are read here, the server works out the next.
      const sql = postgres.catalogQueries.join(";\n");
      try {
        const results = await timed(sql, () => connection.queries(sql));
        return postgres.readCatalog(results as CatalogRow[][]);
      } catch (error) {
        const { code, message } = error as { code?: string; message?: string };
        const { name, place } = target;
        if (code === "42501")
          throw problems.noCatalogRight({ target: name, place, reason: message ?? "" }, error);
        throw explain(connection.cut() ?? error, sql, target);
      }
    },
    // Asked of the catalog itself: to_regclass may answer from a cache that has not yet heard of another's commit.
    hasTable: async name => {
      const here = "(SELECT oid FROM pg_namespace WHERE nspname = current_schema())";
      const sql = `SELECT 1 FROM pg_class WHERE relname = ? AND relnamespace = ${here}`;
      return (await query(sql, [name])).length > 0;
    },
    close: () => connection.end(),
  };
}

/** `?` as in the other dialects, to `$1`, `$2` … Our own statements hold no question marks besides. */
function numbered(sql: string): string {
  let number = 0;
  return sql.replace(/\?/g, () => `$${(number += 1)}`);
}

/** https://www.postgresql.org/docs/15/errcodes-appendix.html, and Node's codes for the network */
export function explain(error: unknown, sql: string, target: TargetSettings): unknown {
  if (error instanceof Problem) return error;
  const { code = "", message, detail } = error as { code?: string; message: string; detail?: string };
  const { name, place, lockTimeout } = target;
  const reason = [message, detail].filter(Boolean).join(": ");
  if (isTlsFailure(code, message)) return problems.noTls({ target: name, place, reason: message }, error);
  if (code === "3D000") return problems.noDatabase({ target: name, place, server: true }, error);
  if (/^28/.test(code)) return problems.notLetIn({ target: name, place, reason }, error);
  if (code === "55P03") return problems.locked({ target: name, waited: `${lockTimeout / 1000} s` }, error);
  if (code === "25006" || code === "42501") return problems.readOnly({ place, reason }, error);
  if (
    /^(?:ECONNREFUSED|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|EAI_AGAIN)$/.test(code) ||
    /timeout expired/i.test(message)
  ) {
    return problems.unreachable({ target: name, place, reason: message || code }, error);
  }
  if (
    /^(?:ECONNRESET|EPIPE|57P0[123]|08)/.test(code) ||
    /connection.*(?:terminated|closed)|not queryable/i.test(message)
  ) {
    return problems.cutOff({ target: name, reason: message }, error);
  }
  return sql === ""
    ? problems.unreachable({ target: name, place, reason }, error)
    : problems.queryFailed({ reason, statement: sql }, error);
}

const REMEDIES: Readonly<Record<string, string>> = {
  "22P02":
    "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
  "22001":
    "some values are too long for the column; shorten them, or say `convert` in @Field and draft again",
  "23505": "some rows hold the same values; make them differ or remove the doubles, then run again",
  "23502":
    "some rows have no value for a required column; fill them, or give the field a `default` or `fill` and draft again",
  "23514": "some rows break a check; correct them, then run again",
  "23503": "some rows refer to nothing; correct or remove them, then run again",
  "2BP01": "drop or change what depends on it first, or keep it",
  "0A000": "drop or change what stands in the way first, or keep it",
};

function engineError(error: unknown, target: TargetSettings): unknown {
  const { code = "", message, detail } = error as { code?: string; message: string; detail?: string };
  const known = explain(error, "script", target);
  if (known instanceof Problem && known.code !== problems.queryFailed.code) return known;
  const remedy = REMEDIES[code] ?? "correct the script, or the models and draft again; then run again";
  return new EngineError(code, [message, detail].filter(Boolean).join(": "), remedy, error);
}
