import type { DialectName } from "../core/dialect/registry.js";
import { Problem, problems } from "../core/problems.js";
import type { TargetSettings } from "../project/settings.js";
import type { Database, Trace } from "./database.js";

export interface OpenOptions {
  /**
   * "read": only looked at. "change": changed, but never made. "write": a file is made when it does not exist.
   * "create": a database on a server is made too.
   */
  readonly mode: "read" | "change" | "write" | "create";
  readonly trace?: Trace | undefined;
}

type Open = (target: TargetSettings, options: OpenOptions) => Promise<Database>;

/** Drivers are loaded only when a target of their dialect is opened. */
const engines: Readonly<Record<DialectName, () => Promise<Open>>> = {
  sqlite: async () => (await import("./sqlite/open.js")).openSqlite,
  mariadb: async () => (await import("./mariadb/open.js")).openMariadb,
  postgres: async () => (await import("./postgres/open.js")).openPostgres,
};

/** Opens a target. @throws Problem E400 to E404 */
export async function openDatabase(target: TargetSettings, options: OpenOptions): Promise<Database> {
  const open = await engines[target.dialect]();
  return open(target, options);
}

/** The same, but undefined where there is no database yet. */
export async function withExistingDatabase<T>(
  target: TargetSettings,
  options: OpenOptions,
  work: (database: Database) => Promise<T>,
): Promise<T | undefined> {
  let database: Database;
  try {
    database = await openDatabase(target, options);
  } catch (error) {
    if (error instanceof Problem && error.code === problems.noDatabase.code) return undefined;
    throw error;
  }
  return closing(database, work);
}

async function closing<T>(database: Database, work: (database: Database) => Promise<T>): Promise<T> {
  try {
    return await work(database);
  } finally {
    await database.close();
  }
}

/** Opens a target for some work and closes it, however the work ends. */
export async function withDatabase<T>(
  target: TargetSettings,
  options: OpenOptions,
  work: (database: Database) => Promise<T>,
): Promise<T> {
  return closing(await openDatabase(target, options), work);
}
