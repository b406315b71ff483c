import { setTimeout as wait } from "node:timers/promises";
import { createConnection, type Connection } from "mysql2/promise";
import type { Catalog, CatalogRow } from "../../core/dialect/shared/dialect.js";
import { hidesRules } from "../../core/dialect/mariadb/catalog/read.js";
import { mariadb } from "../../core/dialect/mariadb/index.js";
import { problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import type { Database } from "../session/database.js";
import { explainFailure } from "../session/failures.js";
import { cancelling } from "../session/cancelling.js";
import type { OpenOptions, Watched } from "../session/engine.js";
import { seenTables } from "../session/seen-tables.js";
import { statementsOver, type Statements } from "../session/statements.js";
import { FAILURES } from "./failures.js";
import { refuseOfColumns } from "./rights.js";
import { fillInPieces } from "./pieces.js";
import { isMissing, stepsOf } from "./steps.js";
import { lockOf, patienceOf, shortly, turnsOn } from "./turn.js";
import { SQL_MODE, TIME_ZONE } from "../../core/dialect/mariadb/names.js";
import { withObjects } from "./objects.js";
import { refuseBreaking } from "./views.js";

/** The oldest server whose catalog is read right and whose ALTER TABLE knows all that is written. */
const OLDEST: readonly [number, number] = [10, 6];

/**
 * A server's own settings do not decide what a script does: strict, so that nothing is cut without an error; texts and
 * operators are read as they are by default (https://mariadb.com/kb/en/sql-mode/); moments are in UTC; every constraint
 * is looked at; no statement is left open, refused for want of a key, or answered in part.
 * https://mariadb.com/kb/en/server-system-variables/
 */
const SETTINGS = [
  `sql_mode = '${SQL_MODE}'`,
  `time_zone = '${TIME_ZONE}'`,
  "default_storage_engine = InnoDB",
  "innodb_strict_mode = ON",
  "foreign_key_checks = ON",
  "unique_checks = ON",
  "check_constraint_checks = ON",
  "autocommit = ON",
  "sql_safe_updates = OFF",
  "sql_select_limit = 18446744073709551615",
  "sql_big_selects = ON",
  "max_statement_time = 0",
  "group_concat_max_len = 1048576",
  "div_precision_increment = 4",
  "sql_auto_is_null = OFF",
  "sql_quote_show_create = ON",
  "lc_time_names = 'en_US'",
];

/** Opens a database on a MariaDB server. @throws Problem E400, E410 to E412 */
export async function openMariadb(
  target: TargetSettings,
  { mode, ...watched }: OpenOptions,
): Promise<Database> {
  if (mode === "create") await createDatabase(target);
  const connection = await connect(target, target.address);
  const stop = cancelling(watched, async () => {
    const other = await connect(target, target.address);
    await other.query(`KILL QUERY ${connection.threadId}`).finally(() => other.end());
  });
  const database = databaseOver(connection, target, { ...watched, onClose: stop });
  try {
    const version = await refuseOld(database);
    const patience = `lock_wait_timeout = ${patienceOf(target.lockTimeout)}`;
    await database.run(`SET SESSION ${[patience, ...SETTINGS, ...settingsSince(version)].join(", ")}`);
    if (mode !== "read" && version.number < PLAIN_MOMENTS) await refuseImpliedMoments(database, version);
    if (mode === "read") await database.run("SET SESSION TRANSACTION READ ONLY");
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

function databaseOver(
  connection: Connection,
  target: TargetSettings,
  { onClose, ...watched }: Watched & { readonly onClose: () => void },
): Database {
  const statements = statementsOver(
    {
      query: async (sql, values) => {
        const [rows] = await connection.query(sql, [...values]);
        return Array.isArray(rows) ? (rows as CatalogRow[]) : [];
      },
      execute: sql => connection.query(sql),
    },
    { target, watched, failures: FAILURES },
  );
  const { rows, runScripted } = statements;
  const { hasTable, run, remember, forget } = seenTables(
    async ([name]) => ((await isThere(statements, name!)) ? [name!] : []),
    statements.run,
    false,
  );
  const steps = stepsOf(statements, lockOf(target));
  const turns = turnsOn(statements, target, {
    onWait: watched.onWait,
    onTaken: remember,
    onLetGo: forget,
  });
  const database: Database = {
    dialect: dialectOf(target),
    target,
    rows,
    run,
    runScripted,
    exclusively: (work, how) =>
      turns.whileLocked(() => (how === "by steps" ? shortly(statements, target, work) : work())),
    turn: turns,
    watch: async scripted => {
      await refuseBreaking(database, scripted);
      return { restore: async () => [], inspect: async () => undefined };
    },
    steps,
    online: {
      ...steps,
      inPieces: (sql, filled) =>
        fillInPieces(statements, sql, { together: steps.together, most: target.batches, filled }),
    },
    readCatalog: () => readCatalog(statements, target),
    hasTable,
    close: () => {
      onClose();
      return connection.end().catch(() => undefined);
    },
  };
  return database;
}

/** To ask the table itself takes a third of the time that the server's list of all tables takes. */
async function isThere({ rows }: Statements, name: string): Promise<boolean> {
  try {
    await rows(`SELECT 1 FROM ${mariadb.names.quote(name)} LIMIT 0`);
    return true;
  } catch (error) {
    if (isMissing(error)) return false;
    // It is locked, or not for us to read: whether it is there, the list tells.
    const sql = "SELECT 1 FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?";
    return (await rows(sql, name)).length > 0;
  }
}

async function readCatalog(statements: Statements, target: TargetSettings): Promise<Catalog> {
  const { rows } = statements;
  const { name, label } = target;
  await refuseOfColumns(statements, target);
  const ask = async () => {
    const results: CatalogRow[][] = [];
    for (const sql of mariadb.catalog.queries) results.push(await withObjects(await rows(sql), rows));
    return results;
  };
  let results = await ask();
  // Another process may change references between the one query and the other: what the server hides it hides always.
  for (let tries = 0; hidesRules(results) && tries < 5; tries += 1) {
    await wait(50 * (tries + 1));
    results = await ask();
  }
  // https://mariadb.com/kb/en/information-schema-referential_constraints-table/: not for who may only read.
  if (hidesRules(results)) {
    const reason = "the server hides the rules of references from a user who may only SELECT";
    throw problems.noCatalogRight({ target: name, label, reason });
  }
  return dialectOf(target).catalog.read(results);
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
    throw explainFailure(error, { target, failures: FAILURES });
  }
}

/** Connected to no database, since the one to be made is not there. */
async function createDatabase(target: TargetSettings): Promise<void> {
  const url = new URL(target.address);
  const name = decodeURIComponent(url.pathname.slice(1));
  url.pathname = "/";
  const connection = await connect(target, url.href);
  try {
    await connection.query(
      `CREATE DATABASE IF NOT EXISTS ${mariadb.names.quote(name)} CHARACTER SET utf8mb4`,
    );
  } catch (error) {
    throw explainFailure(error, { target, failures: FAILURES, sql: "CREATE DATABASE" });
  } finally {
    await connection.end();
  }
}

/** Since when a session may say `explicit_defaults_for_timestamp`. */
const PLAIN_MOMENTS = 100_804;

/** What not every server lets a session say: https://mariadb.com/kb/en/server-system-variables/ */
function settingsSince({ number }: Version): string[] {
  return [
    ...(number >= PLAIN_MOMENTS ? ["explicit_defaults_for_timestamp = ON"] : []),
    ...(number < 110_500 ? ["alter_algorithm = 'DEFAULT'"] : []),
  ];
}

/** Otherwise a required moment without a default would be set anew by each update. @throws Problem E412 */
async function refuseImpliedMoments({ rows, target }: Database, { text }: Version): Promise<void> {
  const [row] = await rows("SELECT @@explicit_defaults_for_timestamp AS stated");
  if (Number(row?.["stated"]) === 1) return;
  const oldest = "MariaDB 10.6 started with explicit_defaults_for_timestamp=ON, or 10.9";
  throw problems.tooOld({ target: target.name, version: text, oldest });
}

interface Version {
  readonly text: string;
  /** `100804` is 10.8.4. */
  readonly number: number;
}

async function refuseOld({ rows, target }: Database): Promise<Version> {
  const version = String((await rows("SELECT VERSION() AS version"))[0]?.["version"]);
  const [major = 0, minor = 0, patch = 0] = version.split(".").map(part => parseInt(part, 10));
  const old = major < OLDEST[0] || (major === OLDEST[0] && minor < OLDEST[1]);
  if (old || !/mariadb/i.test(version)) {
    throw problems.tooOld({ target: target.name, version, oldest: `MariaDB ${OLDEST.join(".")}` });
  }
  return { text: version, number: major * 10_000 + minor * 100 + patch };
}
