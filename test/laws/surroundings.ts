import { addressOf } from "../../src/core/schema/address.js";
import type { Schema, Table } from "../../src/core/schema/types.js";
import { Problem } from "../../src/core/problems.js";
import type { Database } from "../../src/database/session/database.js";
import type { Engine } from "../engines/engine.js";

/** Settings of a database that nobody would choose, or the usual ones: what a script means must not depend on them. */
export async function setUp(engine: Engine, turn: number): Promise<void> {
  const odd = turn % 2 === 1;
  switch (engine.dialect.name) {
    case "postgres": {
      const [row] = await engine.rows("SELECT current_database() AS name");
      const name = `"${String(row?.["name"])}"`;
      await engine.run(`ALTER DATABASE ${name} RESET ALL`);
      if (!odd) return;
      for (const setting of ODD_POSTGRES) await engine.run(`ALTER DATABASE ${name} SET ${setting}`);
      return;
    }
    case "mariadb":
      if (odd) await engine.run("ALTER DATABASE COLLATE utf8mb4_unicode_520_ci");
      return;
    default:
  }
}

const ODD_POSTGRES = [
  "DateStyle = 'SQL, DMY'",
  "TimeZone = 'Asia/Kathmandu'",
  "IntervalStyle = 'iso_8601'",
  "search_path = nowhere, public",
  "standard_conforming_strings = off",
  "bytea_output = 'escape'",
  "extra_float_digits = -5",
  "quote_all_identifiers = on",
  "array_nulls = off",
  "default_transaction_isolation = 'serializable'",
  "check_function_bodies = off",
  "row_security = off",
  "session_replication_role = replica",
  "transform_null_equals = on",
  "xmloption = document",
];

/** A view over a table, and a trigger on it, of which the models know nothing. */
export async function othersMove(database: Database, { tables }: Schema, turn: number): Promise<void> {
  const settled = database.dialect.types.settle({ tables }).tables;
  const table = settled[turn % Math.max(1, settled.length)];
  if (!table || turn % 6 > 3 || turn % 6 === 0) return;
  const { quote } = database.dialect.names;
  const name = quote(addressOf(table).startsWith('"') ? table.name : addressOf(table));
  const column = quote(table.columns.at(-1)!.name);
  if (turn % 6 < 3) await database.run(`CREATE VIEW their_view AS SELECT ${column} FROM ${name}`);
  if (turn % 2 === 1) for (const sql of triggerSql(database, name, table)) await database.run(sql);
}

function triggerSql({ dialect }: Database, name: string, { columns }: Table): string[] {
  const column = dialect.names.quote(columns.at(-1)!.name);
  // Nobody updates a row all the while: what the log has at the end, a migration has put there.
  const log = "CREATE TABLE their_log (what varchar(20))";
  const write = "INSERT INTO their_log VALUES ('updated')";
  switch (dialect.name) {
    case "sqlite":
      return [
        log,
        `CREATE TRIGGER their_trigger AFTER UPDATE ON ${name} WHEN NEW.${column} IS NOT 1 BEGIN ${write}; END`,
      ];
    case "postgres":
      return [
        log,
        `CREATE FUNCTION their_function() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM NEW.${column}; ${write}; RETURN NEW; END $$`,
        `CREATE TRIGGER their_trigger BEFORE UPDATE ON ${name} FOR EACH ROW EXECUTE FUNCTION their_function()`,
      ];
    default:
      return [
        log,
        `CREATE TRIGGER their_trigger BEFORE UPDATE ON ${name} FOR EACH ROW BEGIN SET @seen = NEW.${column}; ${write}; END`,
      ];
  }
}

/** Whether somebody else's things stood in the way, and all of it was refused. */
export function isAboutOthers(error: unknown): boolean {
  if (!(error instanceof Problem)) return false;
  const { code, message = "" } = (error.cause ?? {}) as { code?: string; message?: string };
  if (/error in (?:view|trigger) their_/.test(message)) return true;
  return ["E407", "E408"].includes(error.code) || ["0A000", "2BP01"].includes(code ?? "");
}

/** What is there of others, by name. */
export async function heldOfOthers({ dialect, rows }: Database): Promise<string[]> {
  const found = await rows(OTHERS[dialect.name]!);
  return found.map(row => String(row["name"])).toSorted();
}

const OTHERS: Readonly<Record<string, string>> = {
  sqlite: "SELECT name FROM sqlite_schema WHERE name IN ('their_view', 'their_trigger')",
  postgres:
    "SELECT viewname AS name FROM pg_views WHERE viewname = 'their_view' UNION ALL SELECT tgname FROM pg_trigger WHERE tgname = 'their_trigger'",
  mariadb:
    "SELECT TABLE_NAME AS name FROM information_schema.VIEWS WHERE TABLE_SCHEMA = DATABASE() UNION ALL SELECT TRIGGER_NAME FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE() AND TRIGGER_NAME = 'their_trigger'",
};
