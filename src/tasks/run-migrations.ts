import { risks } from "../core/change/risk.js";
import { describeChange } from "../core/change/words.js";
import type { Attic } from "../core/dialect/shared/kept.js";
import { widens } from "../core/dialect/registry.js";
import { probes, sayCount } from "../core/plan/probes.js";
import type { Direction } from "../core/direction.js";
import type { Schema } from "../core/schema/types.js";
import { Problem, problems, type Cure } from "../core/problems.js";
import { columnsOfPart } from "../core/schema/lookups.js";
import { runProbes, type ProbeResult } from "../database/count-rows.js";
import type { Database } from "../database/session/database.js";
import { readAttic } from "../database/attic.js";
import { runMigration } from "../database/run-migration.js";
import { showNumber, type Migration } from "../history/migration.js";
import { readScript } from "../history/read.js";
import { isEdited, migrationPlan, wayOf } from "../history/script.js";
import type { TargetSettings } from "../project/settings.js";
import { lookAt } from "./drift.js";
import type { MayLose } from "./options.js";
import type { DatabaseState } from "./state.js";

export interface RunOptions {
  /** @default refuse */
  readonly mayLose?: MayLose | undefined;
  /** Called before each migration runs, once all that is to be asked has been answered. */
  readonly onStart?: ((name: string) => void) | undefined;
  /** Called as each migration is done. */
  readonly onRun?: ((run: RanMigration) => void) | undefined;
}

export interface RanMigration {
  readonly number: number;
  readonly name: string;
  readonly title: string;
  /** false: another process had run it by the time it was its turn. */
  readonly here: boolean;
  readonly tookMs: number;
}

export interface RunResult {
  readonly target: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  readonly ran: readonly RanMigration[];
  /** When the SQL was only asked for: the scripts that would run. */
  readonly scripts?: readonly { readonly name: string; readonly file: string; readonly text: string }[];
  /** How the database differs afterwards from what the migrations say, a line each. */
  readonly drift: readonly string[];
}

/** Nothing runs on a database whose ledger and the migrations here tell different stories. @throws Problem E500, E501, E505 */
export function refuseUnsound({ entries }: DatabaseState, { name: target }: TargetSettings): void {
  const named = (state: string) => entries.filter(entry => entry.state === state).map(({ name }) => name);
  const [missing, edited] = [named("missing"), named("edited")];
  if (missing.length > 0) throw problems.missing({ target, migrations: missing });
  if (edited.length > 0) throw problems.edited({ target, migrations: edited });
  const pending = entries.find(({ state }) => state === "pending");
  const later = pending && entries.find(({ run, number }) => run && number > pending.number);
  if (later)
    throw problems.outOfOrder({ target, pending: showNumber(pending.number), run: showNumber(later.number) });
}

/** The scripts that would run, and nothing done. */
export function showScripts(
  target: TargetSettings,
  migrations: readonly Migration[],
  direction: Direction,
): RunResult {
  const scripts = migrations.map(migration => {
    const { file, text } = readScript(migration, direction, target.dialect);
    return { name: migration.name, file, text };
  });
  return { target: target.name, place: target.label, ran: [], scripts, drift: [] };
}

/**
 * Runs migrations one after the other, each in a transaction of its own, and looks at the database afterwards.
 * @throws Problem E303, E401 to E409, E502, E503
 */
export async function runMigrations(
  database: Database,
  migrations: readonly Migration[],
  direction: Direction,
  options: RunOptions,
): Promise<RunResult> {
  const { target } = database;
  const ran: RanMigration[] = [];
  const [first, last] = [migrations[0], migrations.at(-1)];
  // What differed before is no script's doing.
  const already = first ? await driftLines(database, wayOf(first, direction).before) : [];
  try {
    for (const migration of migrations) {
      const run = await runOne(database, { migration, direction, ran }, options);
      ran.push(run);
      options.onRun?.(run);
    }
  } catch (error) {
    if (error instanceof Problem) error.ran = ran.filter(({ here }) => here).map(({ name }) => name);
    throw error;
  }
  const drift = last ? await driftLines(database, endOf(last, direction)) : [];
  return {
    target: target.name,
    place: target.label,
    ran,
    drift: drift.filter(line => !already.includes(line)),
  };
}

async function driftLines(database: Database, expected: Schema): Promise<string[]> {
  const { drift, indexes } = await lookAt(database, expected);
  return [
    ...drift.map(describeChange),
    ...indexes.map(({ table, index }) => `add index ${index.name} on ${table}`),
  ];
}

async function runOne(database: Database, next: NextRun, options: RunOptions): Promise<RanMigration> {
  const { dialect } = database;
  const { migration, direction } = next;
  await askRows(database, next, options);
  await refuseOthers(database, next);
  const scripts = {
    forward: readScript(migration, "forward", dialect.name),
    back: readScript(migration, "back", dialect.name),
  };
  options.onStart?.(migration.name);
  const { outcome, tookMs } = await runMigration(database, {
    migration,
    direction,
    scripts,
    after: () => dialect.types.settle(endOf(migration, direction)),
    managed: () =>
      dialect.render.managedObjectNames(dialect.types.settle(wayOf(migration, direction).before)),
  });
  const { number, name, title } = migration;
  return { number, name, title, here: outcome === "done", tookMs };
}

/** What others have made over a column would go with it, and going back would not bring it. @throws Problem E408 */
async function refuseOthers(database: Database, { migration, direction }: NextRun): Promise<void> {
  const { changes, before } = migrationPlan(migration, direction, database.dialect);
  const dropped = changes.filter(change => change.kind === "drop column");
  if (dropped.length === 0) return;
  const { indexes } = await lookAt(database, wayOf(migration, direction).before);
  const known = new Set(before.tables.flatMap(table => table.indexes.map(({ name }) => name)));
  const objects = indexes.flatMap(({ table, index }) =>
    dropped
      .filter(
        ({ table: from, column }) => from === table && columnsOfPart("index", index).includes(column.name),
      )
      .filter(() => !known.has(index.name))
      .map(({ column }) => `index ${index.name} on ${table} uses ${column.name}`),
  );
  if (objects.length === 0) return;
  const reason = "it would go with the column, and going back would not bring it";
  throw problems.brokenView({ migration: migration.name, objects, reason });
}

/** The schema a script leads to. */
function endOf({ schemaBefore, schemaAfter }: Migration, direction: Direction): Schema {
  return direction === "forward" ? schemaAfter : schemaBefore;
}

/** A script that is as it was drafted needs all that the attic took. */
async function refuseEmptyAttic(
  database: Database,
  migration: Migration,
  { kept, counters, numbered }: Attic,
): Promise<void> {
  if (isEdited(migration, "back", database.dialect)) return;
  const there = new Set((await readAttic(database)).map(({ address }) => address));
  const missing = [...kept, ...counters, ...numbered]
    .map(({ address }) => address)
    .filter(address => !there.has(address));
  if (missing.length > 0)
    throw problems.notInAttic({
      migration: migration.name,
      target: database.target.name,
      addresses: missing,
    });
}

interface NextRun {
  readonly migration: Migration;
  readonly direction: Direction;
  readonly ran: readonly RanMigration[];
}

/** Whether rows could stand in the way, be lost, or have to come back: else none needs to be asked. */
function concernsRows(migration: Migration, direction: Direction): boolean {
  if (direction === "back" && migration.kept) return true;
  const { changes } = wayOf(migration, direction);
  const keep = direction === "forward" && migration.kept === true;
  return risks(changes, { keep, widens }).some(({ level }, at) => {
    if (level !== "kept") return level !== "safe";
    // Where no key tells the rows, values are lost all the same.
    return changes[at]?.kind === "alter column";
  });
}

/** What gets those rows out of the way that refuse. */
export function curesOf(found: readonly ProbeResult[]): Set<Cure> {
  return new Set(found.flatMap(({ meaning, cure = "correct" }) => (meaning === "refuses" ? [cure] : [])));
}

/** Looks at the rows before a migration runs: those in its way stop it, those it takes away are asked about. */
async function askRows(
  database: Database,
  { migration, direction, ran }: NextRun,
  { mayLose }: RunOptions,
): Promise<void> {
  const { dialect } = database;
  if (!concernsRows(migration, direction)) return;
  const plan = migrationPlan(migration, direction, dialect);
  if (plan.attic && direction === "back") await refuseEmptyAttic(database, migration, plan.attic);
  const asked = probes(plan, dialect, direction).filter(({ meaning }) => meaning !== "keeps");
  const found = await runProbes(database, asked);
  const saying = (meaning: ProbeResult["meaning"]) =>
    found
      .filter(result => result.meaning === meaning)
      .map(({ count, question }) => sayCount(count, question));
  const [refusing, losing] = [saying("refuses"), saying("loses")];
  const before = ran.map(({ name }) => name);
  const called = direction === "forward" ? migration.name : `${migration.name} (back)`;
  // A script that is no longer as it was drafted may well see to the rows itself; the database has the last word.
  if (refusing.length > 0 && !isEdited(migration, direction, dialect)) {
    const { file } = readScript(migration, direction, dialect.name);
    throw problems.rowsRefuse({
      migration: called,
      rows: refusing,
      before,
      file,
      direction,
      cures: curesOf(found),
    });
  }
  const { name, guarded } = database.target;
  if (losing.length === 0 || (await mayLose?.(losing, { name, guarded }))) return;
  throw problems.wouldLose({ migration: called, target: name, losses: losing, guarded, before });
}
