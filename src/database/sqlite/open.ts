import { existsSync, rmSync, statSync } from "node:fs";
import { createRequire } from "node:module";
import type LibSqlDriver from "libsql";
import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import { sqlite } from "../../core/dialect/sqlite/index.js";
import { problems } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import type { Database } from "../session/database.js";
import type { OpenOptions, Watched } from "../session/engine.js";
import { seenTables } from "../session/seen-tables.js";
import { statementsOver, type Driver } from "../session/statements.js";
import { FAILURES } from "./failures.js";
import { takeLock } from "./take-lock.js";
import { watchSqlite } from "./watch.js";
import { messageOf } from "../../core/errors.js";

const LibSql = loadDriver();

/**
 * To learn which C library it runs on, the driver asks for a diagnostic report of everything, which takes a tenth of
 * Node's own start; with no answer it looks at the system's files. And an `import` would read its CommonJS twice.
 */
function loadDriver(): typeof LibSqlDriver {
  const { getReport } = process.report;
  process.report.getReport = () => ({ header: {} });
  try {
    return createRequire(import.meta.url)("libsql") as typeof LibSqlDriver;
  } finally {
    process.report.getReport = getReport;
  }
}

/** Opens an SQLite file. @throws Problem E400, E401, E402 */
export async function openSqlite(
  target: TargetSettings,
  { mode, ...watched }: OpenOptions,
): Promise<Database> {
  const { address: file } = target;
  const isNew = file !== ":memory:" && !existsSync(file);
  if (isNew && (mode === "read" || mode === "change"))
    throw problems.noDatabase({ target: target.name, label: file, server: false });
  const connection = connect(target);
  const database = databaseOver(connection, target, watched, () => {
    // A file made for work that then failed is nobody's database.
    if (isNew && existsSync(file) && statSync(file).size === 0) rmSync(file);
  });
  try {
    if (mode === "read") await database.run("PRAGMA query_only = ON");
    // References are checked before each commit instead; inside a transaction this cannot be set:
    // https://sqlite.org/pragma.html#pragma_foreign_keys
    else await database.run("PRAGMA foreign_keys = OFF");
    await database.rows("SELECT count(*) FROM sqlite_schema");
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

function databaseOver(
  connection: LibSqlDriver.Database,
  target: TargetSettings,
  watched: Watched,
  onClose: () => void,
): Database {
  const statements = statementsOver(driverOver(connection), { target, watched, failures: FAILURES });
  const { rows, runScripted } = statements;
  const { hasTable, run, asOneLook } = seenTables(
    async names => {
      const list = names.map(() => "?").join(", ");
      const sql = `SELECT name FROM sqlite_schema WHERE type = 'table' AND name IN (${list})`;
      return (await rows(sql, ...names)).map(({ name }) => String(name));
    },
    statements.run,
    true,
  );
  const database: Database = {
    dialect: dialectOf(target),
    target,
    rows,
    run,
    runScripted,
    exclusively: async work => {
      await takeLock(statements, sql => void connection.exec(sql), { target, onWait: watched.onWait });
      try {
        const result = await asOneLook(work);
        await run("COMMIT");
        return result;
      } catch (error) {
        if (connection.inTransaction) await run("ROLLBACK");
        // A script that broke off may have left these on, and a rollback does not turn them off. Of texts that it wrote into
        // the schema the connection forgets what it has read: https://sqlite.org/pragma.html#pragma_writable_schema
        await run("PRAGMA legacy_alter_table = OFF");
        await run("PRAGMA writable_schema = RESET");
        throw error;
      }
    },
    watch: (statements, about) => watchSqlite(database, statements, about),
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of sqlite.catalog.queries) results.push(await rows(sql));
      return dialectOf(target).catalog.read(results);
    },
    hasTable,
    close: async () => {
      connection.close();
      onClose();
    },
  };
  return database;
}

/** The driver tells statements that give rows from others, and wants each to be asked in its own way. */
function driverOver(connection: LibSqlDriver.Database): Driver {
  return {
    query: (sql, values) => {
      const statement = connection.prepare(sql);
      if (statement.reader) return statement.all(...values) as CatalogRow[];
      statement.run(...values);
      return [];
    },
    execute: sql => void connection.exec(sql),
  };
}

function connect({ address: file, lockTimeout }: TargetSettings): LibSqlDriver.Database {
  try {
    return new LibSql(file, { timeout: lockTimeout });
  } catch (error) {
    const message = messageOf(error);
    const reason = /: 14\b/.test(message) ? "its folder does not exist or may not be entered" : message;
    throw problems.cannotOpen({ file, reason }, error);
  }
}
