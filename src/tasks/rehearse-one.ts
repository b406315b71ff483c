import { diff } from "../core/change/diff.js";
import type { Direction } from "../core/direction.js";
import type { Change } from "../core/change/types.js";
import { describeChange } from "../core/change/words.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { mergeHeld } from "../core/dialect/merge-held.js";
import { respell } from "../core/lower/spellings.js";
import { excusedAgain, excusedBack } from "../core/plan/excuses.js";
import { probes, sayCount } from "../core/plan/probes.js";
import { Problem } from "../core/problems.js";
import { compareRows, type RowDifferences, type RowPrint } from "../core/rows/prints.js";
import { rulesToCome } from "../core/rows/rules-to-come.js";
import { addressOf } from "../core/schema/address.js";
import { columnsOfPart } from "../core/schema/lookups.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import type { Schema, Table } from "../core/schema/types.js";
import type { Database } from "../database/session/database.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { runProbes } from "../database/count-rows.js";
import { fillTables, printRows } from "../database/made-up-rows.js";
import type { Migration } from "../history/migration.js";
import { isEdited, migrationPlan } from "../history/script.js";
import { runMigrations } from "./run-migrations.js";

export interface RehearsedMigration {
  readonly name: string;
  /** Rows in the database when it ran, and tables that had none. */
  readonly rows: number;
  readonly emptyTables: readonly string[];
  /** Made-up rows that get a value because their column becomes required: `2 rows of pieces without a shelf, which get one`. */
  readonly filled: readonly string[];
  /** Rows that would stop it, and were not made up: what they are, and what would get them out of the way. */
  readonly avoided: readonly string[];
  readonly steps: readonly RehearsedStep[];
}

export interface RehearsedStep extends RowDifferences {
  readonly step: "forward" | "back" | "forward again";
  /** How the schema differs from what is expected after it. */
  readonly schema: readonly string[];
  readonly tookMs: number;
  /** Why it did not run. */
  readonly problem?: { readonly code: string; readonly what: string; readonly details: readonly string[] };
}

/** A migration whose forward script leads to something other than it records. */
export interface RecordMismatch {
  readonly migration: Migration;
  /** What it really leads to, in portable words. */
  readonly after: Schema;
}

interface RehearseOneOptions {
  /** Made-up rows for each table. */
  readonly rows: number;
  readonly onMismatch: (found: RecordMismatch) => void;
}

/**
 * Rehearses one migration on a scratch database that has all before it: forward, back, and forward again. A step that
 * does not lead to what is expected is the last one.
 */
export async function rehearseOne(
  database: Database,
  migration: Migration,
  { rows, onMismatch }: RehearseOneOptions,
): Promise<RehearsedMigration> {
  const { dialect } = database;
  const { schemaBefore, schemaAfter, changes, name } = migration;
  await fillTables(database, schemaBefore, {
    rows,
    rules: address => rulesToCome(schemaAfter, changes, address),
  });
  const scene: Scene = {
    database,
    migration,
    before: dialect.types.settle(schemaBefore).tables,
    after: dialect.types.settle(schemaAfter).tables,
    stamped: isByHand(migration, dialect) ? stampedColumns(schemaBefore) : [],
  };
  const start = await see(database, scene.before);
  const asked = probes(migrationPlan(migration, "forward", dialect), dialect);
  const fills = asked.filter(
    ({ change, meaning }) => meaning !== "refuses" && "fill" in change && change.fill,
  );
  const filled = await runProbes(database, fills);
  const steps: RehearsedStep[] = [];
  const go = async (step: RehearsedStep["step"], compare: () => Promise<Found>) => {
    steps.push(await takeStep(step, scene, compare));
    return steps.every(isSoundStep);
  };
  if (await go("forward", () => compareForward(scene, onMismatch))) {
    const end = await see(database, scene.after);
    if (await go("back", () => compareBack(scene, start))) {
      await go("forward again", () => compareAgain(scene, end));
    }
  }
  const prints = [...start.prints];
  return {
    name,
    rows: prints.reduce((sum, [, print]) => sum + print.rows, 0),
    emptyTables: prints.flatMap(([address, print]) => (print.rows === 0 ? [address] : [])),
    filled: filled.map(({ count, question }) => sayCount(count, question)),
    avoided: asked
      .filter(({ meaning, change }) => meaning === "refuses" && !isOfNewColumns(change, changes))
      .map(({ question, cure = "correct" }) => `${question}${CURES[cure]}`),
    steps,
  };
}

/** Whether a part is about columns alone that arrive with it: no row has values there that could be in the way. */
function isOfNewColumns(change: Change, changes: readonly Change[]): boolean {
  if (change.kind !== "add part") return false;
  const { table, what, value } = change;
  return columnsOfPart(what, value).every(name =>
    changes.some(each => each.kind === "add column" && each.table === table && each.column.name === name),
  );
}

const CURES = {
  fill: "; a `fill` would give them one",
  convert: "; a `convert` would say what they become",
  correct: "",
} as const;

/** Whether a step of a rehearsal ended without a problem, with the schema and the rows it was to have. */
export function isSoundStep({ schema, rows, problem }: RehearsedStep): boolean {
  return !problem && schema.length === 0 && rows.length === 0;
}

/** What the three steps of a rehearsal are about. */
interface Scene {
  readonly database: Database;
  readonly migration: Migration;
  /** Settled tables on both sides of the migration. */
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  /** Columns whose moments a script of somebody's own may change. */
  readonly stamped: readonly string[];
}

/** What a database holds at a moment. */
interface Seen {
  readonly schema: Schema;
  readonly prints: ReadonlyMap<string, RowPrint>;
}

async function see(database: Database, tables: readonly Table[]): Promise<Seen> {
  return { prints: await printRows(database, tables), schema: await readHeld(database) };
}

type Found = RowDifferences & Pick<RehearsedStep, "schema">;

/** Runs the migration one way and compares what came of it. */
async function takeStep(
  step: RehearsedStep["step"],
  { database, migration }: Scene,
  compare: () => Promise<Found>,
): Promise<RehearsedStep> {
  const direction: Direction = step === "back" ? "back" : "forward";
  const start = performance.now();
  try {
    await runMigrations(database, [migration], direction, { mayLose: async () => true });
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    const { what, details = [] } = error.words;
    const problem = { code: error.code, what, details };
    return { step, schema: [], rows: [], dropped: [], tookMs: performance.now() - start, problem };
  }
  const tookMs = performance.now() - start;
  return { step, ...(await compare()), tookMs };
}

/** The schema is the one the migration records. */
async function compareForward(
  { database, migration, after }: Scene,
  onMismatch: (found: RecordMismatch) => void,
): Promise<Found> {
  const { dialect } = database;
  const spellings = allSpellings(await readLedger(database));
  const held = await readHeld(database);
  const settled = { ...dialect.types.settle(migration.schemaAfter), tables: after };
  const schema = differences(dialect.catalog.respells ? respell(settled, spellings) : settled, held);
  if (schema.length > 0)
    onMismatch({ migration, after: mergeHeld(migration.schemaAfter, { dialect, held, spellings }) });
  return { schema, rows: [], dropped: [] };
}

/** Schema and rows are as they were, but for what is lost. */
async function compareBack({ database, migration, before, stamped }: Scene, start: Seen): Promise<Found> {
  const now = await see(database, before);
  const plan = migrationPlan(migration, "forward", database.dialect);
  const excuses = [...excusedBack(plan, database.dialect), ...stamped];
  return { schema: differences(start.schema, now.schema), ...compareRows(start.prints, now.prints, excuses) };
}

/** Schema and rows are as they were the first time, but for what is made anew. */
async function compareAgain({ database, migration, after, stamped }: Scene, end: Seen): Promise<Found> {
  const now = await see(database, after);
  const plan = migrationPlan(migration, "forward", database.dialect);
  const excuses = [...excusedAgain(plan), ...stamped];
  return { schema: differences(end.schema, now.schema), ...compareRows(end.prints, now.prints, excuses) };
}

/** Whether somebody wrote a script, or changed one. */
function isByHand(migration: Migration, dialect: Dialect): boolean {
  return isEdited(migration, "forward", dialect) || isEdited(migration, "back", dialect);
}

/** Who changes rows by hand leaves the moment of that in them, there and back. */
function stampedColumns({ tables }: Schema): string[] {
  return tables.flatMap(table =>
    table.columns.flatMap(({ name, stamp }) => (stamp === "updated" ? [`${addressOf(table)}.${name}`] : [])),
  );
}

/** All that a scratch database holds, but for what is Emberset's own. */
export async function readHeld(database: Database): Promise<Schema> {
  return withoutInternal(await database.readCatalog()).schema;
}

/** How a schema that was found differs from the one expected, a line each. */
export function differences(expected: Schema, found: Schema): string[] {
  return diff(expected, found).map(describeChange);
}
