import type { DialectName } from "../core/dialect/registry.js";
import { Problem, problems } from "../core/problems.js";
import type { TargetSettings } from "../project/settings.js";
import type { Database } from "./session/database.js";
import type { Engine, OpenOptions, ScratchWork, Watched } from "./session/engine.js";

/** Drivers are loaded only when a target of their dialect is opened. */
const engines: Readonly<Record<DialectName, () => Promise<Engine>>> = {
  sqlite: async () => (await import("./sqlite/index.js")).sqliteEngine,
  mariadb: async () => (await import("./mariadb/index.js")).mariadbEngine,
  postgres: async () => (await import("./postgres/index.js")).postgresEngine,
};

/** Opens a target. @throws Problem E124, E400 to E404, E410 to E412 */
export async function openDatabase(target: TargetSettings, options: OpenOptions): Promise<Database> {
  refuseUnset(target);
  const { open } = await engines[target.dialect]();
  return open(target, options);
}

/** @throws Problem E124 */
function refuseUnset({ name, unset }: TargetSettings): void {
  if (unset) throw problems.unsetUrl({ target: name, variables: unset });
}

/**
 * Does some work on an empty scratch database of a target's dialect, and lets go of it.
 * @throws Problem E403, E410 to E414
 */
export async function withScratch<T>(
  target: TargetSettings,
  watched: Watched,
  work: ScratchWork<T>,
): Promise<T> {
  refuseUnset(target);
  const engine = await engines[target.dialect]();
  // Roles belong to the server, and what is granted on a scratch database may stay behind when it is gone.
  return engine.withScratch({ ...target, roles: {}, scratch: true }, watched, work);
}

/** Opens a target for some work, unless there is no database yet: then the result is undefined. */
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

/** Opens a target for some work and closes it, however the work ends. */
export async function withDatabase<T>(
  target: TargetSettings,
  options: OpenOptions,
  work: (database: Database) => Promise<T>,
): Promise<T> {
  return closing(await openDatabase(target, options), work);
}

async function closing<T>(database: Database, work: (database: Database) => Promise<T>): Promise<T> {
  try {
    return await work(database);
  } finally {
    await database.close();
  }
}
