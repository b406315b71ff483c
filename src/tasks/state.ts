import type { Direction } from "../core/direction.js";
import type { Database } from "../database/session/database.js";
import { readJournal, type JournalEntry } from "../database/journal.js";
import { foldedLedger, foldLedger, type Baseline } from "../database/fold-ledger.js";
import { saysTheSame } from "../database/kept-scripts.js";
import { readLedger, type LedgerEntry } from "../database/ledger.js";
import type { RowsDone } from "../core/problems.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import type { Migration } from "../history/migration.js";
import { filesOf, readScript, type History, type Script, type TornHistory } from "../history/read.js";

/** "doubled": another has its number, and it did not run. */
export type MigrationState = "run" | "pending" | "edited" | "missing" | "doubled";

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
  /** A run that has begun there and is not at its end. */
  readonly stopped?: JournalEntry;
  /** Whether another run is at it just now. */
  readonly running?: boolean;
  /** How many rows that run has given their values, where it tells while it is at it. */
  readonly filled?: RowsDone;
  /** A baseline of which the ledger still has what it stands for, each by itself: `entries` tell it as run. */
  readonly unfolded?: Migration;
  /** The schema the ledger says the database has; undefined when it cannot be told from the migrations here. */
  readonly schema: Schema | undefined;
}

/** Holds a database's ledger against the migrations on disk. */
export async function readState(database: Database, history: History | TornHistory): Promise<DatabaseState> {
  const look = () => stateThere(database, history);
  return database.asOneLook?.(look) ?? look();
}

async function stateThere(database: Database, history: History | TornHistory): Promise<DatabaseState> {
  const ledger = await readLedger(database);
  const first = history.migrations[0];
  const folded = first?.folds && foldedLedger(ledger, baselineOf(first, database.dialect.name));
  const told = {
    ...stateOf(folded ?? ledger, history, database.dialect.name),
    ...(folded && { unfolded: first }),
  };
  const entries: StateEntry[] = [];
  for (const entry of told.entries) entries.push(await withoutLayout(database, entry));
  const state = { ...told, entries };
  if (await database.steps?.isRunning()) return { ...state, running: true };
  const stopped = await readJournal(database);
  if (!stopped) return state;
  if (await database.online?.isRunning())
    return { ...state, running: true, ...(stopped.rows && { filled: stopped.rows }) };
  const { number, name } = stopped;
  const isKnown = entries.some(entry => entry.name === name);
  // It is in no ledger yet.
  return {
    ...state,
    stopped,
    ...(!isKnown && { entries: [...entries, { number, name, state: "missing" }] }),
  };
}

/**
 * The same before anything is run: a ledger that has what a baseline stands for has the baseline from then on.
 * @throws Problem E303, E404
 */
export async function readSettled(database: Database, history: History): Promise<DatabaseState> {
  const state = await readState(database, history);
  // A run that stopped in the midst is looked up by what was there when it began.
  if (!state.unfolded || state.stopped || state.running) return state;
  const scripts = scriptsOf(state.unfolded, database.dialect.name);
  const baseline = baselineOf(state.unfolded, database.dialect.name);
  await foldLedger(database, baseline, { files: filesOf(state.unfolded, scripts) });
  return readState(database, history);
}

function scriptsOf(migration: Migration, dialect: string): Readonly<Record<Direction, Script>> {
  return {
    forward: readScript(migration, "forward", dialect),
    back: readScript(migration, "back", dialect),
  };
}

/** @throws Problem E303 */
function baselineOf(migration: Migration, dialect: string): Baseline {
  const { forward, back } = scriptsOf(migration, dialect);
  const { number, name, folds = [] } = migration;
  return { number, name, folds, checksums: { forward: forward.checksum, back: back.checksum } };
}

/** A script whose white space or comments alone are others is not edited. */
async function withoutLayout(database: Database, entry: StateEntry): Promise<StateEntry> {
  const { state, migration, number } = entry;
  if (state !== "edited" || !migration) return entry;
  const script = readScript(migration, "forward", database.dialect.name);
  return (await saysTheSame(database, number, script)) ? { ...entry, state: "run" } : entry;
}

/** The state of a database that does not exist yet. */
export function emptyState(history: History | TornHistory, dialect: string): DatabaseState {
  return stateOf([], history, dialect);
}

function stateOf(
  ledger: readonly LedgerEntry[],
  history: History | TornHistory,
  dialect: string,
): DatabaseState {
  const { doubled = [], beyond = [] } = "doubled" in history ? history : {};
  const runs = new Map(ledger.map(entry => [entry.number, entry]));
  const here = [...history.migrations, ...doubled];
  const known = new Set([...here.map(({ name }) => name), ...beyond]);
  const entries = here.map((migration): StateEntry => {
    const { number, name } = migration;
    const run = runs.get(number);
    if (run?.name !== name)
      return { number, name, migration, state: doubled.includes(migration) ? "doubled" : "pending" };
    const edited = readScript(migration, "forward", dialect).checksum !== run.forward;
    return { number, name, migration, run, state: edited ? "edited" : "run" };
  });
  const missing = ledger
    .filter(({ name }) => !known.has(name))
    .map((run): StateEntry => ({ number: run.number, name: run.name, run, state: "missing" }));
  const behind = beyond.map((name): StateEntry => {
    const number = parseInt(name, 10);
    const run = runs.get(number);
    return run?.name === name ? { number, name, run, state: "run" } : { number, name, state: "pending" };
  });
  // Of two that have one number, the one that ran comes first.
  const all = [...entries, ...missing, ...behind].sort(
    (a, b) => a.number - b.number || Number(b.run !== undefined) - Number(a.run !== undefined),
  );
  return { entries: all, schema: schemaOf(all) };
}

/** The migrations that ran must be the first ones, each of them known. */
function schemaOf(entries: readonly StateEntry[]): Schema | undefined {
  const ran = entries.filter(({ run }) => run);
  const first = entries.slice(0, ran.length);
  if (first.some(({ run, migration }) => !run || !migration)) return undefined;
  return ran.at(-1)?.migration?.schemaAfter ?? EMPTY_SCHEMA;
}
