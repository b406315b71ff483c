import { diff } from "../core/change/diff.js";
import { hintsOf, joinHints } from "../core/change/hints.js";
import { invert } from "../core/change/invert.js";
import type { Change } from "../core/change/types.js";
import { describeChange } from "../core/change/words.js";
import type { Dialect } from "../core/dialect/dialect.js";
import { mergeHeld } from "../core/dialect/merge-held.js";
import { planFor, renderFor } from "../core/dialect/plan.js";
import { respell } from "../core/dialect/spellings.js";
import type { Direction } from "../core/direction.js";
import { Problem, problems } from "../core/problems.js";
import { textsFor } from "../core/rows/made-up.js";
import { sameSchema } from "../core/schema/canonical.js";
import { addressOf } from "../core/schema/address.js";
import { withoutOwn } from "../core/schema/own.js";
import { EMPTY_SCHEMA, type Column, type Rule, type Schema } from "../core/schema/types.js";
import type { Database } from "../database/database.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { fillTables, printRows, type RowPrint } from "../database/made-up-rows.js";
import { withExistingDatabase } from "../database/open.js";
import { copySample } from "../database/sample-rows.js";
import { withScratch } from "../database/scratch.js";
import type { Migration } from "../history/migration.js";
import { readScript } from "../history/read.js";
import { keepingOf, rewriteRecord, scriptText } from "../history/write.js";
import { chooseTarget } from "../project/load-settings.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { openProject, type OpenProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import { runMigrations } from "./run-migrations.js";
import { readState } from "./state.js";

export interface RehearseOptions extends TargetOptions {
  /** Made-up rows for each table. @default 20 */
  readonly rows?: number | undefined;
  /** Whose rows are taken instead, where it has any, and whose pending migrations are meant. */
  readonly fromTarget?: string | undefined;
  /** How many of each of its tables, beside those they refer to. @default 100 */
  readonly sample?: number | undefined;
  /** Write down what the newest migration really does, where that is something other than it records. @default false */
  readonly record?: boolean | undefined;
}

export interface RehearseResult {
  readonly target: string;
  readonly dialect: string;
  /** `a scratch file`, `a scratch database on the same server`, `an embedded PostgreSQL` */
  readonly where: string;
  readonly migrations: readonly RehearsedMigration[];
  /** Where rows come from that are not made up. */
  readonly sample?: { readonly target: string; readonly rows: number };
  /** What was written down that the newest migration did not say it does. */
  readonly recorded?: {
    readonly migration: string;
    readonly changes: readonly ComparedChange[];
  };
  /** What the newest schema is when it is built whole, without any migration, and how the rehearsed one differs. */
  readonly builtWhole?: { readonly from: "models" | "history"; readonly differences: readonly string[] };
  /** Every step led to what was expected, and every row came back that the migrations do not drop. */
  readonly proven: boolean;
}

export interface RehearsedMigration {
  readonly name: string;
  /** Rows in the database when it ran, and tables that had none. */
  readonly rows: number;
  readonly emptyTables: readonly string[];
  readonly steps: readonly RehearsedStep[];
}

export interface RehearsedStep {
  readonly step: "forward" | "back" | "forward again";
  /** How the schema differs from what is expected after it. */
  readonly schema: readonly string[];
  /** How the rows differ from what they were. */
  readonly rows: readonly string[];
  /** Values that the migration drops, and that going back therefore cannot bring. */
  readonly dropped: readonly string[];
  readonly tookMs: number;
  /** Why it did not run. */
  readonly problem?: { readonly code: string; readonly what: string; readonly details: readonly string[] };
}

/**
 * Proves the pending migrations on a scratch database, with made-up rows or a sample of a target's: forward, back, and
 * forward again. Where none is pending, the newest.
 * @throws Problem E104, E120, E121, E300 to E304, E400 to E416
 */
export async function rehearse({ record = false, ...options }: RehearseOptions): Promise<RehearseResult> {
  const found: Otherwise[] = [];
  const result = await rehearseOnce(options, each => void found.push(each));
  const [otherwise] = found;
  if (!record || !otherwise) return result;
  const recorded = await recordReal(await openProject(options), otherwise);
  return { ...(await rehearseOnce(options)), recorded };
}

/** A migration whose forward script leads to something other than it records. */
interface Otherwise {
  readonly migration: Migration;
  /** What it really leads to, in portable words. */
  readonly after: Schema;
}

/** Writes down what a migration really does. @throws Problem E121 when others build on what it records */
async function recordReal(
  project: OpenProject,
  { migration, after }: Otherwise,
): Promise<NonNullable<RehearseResult["recorded"]>> {
  const newest = project.history().migrations.at(-1)!;
  if (newest.name !== migration.name)
    throw problems.builtUpon({ migration: migration.name, newest: newest.name });
  const models = await project.soundModels().catch(() => undefined);
  const hints = joinHints(hintsOf(migration.changes), models?.hints ?? {});
  rewriteRecord(migration, diff(migration.schemaBefore, after, hints));
  return { migration: migration.name, changes: withRisks(diff(migration.schemaAfter, after), false) };
}

async function rehearseOnce(
  { rows = 20, fromTarget, sample = 100, ...options }: Omit<RehearseOptions, "record">,
  onOtherwise: (found: Otherwise) => void = () => undefined,
): Promise<RehearseResult> {
  const project = await openProject(options);
  const { settings } = project;
  const target = chooseTarget(settings, options.target ?? fromTarget);
  const source = fromTarget === undefined ? undefined : chooseTarget(settings, fromTarget);
  if (source && source.dialect !== target.dialect)
    throw problems.otherDialect({ source: source.name, target: target.name, dialect: target.dialect });
  const { migrations } = project.history();
  const { trace } = options;
  const whose = source ?? target;
  const ran = await withExistingDatabase(whose, { mode: "read", trace }, async database => {
    const { entries } = await readState(database, project.history());
    return new Set(entries.flatMap(({ run, name }) => (run ? [name] : [])));
  });
  const pending = migrations.filter(({ name }) => !ran?.has(name));
  const wanted = pending.length > 0 ? pending : migrations.slice(-1);
  const earlier = migrations.filter(each => !wanted.includes(each));
  const base = { target: target.name, dialect: target.dialect };
  if (wanted.length === 0) return { ...base, where: "", migrations: [], proven: true };
  return withScratch(target, trace, async ({ database, where }) => {
    await runMigrations(database, earlier, "forward", { mayLose: async () => true });
    const schema = wanted[0]!.schemaBefore;
    // The newest is rehearsed once more where it ran: its rows are of a later schema.
    const sampled =
      source && pending.length > 0
        ? await withExistingDatabase(source, { mode: "read", trace }, from =>
            copySample(from, database, schema, sample),
          )
        : undefined;
    const rehearsed: RehearsedMigration[] = [];
    for (const migration of wanted) {
      rehearsed.push(await rehearseOne(database, migration, { rows, onOtherwise }));
      if (!isSound(rehearsed.at(-1)!)) break;
    }
    const sound = rehearsed.length === wanted.length && rehearsed.every(isSound);
    const builtWhole = sound ? await buildWhole(project, database, options) : undefined;
    return {
      ...base,
      where,
      migrations: rehearsed,
      ...(sampled !== undefined && { sample: { target: source!.name, rows: sampled } }),
      ...(builtWhole && { builtWhole }),
      proven: sound && builtWhole?.differences.length === 0,
    };
  });
}

function isSound({ steps }: RehearsedMigration): boolean {
  return (
    steps.length === 3 &&
    steps.every(({ schema, rows, problem }) => !problem && schema.length === 0 && rows.length === 0)
  );
}

async function rehearseOne(
  database: Database,
  migration: Migration,
  { rows, onOtherwise }: { readonly rows: number; readonly onOtherwise: (found: Otherwise) => void },
): Promise<RehearsedMigration> {
  const { dialect } = database;
  const { schemaBefore, schemaAfter, changes } = migration;
  const [before, after] = [dialect.settle(schemaBefore), dialect.settle(schemaAfter)];
  const rules = (address: string) => rulesToCome(schemaAfter, changes, address);
  await fillTables(database, schemaBefore, { rows, rules });
  const prints = await printRows(database, before.tables);
  const emptyTables = [...prints].flatMap(([address, print]) => (print.rows === 0 ? [address] : []));
  const heldBefore = await readHeld(database);
  const touched = isByHand(migration, dialect) ? stampedColumns(schemaBefore) : [];
  const steps: RehearsedStep[] = [];
  const step = async (
    name: RehearsedStep["step"],
    direction: Direction,
    compare: () => Promise<Pick<RehearsedStep, "schema" | "rows" | "dropped">>,
  ): Promise<boolean> => {
    const start = performance.now();
    try {
      await runMigrations(database, [migration], direction, { mayLose: async () => true });
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      const { what, details = [] } = error.words;
      const problem = { code: error.code, what, details };
      steps.push({
        step: name,
        schema: [],
        rows: [],
        dropped: [],
        tookMs: performance.now() - start,
        problem,
      });
      return false;
    }
    const tookMs = performance.now() - start;
    const found = await compare();
    steps.push({ step: name, ...found, tookMs });
    return found.schema.length === 0 && found.rows.length === 0;
  };
  const none = { rows: [], dropped: [] };
  const expected = async () => {
    const spellings = allSpellings(await readLedger(database));
    const held = await readHeld(database);
    const found = differences(dialect.respells ? respell(after, spellings) : after, held);
    if (found.length > 0)
      onOtherwise({ migration, after: mergeHeld(schemaAfter, { dialect, held, spellings }) });
    return found;
  };
  if (await step("forward", "forward", async () => ({ ...none, schema: await expected() }))) {
    const [heldAfter, printsAfter] = [await readHeld(database), await printRows(database, after.tables)];
    const wentBack = await step("back", "back", async () => ({
      schema: differences(heldBefore, await readHeld(database)),
      ...compareRows(prints, await printRows(database, before.tables), [
        ...lostBy(migration, dialect),
        ...touched,
      ]),
    }));
    if (wentBack)
      await step("forward again", "forward", async () => ({
        schema: differences(heldAfter, await readHeld(database)),
        ...compareRows(printsAfter, await printRows(database, after.tables), [
          ...broughtBy(changes),
          ...touched,
        ]),
      }));
  }
  const total = [...prints.values()].reduce((sum, print) => sum + print.rows, 0);
  return { name: migration.name, rows: total, emptyTables, steps };
}

/** How many texts made-up rows choose from. */
const TEXTS = 500;

function isText({ type }: Column): boolean {
  return ["char", "varchar", "text"].includes(type.kind);
}

/** Rules that the columns of a table will have to keep to, so that made-up rows are not in the way of them. */
function rulesToCome(
  after: Schema,
  changes: readonly Change[],
  address: string,
): ReadonlyMap<string, readonly Rule[]> {
  const { tableBefore, columnBefore } = namesBefore(changes);
  const table = after.tables.find(each => tableBefore(addressOf(each)) === address);
  const found = new Map<string, Rule[]>();
  for (const rule of table?.checks.flatMap(check => check.rules) ?? []) {
    if (!("column" in rule)) continue;
    const name = columnBefore(addressOf(table!), rule.column).slice(address.length + 1);
    found.set(name, [...(found.get(name) ?? []), rule]);
  }
  for (const change of changes) {
    if (change.kind !== "alter column" || change.convert !== undefined) continue;
    const { before: was, after: now } = change;
    if (tableBefore(change.table) !== address || !isText(was) || isText(now)) continue;
    const name = columnBefore(change.table, now.name).slice(address.length + 1);
    const rules = found.get(name) ?? [];
    // Texts that are to become numbers or dates are such already.
    const values = textsFor(now, rules, TEXTS).filter(
      text => !("length" in was.type) || text.length <= was.type.length,
    );
    if (values.length > 0) found.set(name, [{ kind: "in", column: name, values }]);
  }
  return found;
}

/** Whether somebody wrote a script, or changed one. */
function isByHand(migration: Migration, dialect: Dialect): boolean {
  return (["forward", "back"] as const).some(
    direction =>
      readScript(migration, direction, dialect.name).text !== scriptText(migration, direction, dialect),
  );
}

/** Who changes rows by hand leaves the moment of that in them, there and back. */
function stampedColumns({ tables }: Schema): string[] {
  return tables.flatMap(table =>
    table.columns.flatMap(({ name, stamp }) => (stamp === "updated" ? [`${addressOf(table)}.${name}`] : [])),
  );
}

/** All that the scratch database holds, but for what is Emberset's own. */
async function readHeld(database: Database): Promise<Schema> {
  return withoutOwn(await database.readCatalog()).schema;
}

function differences(expected: Schema, found: Schema): string[] {
  return diff(expected, found).map(describeChange);
}

/**
 * Columns and tables whose values a migration takes away, as they are called before it: `glazes.notes`, `shelves`; and
 * columns where it puts something in the place of null.
 */
function droppedBy(changes: readonly Change[]): ReadonlySet<string> {
  const { tableBefore, columnBefore } = namesBefore(changes);
  return new Set(
    changes.flatMap(change => {
      if (change.kind === "drop column") return [columnBefore(change.table, change.column.name)];
      if (change.kind === "drop table") return [tableBefore(addressOf(change.table))];
      return change.kind === "alter column" && change.fill
        ? [columnBefore(change.table, change.before.name)]
        : [];
    }),
  );
}

/** Of what a migration takes away, what going back cannot bring again: all but what the attic gives back. */
function lostBy(migration: Migration, dialect: Dialect): ReadonlySet<string> {
  const dropped = droppedBy(migration.changes);
  const keeping = keepingOf(migration, "forward");
  if (!keeping) return dropped;
  const { attic } = planFor(dialect, migration.schemaBefore, migration.changes, keeping);
  const back = (attic?.kept ?? []).flatMap(kept => {
    const address = addressOf(kept.table);
    if (kept.kind === "table") return [address];
    return kept.key.length === 0 ? [] : kept.columns.map(({ column }) => `${address}.${column.name}`);
  });
  return new Set([...dropped].filter(name => !back.includes(name)));
}

/** What tables and columns were called before changes renamed them. */
function namesBefore(changes: readonly Change[]) {
  const tables = new Map<string, string>();
  const columns = new Map<string, string>();
  for (const change of changes) {
    if (change.kind === "rename table") tables.set(change.to, tables.get(change.from) ?? change.from);
    if (change.kind === "rename column") columns.set(`${change.table}.${change.to}`, change.from);
  }
  const tableBefore = (address: string) => tables.get(address) ?? address;
  const columnBefore = (table: string, column: string) => {
    const before = tableBefore(table);
    return `${before}.${columns.get(`${table}.${column}`) ?? columns.get(`${before}.${column}`) ?? column}`;
  };
  return { tableBefore, columnBefore };
}

/** What it brings is made anew when it runs again: moments and random keys differ. */
function broughtBy(changes: readonly Change[]): ReadonlySet<string> {
  return droppedBy(invert(changes));
}

function compareRows(
  before: ReadonlyMap<string, RowPrint>,
  after: ReadonlyMap<string, RowPrint>,
  excuses: readonly string[],
): Pick<RehearsedStep, "rows" | "dropped"> {
  const excused = new Set(excuses);
  const [rows, dropped]: [string[], string[]] = [[], []];
  for (const [address, was] of before) {
    const now = after.get(address);
    if (!now || now.whole === was.whole) continue;
    if (excused.has(address)) dropped.push(`${address} (${was.rows} rows)`);
    else if (now.rows !== was.rows) rows.push(`${address}: ${was.rows} rows before, ${now.rows} after`);
    else {
      const changed = [...was.columns].flatMap(([name, print]) =>
        now.columns.get(name) === print ? [] : [name],
      );
      const unexcused = changed.filter(name => !excused.has(`${address}.${name}`));
      if (changed.length > 0 && unexcused.length === 0)
        dropped.push(...changed.map(name => `${address}.${name}`));
      else
        rows.push(
          `${address}: ${unexcused.length > 0 ? unexcused.join(", ") : "values stand in other rows"}`,
        );
    }
  }
  return { rows, dropped };
}

/** Builds the newest schema by another path, and holds the rehearsed database against it. */
async function buildWhole(
  project: OpenProject,
  rehearsed: Database,
  { trace }: TargetOptions,
): Promise<NonNullable<RehearseResult["builtWhole"]>> {
  const { schema: folded } = project.history();
  const models = await project.soundModels().catch(() => undefined);
  const from = models && sameSchema(models.schema, folded) ? "models" : "history";
  const schema = from === "models" ? models!.schema : folded;
  const held = await readHeld(rehearsed);
  return withScratch(rehearsed.target, trace, async ({ database }) => {
    for (const { statements } of renderFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await database.runScripted(statement);
    return { from, differences: differences(await readHeld(database), held) };
  });
}
