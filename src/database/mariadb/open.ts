import { createConnection, type Connection } from "mysql2/promise";
import type { CatalogRow } from "../../core/dialect/dialect.js";
import { hidesRules } from "../../core/dialect/mariadb/catalog.js";
import { mariadb } from "../../core/dialect/mariadb/index.js";
import { Problem, problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import { EngineError, type Database, type Value } from "../database.js";
import type { OpenOptions } from "../open.js";
import { isTlsFailure } from "../tls.js";
import { refuseBreaking } from "./views.js";

/** The oldest server whose catalog is read right and whose ALTER TABLE knows all that is written. */
const OLDEST: readonly [number, number] = [10, 6];

/** Opens a database on a MariaDB server. @throws Problem E400, E410 to E412 */
export async function openMariadb(target: TargetSettings, { mode, trace }: OpenOptions): Promise<Database> {
  if (mode === "create") await createDatabase(target);
  const connection = await connect(target, target.address);
  const lock = `emberset ${new URL(target.address).pathname.slice(1)}`.slice(0, 64);

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
      const [rows] = await timed(sql, () => connection.query(sql, [...values]));
      return Array.isArray(rows) ? (rows as CatalogRow[]) : [];
    } catch (error) {
      throw explain(error, sql, target);
    }
  };
  const database: Database = {
    dialect: dialectOf(target),
    target,
    rows: (sql, ...values) => query(sql, values),
    run: async (sql, ...values) => void (await query(sql, values)),
    runScripted: async sql => {
      try {
        await timed(sql, () => connection.query(sql));
      } catch (error) {
        throw engineError(error, target);
      }
    },
    // MariaDB commits each statement that changes a schema (https://mariadb.com/kb/en/sql-statements-that-cause-an-implicit-commit/),
    // so there is no transaction to undo; the lock keeps other runs away.
    exclusively: async work => {
      const [row] = await query("SELECT GET_LOCK(?, ?) AS taken", [lock, target.lockTimeout / 1000]);
      if (Number(row?.["taken"]) !== 1) {
        throw problems.locked({ target: target.name, waited: `${target.lockTimeout / 1000} s` });
      }
      try {
        return await work();
      } finally {
        await connection.query("SELECT RELEASE_LOCK(?)", [lock]).catch(() => undefined);
      }
    },
    watch: async statements => {
      await refuseBreaking(database, statements);
      return { restore: async () => undefined, inspect: async () => undefined };
    },
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of mariadb.catalogQueries) results.push(await query(sql));
      // https://mariadb.com/kb/en/information-schema-referential_constraints-table/: not for who may only read.
      if (hidesRules(results)) {
        const reason = "the server hides the rules of references from a user who may only SELECT";
        throw problems.noCatalogRight({ target: target.name, place: target.place, reason });
      }
      return mariadb.readCatalog(results);
    },
    hasTable: async name => {
      const sql =
        "SELECT 1 FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?";
      return (await query(sql, [name])).length > 0;
    },
    close: () => connection.end().catch(() => undefined),
  };
  try {
    await refuseOld(database);
    await database.run(
      `SET SESSION lock_wait_timeout = ${Math.max(1, Math.ceil(target.lockTimeout / 1000))}`,
    );
    if (mode === "read") await database.run("SET SESSION TRANSACTION READ ONLY");
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

async function connect(target: TargetSettings, uri: string): Promise<Connection> {
  try {
    return await createConnection({
      // The driver wants an object where people write a word.
      uri: uri.replace(/([?&])ssl=true(?=&|$)/, "$1ssl={}"),
      connectTimeout: 10_000,
      supportBigNumbers: true,
      dateStrings: true,
      charset: "utf8mb4",
    });
  } catch (error) {
    throw explain(error, "", target);
  }
}

/** Connected to no database, since the one to be made is not there. */
async function createDatabase(target: TargetSettings): Promise<void> {
  const url = new URL(target.address);
  const name = decodeURIComponent(url.pathname.slice(1));
  url.pathname = "/";
  const connection = await connect(target, url.href);
  try {
    await connection.query(`CREATE DATABASE IF NOT EXISTS ${mariadb.quote(name)} CHARACTER SET utf8mb4`);
  } catch (error) {
    throw explain(error, "CREATE DATABASE", target);
  } finally {
    await connection.end();
  }
}

async function refuseOld({ rows, target }: Database): Promise<void> {
  const version = String((await rows("SELECT VERSION() AS version"))[0]?.["version"]);
  const [major = 0, minor = 0] = version.split(".").map(part => parseInt(part, 10));
  const old = major < OLDEST[0] || (major === OLDEST[0] && minor < OLDEST[1]);
  if (old || !/mariadb/i.test(version)) {
    throw problems.tooOld({ target: target.name, version, oldest: `MariaDB ${OLDEST.join(".")}` });
  }
}

/** https://mariadb.com/kb/en/mariadb-error-code-reference/, and Node's codes for the network */
function explain(error: unknown, sql: string, target: TargetSettings): unknown {
  if (error instanceof Problem) return error;
  const { code = "", errno, message } = error as { code?: string; errno?: number; message: string };
  const { name, place, lockTimeout } = target;
  if (isTlsFailure(code, message)) return problems.noTls({ target: name, place, reason: message }, error);
  if (errno === 1049) return problems.noDatabase({ target: name, place, server: true }, error);
  if (errno === 1045 || errno === 1044 || errno === 1698)
    return problems.notLetIn({ target: name, place, reason: message }, error);
  if (errno === 1205) return problems.locked({ target: name, waited: `${lockTimeout / 1000} s` }, error);
  if (errno === 1792 || errno === 1142 || errno === 1290)
    return problems.readOnly({ place, reason: message }, error);
  if (/^(?:ECONNREFUSED|ENOTFOUND|EHOSTUNREACH|ETIMEDOUT|EAI_AGAIN)$/.test(code)) {
    return problems.unreachable({ target: name, place, reason: message || code }, error);
  }
  if (/^(?:ECONNRESET|EPIPE|PROTOCOL_CONNECTION_LOST|PROTOCOL_ENQUEUE)/.test(code) || errno === 1927) {
    return problems.cutOff({ target: name, reason: message }, error);
  }
  return sql === ""
    ? problems.unreachable({ target: name, place, reason: message }, error)
    : problems.queryFailed({ reason: message, statement: sql }, error);
}

const REMEDIES: Readonly<Record<number, string>> = {
  1062: "some rows hold the same values; make them differ or remove the doubles, then run again",
  1364: "some rows have no value for a required column; give the field a `default` or `fill` and draft again",
  1265: "some values do not fit the column's new type, or are null; correct them, then run again",
  1292: "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
  1366: "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
  1406: "some values are too long for the column; shorten them, then run again",
  4025: "some rows break a check; correct them, then run again",
  1452: "some rows refer to nothing; correct or remove them, then run again",
};

function engineError(error: unknown, target: TargetSettings): unknown {
  const { code = "", errno = 0, message } = error as { code?: string; errno?: number; message: string };
  const known = explain(error, "script", target);
  if (known instanceof Problem && known.code !== problems.queryFailed.code) return known;
  const remedy = REMEDIES[errno] ?? "correct the script, or the models and draft again; then run again";
  return new EngineError(code, message, remedy, error);
}
