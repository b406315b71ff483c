import type { Database } from "../../src/database/session/database.js";

/** All rows and counters of a database, as its engine tells them: by table, each row a text, whatever the order of its columns. */
export type HeldRows = ReadonlyMap<string, readonly string[]>;

/** Asked of the engine in its own words, without a line of what is under test. */
export async function heldRows(database: Database): Promise<HeldRows> {
  const tables = await TABLES[database.dialect.name]!(database);
  const held = new Map<string, readonly string[]>();
  for (const { name, sql } of tables) {
    const rows = await database.rows(sql);
    held.set(name, rows.map(row => sorted(row)).toSorted());
  }
  return held;
}

function sorted(row: Readonly<Record<string, unknown>>): string {
  const entries = Object.entries(row).map(
    ([name, value]) => `${name}=${value === null ? "NULL" : String(value)}`,
  );
  return entries.toSorted().join(" | ");
}

type TablesOf = (database: Database) => Promise<{ readonly name: string; readonly sql: string }[]>;

const isOurs = (name: string) => name.startsWith("emberset_");
const double = (name: string) => `"${name.replaceAll('"', '""')}"`;
const back = (name: string) => `\`${name.replaceAll("`", "``")}\``;

const TABLES: Readonly<Record<string, TablesOf>> = {
  sqlite: async database => {
    const tables = await database.rows(
      "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%'",
    );
    return Promise.all(
      tables
        .map(row => String(row["name"]))
        .filter(name => !isOurs(name))
        .map(async name => {
          const columns = await database.rows(
            `SELECT name FROM pragma_table_info('${name.replaceAll("'", "''")}')`,
          );
          const list = columns.map(row => double(String(row["name"])));
          return {
            name,
            sql: `SELECT ${list.map(each => `quote(${each}) AS ${each}`).join(", ")} FROM ${double(name)}`,
          };
        }),
    );
  },
  postgres: async database => {
    const rows = await database.rows(
      "SELECT schemaname AS space, tablename AS name FROM pg_tables WHERE schemaname NOT IN ('pg_catalog', 'information_schema') AND schemaname NOT LIKE 'emberset%'",
    );
    return Promise.all(
      rows
        .filter(row => !isOurs(String(row["name"])))
        .map(async row => {
          const [space, table] = [String(row["space"]), String(row["name"])];
          const columns = await database.rows(
            `SELECT attname AS name FROM pg_attribute WHERE attrelid = '${`${double(space)}.${double(table)}`.replaceAll("'", "''")}'::regclass AND attnum > 0 AND NOT attisdropped`,
          );
          const list = columns.map(each => double(String(each["name"])));
          const text = list.map(each => `${each}::text AS ${each}`).join(", ") || "1 AS one";
          return { name: `${space}.${table}`, sql: `SELECT ${text} FROM ${double(space)}.${double(table)}` };
        }),
    );
  },
  mariadb: async database => {
    const rows = await database.rows(
      "SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'BASE TABLE'",
    );
    return Promise.all(
      rows
        .map(row => String(row["name"]))
        .filter(name => !isOurs(name))
        .map(async name => {
          const columns = await database.rows(
            "SELECT COLUMN_NAME AS name FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?",
            name,
          );
          const list = columns.map(row => back(String(row["name"])));
          return {
            name,
            sql: `SELECT ${list.map(each => `CAST(${each} AS CHAR) AS ${each}`).join(", ")} FROM ${back(name)}`,
          };
        }),
    );
  },
};
