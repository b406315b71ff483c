import LibSql from "libsql";
import { createConnection } from "mysql2/promise";
import pg from "pg";

/** One value into one column by the usual driver of an engine, bound as a parameter; whether it was taken. */
export interface Driver {
  readonly run: (sql: string) => Promise<void>;
  /** Begins what is not kept. */
  readonly begin: string;
  readonly take: (table: string, column: string, value: unknown) => Promise<true | string>;
  readonly close: () => Promise<void>;
}

/** JSON as a text; everything else as the driver is usually given it. */
function plain(value: unknown): unknown {
  if (value === undefined) return null;
  const isData =
    typeof value === "object" && value !== null && !(value instanceof Date) && !ArrayBuffer.isView(value);
  return isData ? JSON.stringify(value) : value;
}

/** libsql takes neither truths nor moments: 1 and 0, and ISO 8601, as programs write them. */
function forSqlite(value: unknown): unknown {
  const given = plain(value);
  if (typeof given === "boolean") return given ? 1 : 0;
  if (given instanceof Date) return Number.isNaN(given.getTime()) ? "Invalid Date" : given.toISOString();
  return given;
}

/** What an engine says against a value, where it does. */
function taking(insert: (table: string, column: string, value: unknown) => Promise<void>): Driver["take"] {
  return async (table, column, value) => {
    try {
      await insert(table, column, value);
      return true;
    } catch (error) {
      return String((error as Error).message);
    }
  };
}

export function sqliteDriver(): Driver {
  const database = new LibSql(":memory:");
  return {
    run: async sql => void database.exec(sql),
    begin: "BEGIN",
    take: taking(async (table, column, value) => {
      database.prepare(`INSERT INTO "${table}" ("${column}") VALUES (?)`).run([forSqlite(value)]);
    }),
    close: async () => void database.close(),
  };
}

export async function postgresDriver(url: string): Promise<Driver> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  await client.query("SET synchronous_commit = off");
  return {
    run: async sql => void (await client.query(sql)),
    begin: "SELECT 1",
    take: taking(async (table, column, value) => {
      await client.query(`INSERT INTO "${table}" ("${column}") VALUES ($1)`, [plain(value)]);
    }),
    close: () => client.end(),
  };
}

export async function mariadbDriver(url: string): Promise<Driver> {
  const connection = await createConnection({ uri: url, timezone: "Z" });
  await connection.query("SET time_zone = '+00:00'");
  return {
    run: async sql => void (await connection.query(sql)),
    begin: "BEGIN",
    take: taking(async (table, column, value) => {
      await connection.execute(`INSERT INTO \`${table}\` (\`${column}\`) VALUES (?)`, [
        plain(value) as string,
      ]);
    }),
    close: () => connection.end(),
  };
}
