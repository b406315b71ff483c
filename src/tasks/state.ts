import type { Database } from "../database/session/database.js";
import { readLedger, type LedgerEntry } from "../database/ledger.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import type { Migration } from "../history/migration.js";
import { readScript, type History } from "../history/read.js";

export type MigrationState = "run" | "pending" | "edited" | "missing";

export interface StateEntry {
  readonly number: number;
  readonly name: string;
  readonly state: MigrationState;
  /** Where it is on disk; undefined when it is missing there. */
  readonly migration?: Migration;
  /** When it ran; undefined when it did not. */
  readonly run?: LedgerEntry;
}

/** The migrations of a project as one database has them. */
export interface DatabaseState {
  readonly entries: readonly StateEntry[];
  /** The schema the ledger says the database has; undefined when it cannot be told from the migrations here. */
  readonly schema: Schema | undefined;
}

/** Holds a database's ledger against the migrations on disk. */
export async function readState(database: Database, history: History): Promise<DatabaseState> {
  return stateOf(await readLedger(database), history, database.dialect.name);
}

/** The state of a database that does not exist yet. */
export function emptyState(history: History, dialect: string): DatabaseState {
  return stateOf([], history, dialect);
}

function stateOf(ledger: readonly LedgerEntry[], history: History, dialect: string): DatabaseState {
  const runs = new Map(ledger.map(entry => [entry.number, entry]));
  const known = new Set(history.migrations.map(({ name }) => name));
  const entries = history.migrations.map((migration): StateEntry => {
    const { number, name } = migration;
    const run = runs.get(number);
    if (run?.name !== name) return { number, name, migration, state: "pending" };
    const edited = readScript(migration, "forward", dialect).checksum !== run.forward;
    return { number, name, migration, run, state: edited ? "edited" : "run" };
  });
  const missing = ledger
    .filter(({ name }) => !known.has(name))
    .map((run): StateEntry => ({ number: run.number, name: run.name, run, state: "missing" }));
  const all = [...entries, ...missing].sort((a, b) => a.number - b.number);
  return { entries: all, schema: schemaOf(all) };
}

/** The migrations that ran must be the first ones, each of them known. */
function schemaOf(entries: readonly StateEntry[]): Schema | undefined {
  const ran = entries.filter(({ run }) => run);
  const first = entries.slice(0, ran.length);
  if (first.some(({ run, migration }) => !run || !migration)) return undefined;
  return ran.at(-1)?.migration?.schemaAfter ?? EMPTY_SCHEMA;
}
