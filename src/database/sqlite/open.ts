import { existsSync, rmSync, statSync } from "node:fs";
import { createRequire } from "node:module";
import type LibSqlDriver from "libsql";
import { sqlite } from "../../core/dialect/sqlite/index.js";
import type { CatalogRow } from "../../core/dialect/dialect.js";
import { problems, Problem } from "../../core/problems.js";
import { dialectOf, type TargetSettings } from "../../project/settings.js";
import { EngineError, type Database, type Value } from "../database.js";
import type { OpenOptions } from "../open.js";
import { watchSqlite } from "./watch.js";

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
export async function openSqlite(target: TargetSettings, { mode, trace }: OpenOptions): Promise<Database> {
  const { address: file } = target;
  const isNew = file !== ":memory:" && !existsSync(file);
  if (isNew && (mode === "read" || mode === "change"))
    throw problems.noDatabase({ target: target.name, place: file, server: false });
  const connection = connect(target);

  const timed = <T>(sql: string, work: () => T): T => {
    // Node loads its clock when it is first asked for.
    if (!trace) return work();
    const start = performance.now();
    try {
      return work();
    } finally {
      trace(sql, performance.now() - start);
    }
  };
  const explained = <T>(sql: string, work: () => T): T => {
    try {
      return timed(sql, work);
    } catch (error) {
      throw explain(error, sql, target);
    }
  };
  const all = (sql: string, values: readonly Value[]) =>
    connection.prepare(sql).all(...values) as CatalogRow[];
  const execute = (sql: string) => explained(sql, () => void connection.exec(sql));

  const database: Database = {
    dialect: dialectOf(target),
    target,
    rows: async (sql, ...values) => explained(sql, () => all(sql, values)),
    run: async (sql, ...values) => explained(sql, () => void connection.prepare(sql).run(...values)),
    runScripted: async sql => {
      try {
        timed(sql, () => void connection.exec(sql));
      } catch (error) {
        throw engineError(error, target);
      }
    },
    exclusively: async work => {
      execute("BEGIN IMMEDIATE");
      try {
        const result = await work();
        execute("COMMIT");
        return result;
      } catch (error) {
        if (connection.inTransaction) execute("ROLLBACK");
        // A script that broke off may have left it on, and a rollback does not turn it off.
        execute("PRAGMA legacy_alter_table = OFF");
        throw error;
      }
    },
    watch: (statements, managed, careful) => watchSqlite(database, statements, managed, careful),
    readCatalog: async () =>
      sqlite.readCatalog(sqlite.catalogQueries.map(sql => explained(sql, () => all(sql, [])))),
    hasTable: async name => {
      const sql = "SELECT 1 FROM sqlite_schema WHERE type = 'table' AND name = ?";
      return explained(sql, () => all(sql, [name])).length > 0;
    },
    close: async () => {
      connection.close();
      // A file made for work that then failed is nobody's database.
      if (isNew && existsSync(file) && statSync(file).size === 0) rmSync(file);
    },
  };
  try {
    if (mode === "read") execute("PRAGMA query_only = ON");
    // References are checked before each commit instead; inside a transaction this cannot be set:
    // https://sqlite.org/pragma.html#pragma_foreign_keys
    else execute("PRAGMA foreign_keys = OFF");
    execute("SELECT count(*) FROM sqlite_schema");
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

function connect({ address: file, lockTimeout }: TargetSettings): LibSqlDriver.Database {
  try {
    return new LibSql(file, { timeout: lockTimeout });
  } catch (error) {
    const { message } = error as Error;
    const reason = /: 14\b/.test(message) ? "its folder does not exist or may not be entered" : message;
    throw problems.cannotOpen({ file, reason }, error);
  }
}

/** https://sqlite.org/rescode.html */
function explain(error: unknown, sql: string, target: TargetSettings): unknown {
  if (error instanceof Problem) return error;
  const { code, message } = error as { code?: string; message: string };
  const { place: file, name, lockTimeout } = target;
  if (code === "SQLITE_NOTADB") return problems.notADatabase({ file }, error);
  if (code?.startsWith("SQLITE_READONLY")) return problems.readOnly({ place: file }, error);
  if (code?.startsWith("SQLITE_BUSY") || code?.startsWith("SQLITE_LOCKED")) {
    return problems.locked({ target: name, waited: `${lockTimeout / 1000} s` }, error);
  }
  if (code?.startsWith("SQLITE_CANTOPEN")) return problems.cannotOpen({ file, reason: message }, error);
  return problems.queryFailed({ reason: message, statement: sql }, error);
}

const REMEDIES: Readonly<Record<string, string>> = {
  SQLITE_CONSTRAINT_UNIQUE:
    "some rows hold the same values; make them differ or remove the doubles, then run again",
  SQLITE_CONSTRAINT_PRIMARYKEY:
    "some rows have the same key; make them differ or remove the doubles, then run again",
  SQLITE_CONSTRAINT_NOTNULL:
    "some rows have no value for a required column; fill them, or give the field a `default` or `fill` and draft again",
  SQLITE_CONSTRAINT_CHECK: "some rows break a check; correct them, then run again",
  SQLITE_CONSTRAINT_FOREIGNKEY: "some rows refer to nothing; correct or remove them, then run again",
  SQLITE_MISMATCH:
    "some values are not integers, as a key of that type must be; correct them, then run again",
  SQLITE_FULL: "the disk is full; make room, then run again",
};

function engineError(error: unknown, target: TargetSettings): unknown {
  const { code = "SQLITE_ERROR", message } = error as { code?: string; message: string };
  if (/^SQLITE_(?:BUSY|LOCKED|READONLY|NOTADB|CANTOPEN)/.test(code)) return explain(error, "", target);
  const remedy = REMEDIES[code] ?? "correct the script, or the models and draft again; then run again";
  return new EngineError(code, message, remedy, error);
}
