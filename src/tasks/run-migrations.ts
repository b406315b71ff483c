import { seeToRoles } from "./roles.js";
import { describeChange } from "../core/change/words.js";
import type { Catalog, Dialect } from "../core/dialect/shared/dialect.js";
import type { Direction } from "../core/direction.js";
import type { Schema } from "../core/schema/types.js";
import { Problem, problems } from "../core/problems.js";
import { mayRespell } from "../core/plan/plan.js";
import { columnsOfPart } from "../core/schema/lookups.js";
import type { Database } from "../database/session/database.js";
import { readJournal, sayStopped, type JournalEntry } from "../database/journal.js";
import { readLedger } from "../database/ledger.js";
import { MoreLost } from "../database/losses.js";
import { letOthersRun, runMigration, type Scripted } from "../database/run-migration.js";
import { spelledOtherwise } from "../database/spelled.js";
import { showNumber, type Migration } from "../history/migration.js";
import { filesOf, readScript } from "../history/read.js";
import { isEdited, migrationPlan, wayOf } from "../history/script.js";
import { dialectOf, type TargetSettings } from "../project/settings.js";
import { costsOf, costsOn, type CostReport } from "./costs.js";
import { askForMore, askRows, concernsRows, losingProbes, type NextRun } from "./ask-rows.js";
import { lookAt, type Known } from "./drift.js";
import type { MayLose, RanMigration, TaskOptions } from "./options.js";
import type { DatabaseState } from "./state.js";

export interface RunOptions extends Pick<TaskOptions, "onEvent"> {
  /** Make roles that the server does not have yet, without a login. @default false */
  readonly createRoles?: boolean | undefined;
  /** @default refuse */
  readonly mayLose?: MayLose | undefined;
}

export interface RunResult {
  readonly target: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  readonly ran: readonly RanMigration[];
  /** When the SQL was only asked for: the scripts that would run. */
  readonly scripts?: readonly ShownScript[];
  /** How the database differs afterwards from what the migrations say, a line each. */
  readonly drift: readonly string[];
}

/** A script that would run. */
interface ShownScript {
  readonly name: string;
  readonly file: string;
  readonly text: string;
  /** What takes as long as a table has rows; of the first one, how long on this database. */
  readonly costs: CostReport;
}

/** What a database was found to be before something runs there. */
interface Looked {
  /** The names of what had run there, the oldest first. */
  readonly ran: readonly string[];
  /** A run that has stopped there in the midst. */
  readonly stopped?: JournalEntry | undefined;
}

/** What has run on a database, and what has stopped there. */
export function lookedAt({ entries, stopped }: DatabaseState): Looked {
  return { ran: entries.flatMap(({ run }) => (run ? [run.name] : [])), stopped };
}

/**
 * Nothing runs on a database whose ledger and the migrations here tell different stories, or where a run has stopped in
 * the midst. @throws Problem E500, E501, E505, E520
 */
export function refuseUnsound(state: DatabaseState, target: TargetSettings): void {
  if (state.stopped) throw problems.stopped({ target: target.name, ...sayStopped(state.stopped) });
  refuseOtherStory(state, target);
  refuseOutOfOrder(state, target);
}

/** Nothing runs beside migrations that are not as they were when they ran there. @throws Problem E500, E501, E531 */
export function refuseOtherStory({ entries }: DatabaseState, { name: target }: TargetSettings): void {
  refuseFoldedHalfway({ entries }, { name: target });
  const named = (state: string) => entries.filter(entry => entry.state === state).map(({ name }) => name);
  const [missing, edited] = [named("missing"), named("edited")];
  if (missing.length > 0) throw problems.missing({ target, migrations: missing });
  if (edited.length > 0) throw problems.edited({ target, migrations: edited });
}

/** A baseline takes the place of migrations where all of them ran, or none. @throws Problem E531 */
export function refuseFoldedHalfway(
  { entries }: Pick<DatabaseState, "entries">,
  { name: target }: Pick<TargetSettings, "name">,
): void {
  const baseline = entries.find(({ migration }) => migration?.folds)?.migration;
  const some = entries.filter(({ name, state }) => state === "missing" && baseline?.folds?.includes(name));
  if (baseline && some.length > 0)
    throw problems.foldedHalfway({ target, migration: baseline.name, ran: some.map(({ name }) => name) });
}

/** What ran behind one that is still pending is to be undone first. @throws Problem E505 */
export function refuseOutOfOrder({ entries }: DatabaseState, { name: target }: TargetSettings): void {
  const pending = entries.find(({ state }) => state === "pending");
  const later = pending && entries.find(({ run, number }) => run && number > pending.number);
  if (later)
    throw problems.outOfOrder({ target, pending: showNumber(pending.number), run: showNumber(later.number) });
}

/** The scripts that would run, and nothing done. @param database where it can be looked at */
export async function showScripts(
  target: TargetSettings,
  migrations: readonly Migration[],
  direction: Direction,
  database?: Database,
): Promise<RunResult> {
  const scripts: ShownScript[] = [];
  for (const [at, migration] of migrations.entries()) {
    const { file, text } = readScript(migration, direction, target.dialect);
    const plan = migrationPlan(migration, direction, dialectOf(target));
    // What is there tells only of what is done to it first.
    const costs = database && at === 0 ? await costsOn(database, plan) : costsOf(plan, dialectOf(target));
    scripts.push({ name: migration.name, file, text, costs });
  }
  return { target: target.name, place: target.label, ran: [], scripts, drift: [] };
}

/**
 * Runs migrations one after the other, each in a transaction of its own, and looks at the database afterwards.
 * @param looked what was there when it was looked at; absent: nobody else is there
 * @param held what the database holds, where that was read just now
 * @throws Problem E139, E303, E401 to E409, E502, E503, E517 to E520
 */
export async function runMigrations(
  database: Database,
  migrations: readonly Migration[],
  direction: Direction,
  options: RunOptions,
  looked?: Looked,
  held?: Catalog,
): Promise<RunResult> {
  const { target } = database;
  await seeToRoles(database, migrations, direction, options.createRoles);
  const ran: RanMigration[] = [];
  const [first, last] = [migrations[0], migrations.at(-1)];
  const { ran: ranBefore, stopped: entry } = looked ?? (await lookNow(database));
  const isThis = entry?.name === first?.name && entry?.direction === direction;
  const stopped = entry && isThis ? sayStopped(entry) : undefined;
  // What differed before is no script's doing.
  const start = first && wayOf(first, direction).before;
  const already =
    start && !stopped && start.tables.length > 0 ? await driftLines(database, start, { catalog: held }) : [];
  const isAsSaid = !stopped && already.length === 0;
  let [now, isPresumed]: [Known, boolean] = [{}, false];
  let there = ranBefore;
  try {
    for (const [at, migration] of migrations.entries()) {
      const before = ran.map(({ name }) => name);
      const next = { migration, direction, before, stopped: migration === first ? stopped : undefined };
      const { run, presumed, ...known } = await runOne(
        database,
        { ...next, follows: isAsSaid ? migrations[at + 1] : undefined },
        there,
        options,
      );
      now = known;
      isPresumed ||= presumed === true;
      there = direction === "forward" ? [...there, run.name] : there.filter(name => name !== run.name);
      ran.push(run);
      options.onEvent?.({ target: target.name, kind: "migration done", run, direction });
    }
  } catch (error) {
    if (error instanceof Problem) error.ran = ran.filter(({ here }) => here).map(({ name }) => name);
    throw error;
  } finally {
    await letOthersRun(database);
  }
  const drift = last ? await driftAfter(database, endOf(last, direction), { now, isPresumed }) : [];
  return {
    target: target.name,
    place: target.label,
    ran,
    drift: drift.filter(line => !already.includes(line)),
  };
}

async function lookNow(database: Database): Promise<Looked> {
  const ran = (await readLedger(database)).map(({ name }) => name);
  return { ran, stopped: await readJournal(database) };
}

/** How a database differs from what the migrations say, once what was presumed of it is put right. */
async function driftAfter(
  database: Database,
  expected: Schema,
  { now, isPresumed }: { readonly now: Known; readonly isPresumed: boolean },
): Promise<string[]> {
  const catalog = now.catalog ?? (await database.readCatalog());
  const drift = await driftLines(database, expected, { ...now, catalog });
  if (drift.length === 0 || !isPresumed) return drift;
  const isOtherwise = await spelledOtherwise(database, catalog, database.dialect.types.settle(expected));
  return isOtherwise ? driftLines(database, expected, { catalog }) : drift;
}

async function driftLines(database: Database, expected: Schema, known: Known): Promise<string[]> {
  const { drift, indexes } = await lookAt(database, expected, known);
  return [
    ...drift.map(describeChange),
    ...indexes.map(({ table, index }) => `add index ${index.name} on ${table}`),
  ];
}

async function runOne(
  database: Database,
  next: NextRun & { readonly follows: Migration | undefined },
  ran: readonly string[],
  options: RunOptions,
): Promise<Known & { readonly run: RanMigration; readonly presumed?: boolean }> {
  const { dialect } = database;
  const { migration, direction, stopped, follows } = next;
  // Of one that stopped in the midst, the rows are no more as they were: what goes is counted when it is about to.
  let agreed = stopped ? losingProbes(database, next) : await askRows(database, next, options);
  if (!stopped) await refuseOthers(database, next);
  const scripted = withScripts(migration, dialect);
  // To tell takes drafting it once more, which not all that runs asks for.
  const drafted = () => !isEdited(migration, direction, dialect);
  const { name: target } = database.target;
  options.onEvent?.({ target, kind: "migration begins", name: migration.name, direction });
  const run = () =>
    runMigration(database, {
      ...{ ...scripted, direction, ran, agreed },
      next: () =>
        follows && drafted() && mayFollow(follows, direction, dialect)
          ? withScripts(follows, dialect)
          : undefined,
      after: () => dialect.types.settle(endOf(migration, direction)),
      online: isOnline(migration, direction, dialect),
      filled: (sql, { done, of }) =>
        options.onEvent?.({ target, kind: "rows", table: tableFilled(sql, dialect), done, of }),
      ...{
        drafted,
        respells:
          dialect.catalog.respells &&
          (!drafted() || stopped !== undefined || mayRespell(migrationPlan(migration, direction, dialect))),
      },
      managed: () =>
        dialect.render.managedObjectNames(dialect.types.settle(wayOf(migration, direction).before)),
    });
  for (;;) {
    try {
      const { outcome, tookMs, ...looked } = await run();
      const { number, name, title } = migration;
      const goneOn = stopped && { from: stopped.next, of: stopped.of };
      const told = { number, name, title, here: outcome === "done", tookMs };
      return { run: { ...told, ...(goneOn && { goneOn }) }, ...looked };
    } catch (error) {
      if (!(error instanceof MoreLost)) throw error;
      agreed = await askForMore(database, next, { agreed, found: error.found }, options);
    }
  }
}

function withScripts(migration: Migration, dialect: Dialect): Scripted {
  const scripts = {
    forward: readScript(migration, "forward", dialect.name),
    back: readScript(migration, "back", dialect.name),
  };
  return { migration, scripts, kept: { files: filesOf(migration, scripts) } };
}

/** Whether a migration is run while others write; most are not meant to be, and need no plan for that to be told. */
function isOnline(migration: Migration, direction: Direction, dialect: Dialect): boolean {
  return migration.online === true && migrationPlan(migration, direction, dialect).online === true;
}

/** Whether nothing is asked and looked at before a migration runs, so that it may begin as soon as another is at its end. */
function mayFollow(migration: Migration, direction: Direction, dialect: Dialect): boolean {
  return (
    !concernsRows(migration, direction) &&
    !isOnline(migration, direction, dialect) &&
    !isEdited(migration, direction, dialect)
  );
}

/** The table of which rows get values, as people call it. */
function tableFilled(sql: string, { render }: Dialect): string {
  return (render.online?.fills(sql)?.table ?? "").replaceAll(/["`]/g, "");
}

/** What others have made over a column would go with it, and going back would not bring it. @throws Problem E408 */
async function refuseOthers(database: Database, { migration, direction }: NextRun): Promise<void> {
  // Most bring something, and have no plan yet.
  if (!wayOf(migration, direction).changes.some(({ kind }) => kind === "drop column")) return;
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
