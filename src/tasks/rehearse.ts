import { diff } from "../core/change/diff.js";
import { hintsOf, joinHints } from "../core/change/hints.js";
import { blocksFor } from "../core/plan/plan.js";
import { problems } from "../core/problems.js";
import { sameSchema } from "../core/schema/canonical.js";
import { EMPTY_SCHEMA } from "../core/schema/types.js";
import type { Database } from "../database/session/database.js";
import { withExistingDatabase } from "../database/open.js";
import { copySample } from "../database/sample-rows.js";
import { withScratch } from "../database/open.js";
import type { Migration } from "../history/migration.js";
import { isEdited } from "../history/script.js";
import { rewriteRecord } from "../history/write.js";
import { oneTarget } from "./databases.js";
import type { TargetSettings } from "../project/settings.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import {
  differences,
  isSoundStep,
  readHeld,
  rehearseOne,
  type RecordMismatch,
  type RehearsedMigration,
} from "./rehearse-one.js";
import { runMigrations } from "./run-migrations.js";
import { readState } from "./state.js";
import { hintsOnTheWay } from "./way.js";

export type { RehearsedMigration, RehearsedStep } from "./rehearse-one.js";

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
  /** Every step led to what was expected, but for the exceptions. */
  readonly sound: boolean;
  /** What came out otherwise and was to, or could not be tried. */
  readonly exceptions: readonly string[];
  /** Sound, without an exception. */
  readonly proven: boolean;
}

/**
 * Proves the pending migrations on a scratch database, with made-up rows or a sample of a target's: forward, back, and
 * forward again. Where none is pending, the newest.
 * @throws Problem E104, E120, E121, E300 to E304, E400 to E416
 */
export async function rehearse({ record = false, ...options }: RehearseOptions): Promise<RehearseResult> {
  const found: RecordMismatch[] = [];
  const result = await rehearseOnce(options, each => void found.push(each));
  const [mismatch] = found;
  if (!record || !mismatch) return result;
  const recorded = await recordReal(await openProject(options), mismatch);
  return { ...(await rehearseOnce(options)), recorded };
}

/** Writes down what a migration really does. @throws Problem E121 when others build on what it records */
async function recordReal(
  project: OpenProject,
  { migration, after }: RecordMismatch,
): Promise<NonNullable<RehearseResult["recorded"]>> {
  const { migrations } = project.history();
  const newest = migrations.at(-1)?.name ?? "";
  if (newest !== migration.name) throw problems.builtUpon({ migration: migration.name, newest });
  refuseEditedEarlier(project, migrations.slice(0, -1));
  const models = await project.modelsIfSound();
  const hints = joinHints(
    hintsOf(migration.changes),
    models ? hintsOnTheWay(models, migrations.slice(0, -1)) : {},
  );
  rewriteRecord(migration, diff(migration.schemaBefore, after, hints));
  return { migration: migration.name, changes: withRisks(diff(migration.schemaAfter, after), false) };
}

/** What an older script does otherwise than its migration records would be written into the newest. @throws Problem E500 */
function refuseEditedEarlier({ dialects }: OpenProject, earlier: readonly Migration[]): void {
  const edited = earlier.filter(migration =>
    dialects.some(dialect =>
      (["forward", "back"] as const).some(direction => isEdited(migration, direction, dialect)),
    ),
  );
  if (edited.length > 0) throw problems.edited({ migrations: edited.map(({ name }) => name) });
}

async function rehearseOnce(
  { rows = 20, fromTarget, sample = 100, ...options }: Omit<RehearseOptions, "record">,
  onMismatch: (found: RecordMismatch) => void = () => undefined,
): Promise<RehearseResult> {
  const project = await openProject(options);
  const { target, source } = await chooseTargets(project, fromTarget, options);
  const { earlier, wanted, isPending } = await chooseMigrations(project, source ?? target, options);
  const base = { target: target.name, dialect: target.dialect };
  const [first] = wanted;
  if (!first) return { ...base, where: "", migrations: [], sound: true, exceptions: [], proven: true };
  return withScratch(target, watched(options, target), async ({ database, where }) => {
    await runMigrations(database, earlier, "forward", { mayLose: async () => true });
    // The newest is rehearsed once more where it ran: its rows are of a later schema.
    const taken =
      source && isPending ? await takeSample(source, database, first, { sample, ...options }) : undefined;
    const rehearsed: RehearsedMigration[] = [];
    for (const migration of wanted) {
      const one = await rehearseOne(database, migration, { rows, onMismatch });
      rehearsed.push(one);
      if (!isSound(one)) break;
    }
    const sound = rehearsed.length === wanted.length && rehearsed.every(isSound);
    const builtWhole = sound ? await buildWhole(project, database, options) : undefined;
    const exceptions = rehearsed.flatMap(exceptionsOf);
    const isWhole = sound && builtWhole?.differences.length === 0;
    return {
      ...base,
      where,
      migrations: rehearsed,
      ...(taken && { sample: taken }),
      ...(builtWhole && { builtWhole }),
      sound: isWhole,
      exceptions,
      proven: isWhole && exceptions.length === 0,
    };
  });
}

/** What a rehearsal does not prove. */
function exceptionsOf({ name, steps, emptyTables }: RehearsedMigration): string[] {
  const dropped = [...new Set(steps.flatMap(step => step.dropped))];
  return [
    ...(dropped.length > 0 ? [`${name} goes back but for ${dropped.join(", ")}`] : []),
    ...(emptyTables.length > 0 ? [`${name} was not tried with rows of ${emptyTables.join(", ")}`] : []),
  ];
}

interface Targets {
  /** Beside which the scratch database is made. */
  readonly target: TargetSettings;
  /** Where rows come from that are not made up. */
  readonly source: TargetSettings | undefined;
}

/** @throws Problem E104, E120 */
async function chooseTargets(
  { settings }: OpenProject,
  fromTarget: string | undefined,
  options: TargetOptions,
): Promise<Targets> {
  const target = await oneTarget(settings, options.target ?? fromTarget, options, true);
  const source = fromTarget === undefined ? undefined : await oneTarget(settings, fromTarget, options);
  if (source && source.dialect !== target.dialect)
    throw problems.otherDialect({ source: source.name, target: target.name, dialect: target.dialect });
  return { target, source };
}

interface ChosenMigrations {
  /** What runs before, without being looked at. */
  readonly earlier: readonly Migration[];
  readonly wanted: readonly Migration[];
  /** Whether they have yet to run; else it is the newest. */
  readonly isPending: boolean;
}

async function chooseMigrations(
  project: OpenProject,
  target: TargetSettings,
  options: TargetOptions,
): Promise<ChosenMigrations> {
  const history = project.history();
  const { migrations } = history;
  const ran = await withExistingDatabase(
    target,
    { mode: "read", ...watched(options, target) },
    async database => {
      const { entries } = await readState(database, history);
      return new Set(entries.flatMap(({ run, name }) => (run ? [name] : [])));
    },
  );
  const pending = migrations.filter(({ name }) => !ran?.has(name));
  const wanted = pending.length > 0 ? pending : migrations.slice(-1);
  return {
    earlier: migrations.filter(each => !wanted.includes(each)),
    wanted,
    isPending: pending.length > 0,
  };
}

/** Rows of a target for the schema before a migration; undefined where there is no database. */
async function takeSample(
  source: TargetSettings,
  database: Database,
  { schemaBefore }: Migration,
  { sample, ...options }: { readonly sample: number } & TargetOptions,
): Promise<RehearseResult["sample"]> {
  const rows = await withExistingDatabase(source, { mode: "read", ...watched(options, source) }, from =>
    copySample(from, database, schemaBefore, sample),
  );
  return rows === undefined ? undefined : { target: source.name, rows };
}

function isSound({ steps }: RehearsedMigration): boolean {
  return steps.length === 3 && steps.every(isSoundStep);
}

/** Builds the newest schema by another path, and holds the rehearsed database against it. */
async function buildWhole(
  project: OpenProject,
  rehearsed: Database,
  options: TargetOptions,
): Promise<NonNullable<RehearseResult["builtWhole"]>> {
  const { schema: folded } = project.history();
  const models = await project.modelsIfSound();
  const [from, schema] =
    models && sameSchema(models.schema, folded)
      ? (["models", models.schema] as const)
      : (["history", folded] as const);
  const held = await readHeld(rehearsed);
  return withScratch(rehearsed.target, watched(options, rehearsed.target), async ({ database }) => {
    for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await database.runScripted(statement);
    return { from, differences: differences(await readHeld(database), held) };
  });
}
