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
  held.set("what counts", (await counters(database)).map(row => sorted(row)).toSorted());
  return held;
}

/** Where every counter stands, as its engine tells it. */
async function counters(database: Database): Promise<Readonly<Record<string, unknown>>[]> {
  switch (database.dialect.name) {
    case "sqlite": {
      const there = await database.rows("SELECT 1 AS one FROM sqlite_schema WHERE name = 'sqlite_sequence'");
      if (there.length === 0) return [];
      return database.rows(
        "SELECT name, CAST(seq AS text) AS seq FROM sqlite_sequence WHERE name NOT LIKE 'emberset_%' AND seq <> 0",
      );
    }
    case "postgres": {
      const found = await database.rows(
        "SELECT schemaname AS space, sequencename AS name FROM pg_sequences WHERE schemaname NOT LIKE 'emberset%'",
      );
      const standing: Readonly<Record<string, unknown>>[] = [];
      for (const row of found) {
        const place = `${double(String(row["space"]))}.${double(String(row["name"]))}`;
        const [stands] = await database.rows(
          `SELECT last_value::text AS last, is_called::text AS called FROM ${place}`,
        );
        standing.push({ place, ...stands });
      }
      return standing;
    }
    default:
      return database.rows(
        "SELECT TABLE_NAME AS name, CAST(AUTO_INCREMENT AS CHAR) AS next FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND AUTO_INCREMENT IS NOT NULL AND TABLE_NAME NOT LIKE 'emberset%'",
      );
  }
}

/** Moves every counter ahead of the rows that are there, as rows do that have come and gone. */
export async function moveCounters(database: Database, by: number): Promise<void> {
  switch (database.dialect.name) {
    case "sqlite":
      if ((await counters(database)).length > 0)
        await database.run(`UPDATE sqlite_sequence SET seq = seq + ${by}`);
      return;
    case "postgres":
      for (const row of await counters(database))
        await database.rows(
          `SELECT setval('${String(row["place"]).replaceAll("'", "''")}', ${String(row["last"])} + ${by}, ${by % 2 === 0})`,
        );
      return;
    default:
      for (const row of await counters(database))
        await database.run(
          `ALTER TABLE ${back(String(row["name"]))} AUTO_INCREMENT = ${Number(row["next"]) + by}`,
        );
  }
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
    const tables: { readonly name: string; readonly sql: string }[] = [];
    for (const row of rows.filter(each => !isOurs(String(each["name"])))) {
      const [space, table] = [String(row["space"]), String(row["name"])];
      const columns = await database.rows(
        `SELECT attname AS name FROM pg_attribute WHERE attrelid = '${`${double(space)}.${double(table)}`.replaceAll("'", "''")}'::regclass AND attnum > 0 AND NOT attisdropped`,
      );
      const list = columns.map(each => double(String(each["name"])));
      const text = list.map(each => `${each}::text AS ${each}`).join(", ") || "1 AS one";
      tables.push({
        name: `${space}.${table}`,
        sql: `SELECT ${text} FROM ${double(space)}.${double(table)}`,
      });
    }
    return tables;
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
