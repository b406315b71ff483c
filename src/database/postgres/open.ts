import pg from "pg";
import type { CatalogRow } from "../../core/dialect/dialect.js";
import { postgres } from "../../core/dialect/postgres/index.js";
import { Problem, problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import { EngineError, type Database, type Value } from "../database.js";
import type { OpenOptions } from "../open.js";

/** The oldest server whose catalog is read right. */
const OLDEST = 13;

/** Any number that others are unlikely to use: all runs of Emberset on one database take turns on it. */
const LOCK_KEY = 4_136_982_057;

/** Opens a database on a PostgreSQL server. @throws Problem E400, E410 to E412 */
export async function openPostgres(target: TargetSettings, { mode, trace }: OpenOptions): Promise<Database> {
  if (mode === "create") await createDatabase(target);
  const client = await connect(target, target.address);
  let cut: Error | undefined;
  client.on("error", error => (cut = error));

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
      const { rows } = await timed(sql, () => client.query(numbered(sql), [...values]));
      return rows as CatalogRow[];
    } catch (error) {
      throw explain(cut ?? error, sql, target);
    }
  };
  const database: Database = {
    dialect: postgres,
    target,
    rows: (sql, ...values) => query(sql, values),
    run: async (sql, ...values) => void (await query(sql, values)),
    runScripted: async sql => {
      try {
        await timed(sql, () => client.query(sql));
      } catch (error) {
        throw engineError(cut ?? error, target);
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
        await client.query("ROLLBACK").catch(() => undefined);
        throw error;
      }
    },
    // The server itself refuses what others' objects stand in the way of, and says which.
    watch: async () => ({ restore: async () => undefined, inspect: async () => undefined }),
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of postgres.catalogQueries) results.push(await query(sql));
      return postgres.readCatalog(results);
    },
    // Asked of the catalog itself: to_regclass may answer from a cache that has not yet heard of another's commit.
    hasTable: async name => {
      const here = "(SELECT oid FROM pg_namespace WHERE nspname = current_schema())";
      const sql = `SELECT 1 FROM pg_class WHERE relname = ? AND relnamespace = ${here}`;
      return (await query(sql, [name])).length > 0;
    },
    close: () => client.end(),
  };
  try {
    await refuseOld(database);
    if (mode === "read") await database.run("SET default_transaction_read_only = on");
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

async function connect(target: TargetSettings, url: string): Promise<pg.Client> {
  let client: pg.Client;
  try {
    client = new pg.Client({
      connectionString: url,
      connectionTimeoutMillis: 10_000,
      application_name: "emberset",
    });
    // Whole numbers beyond 32 bits are rare in a catalog, and exact within 53.
    client.setTypeParser(20, Number);
    await client.connect();
    return client;
  } catch (error) {
    throw explain(error, "", target);
  }
}

/** On the server's own database, since the one to be made cannot be connected to. */
async function createDatabase(target: TargetSettings): Promise<void> {
  const url = new URL(target.address);
  const name = decodeURIComponent(url.pathname.slice(1));
  url.pathname = "/postgres";
  const client = await connect(target, url.href);
  try {
    const { rowCount } = await client.query("SELECT 1 FROM pg_database WHERE datname = $1", [name]);
    if (rowCount === 0) await client.query(`CREATE DATABASE ${postgres.quote(name)}`);
  } catch (error) {
    throw explain(error, "CREATE DATABASE", target);
  } finally {
    await client.end();
  }
}

async function refuseOld({ rows, target }: Database): Promise<void> {
  const version = String((await rows("SHOW server_version"))[0]?.["server_version"]);
  if (parseInt(version, 10) < OLDEST) {
    throw problems.tooOld({
      target: target.name,
      version: `PostgreSQL ${version}`,
      oldest: `PostgreSQL ${OLDEST}`,
    });
  }
}

/** `?` as in the other dialects, to `$1`, `$2` … Our own statements hold no question marks besides. */
function numbered(sql: string): string {
  let number = 0;
  return sql.replace(/\?/g, () => `$${(number += 1)}`);
}

/** https://www.postgresql.org/docs/15/errcodes-appendix.html, and Node's codes for the network */
function explain(error: unknown, sql: string, target: TargetSettings): unknown {
  if (error instanceof Problem) return error;
  const { code = "", message, detail } = error as { code?: string; message: string; detail?: string };
  const { name, place, lockTimeout } = target;
  const reason = [message, detail].filter(Boolean).join(": ");
  if (code === "3D000") return problems.noDatabase({ target: name, place, server: true }, error);
  if (/^28/.test(code)) return problems.notLetIn({ target: name, place, reason }, error);
  if (code === "55P03") return problems.locked({ target: name, waited: `${lockTimeout / 1000} s` }, error);
  if (code === "25006" || code === "42501") return problems.readOnly({ place, reason }, error);
  if (
    /^(?:ECONNREFUSED|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|EAI_AGAIN)$/.test(code) ||
    /timeout expired|does not support SSL/i.test(message)
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
