import { columnsOfChange } from "../core/change/columns-of.js";
import { hintsOf, joinHints } from "../core/change/hints.js";
import { tableOf, type Change } from "../core/change/types.js";
import { addressOf } from "../core/schema/address.js";
import { equal } from "../core/schema/canonical.js";
import { planFor } from "../core/plan/plan.js";
import { probes } from "../core/plan/probes.js";
import { sayRows } from "../core/plan/say-rows.js";
import { Problem, problems } from "../core/problems.js";
import { runProbes } from "../database/count-rows.js";
import type { Database } from "../database/session/database.js";
import { namesRun } from "../database/where-run.js";
import { withDatabase, withExistingDatabase } from "../database/open.js";
import type { Migration } from "../history/migration.js";
import { readHistory, readScript } from "../history/read.js";
import { isEdited, takesAway } from "../history/script.js";
import { draftMigration, replaceDraft } from "../history/write.js";
import { everyTarget, oneTarget } from "./databases.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { withFills } from "./fills.js";
import { withRenames } from "./renames.js";
import { readWay } from "../core/model/advice/way.js";
import { diff } from "../core/change/diff.js";
import { errorsEitherWay, refuseErrors, startAfter } from "./way.js";
import { readState } from "./state.js";
import { curesOf } from "./ask-rows.js";
import type { RanMigration } from "./options.js";
import { refuseUnsound, runMigrations, type RunOptions } from "./run-migrations.js";

export interface AmendOptions extends TargetOptions, RunOptions {
  /** What was called otherwise before the migration: `shelves=racks`, `pieces.weight=pieces.weight_grams`. */
  readonly renames?: readonly string[] | undefined;
  /** What rows that exist get in columns that will be required: `pieces.shelf=top`. */
  readonly fills?: readonly string[] | undefined;
}

export interface AmendResult {
  readonly target: string;
  readonly migration: { readonly number: number; readonly name: string; readonly folder: string };
  /** Whether it was written anew; there may be nothing to amend. */
  readonly written: boolean;
  /** What the schema after it now has that it did not have. */
  readonly changes: readonly ComparedChange[];
  /** What it took away or renamed and does not any more. */
  readonly noLonger: readonly ComparedChange[];
  /** What it now renames, fills or converts. */
  readonly now: readonly ComparedChange[];
  /** What ran on the target: back and forward, or nothing where the migration had not run. */
  readonly ran: readonly (RanMigration & { readonly direction: "forward" | "back" })[];
}

/**
 * Corrects the newest migration after the models were corrected: back where it ran, written anew, forward again.
 * @throws Problem E109, E203, E300 to E305, E401 to E413, E500 to E503, E505, E507 to E509, E515
 */
export async function amend({ renames = [], fills = [], ...options }: AmendOptions): Promise<AmendResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  const models = await project.soundModels();
  const history = project.history();
  const newest = history.migrations.at(-1);
  if (!newest) throw problems.nothingToAmend({ folder: history.folder });
  const { number, name, folder } = newest;
  if (newest.folds) throw problems.standsForOthers({ migration: name });
  const keep = project.settings.keepDropped && !(newest.changes.some(takesAway) && !newest.kept);
  refuseErrors(errorsEitherWay(models, history.migrations).map(models.locate));
  const { hints: further } = readWay(models, startAfter(history.migrations));
  const beyond = diff(newest.schemaAfter, models.schema, further);
  const { hints: instead } = readWay(models, startAfter(history.migrations.slice(0, -1)));
  // What was said when it was drafted holds on.
  const said = joinHints(hintsOf([...newest.changes, ...beyond]), instead);
  const changes = diff(
    newest.schemaBefore,
    models.schema,
    withFills(withRenames(said, renames, newest.schemaBefore, models.schema), fills, models.schema),
  );
  const corrections = withRisks(beyond, keep);
  const facts = { target: target.name, migration: { number, name, folder } };
  if (equal(changes, newest.changes)) return { ...facts, ...UNTOUCHED };
  if (changes.length === 0) throw problems.amendsToNothing({ migration: name });
  const corrected = {
    written: true,
    changes: corrections,
    noLonger: withRisks(newest.changes, keep).filter(
      ({ change }) => takes(change) && !isAmong(change, changes),
    ),
    now: withRisks(changes, keep).filter(({ change }) => brings(change) && !isAmong(change, newest.changes)),
  };
  await refuseElsewhere(project, newest, target.name, options);
  refuseHandWritten(project, newest);

  const rewrite = (): Migration => {
    const before = { ...history, migrations: history.migrations.slice(0, -1), schema: newest.schemaBefore };
    replaceDraft(
      draftMigration(before, newest.title, changes, project.dialects, { keep, online: newest.online }),
      newest.folder,
    );
    return readHistory(history.folder).migrations.at(-1)!;
  };
  const ranHere = await withExistingDatabase(
    target,
    { mode: "read", ...watched(options, target) },
    async database => {
      const state = await readState(database, history);
      refuseUnsound(state, target);
      return state.entries.some(entry => entry.run?.name === name);
    },
  );
  if (!ranHere) {
    rewrite();
    return { ...facts, ...corrected, ran: [] };
  }
  const ran = await withDatabase(target, { mode: "change", ...watched(options, target) }, async database => {
    await refuseRows(database, newest, corrections);
    const back = await runMigrations(database, [newest], "back", options);
    const forward = await runMigrations(database, [rewrite()], "forward", options).catch(error => {
      throw error instanceof Problem
        ? problems.amendedHalfway({ migration: name, target: target.name, reason: error.words }, error)
        : error;
    });
    return [
      ...back.ran.map(run => ({ ...run, direction: "back" as const })),
      ...forward.ran.map(run => ({ ...run, direction: "forward" as const })),
    ];
  });
  return { ...facts, ...corrected, ran };
}

const UNTOUCHED = { written: false, changes: [], noLonger: [], now: [], ran: [] } as const;

function isAmong(change: Change, others: readonly Change[]): boolean {
  return others.some(each => equal(each, change));
}

function takes({ kind }: Change): boolean {
  return kind === "drop table" || kind === "drop column" || kind.startsWith("rename ");
}

/** Whether more happens to rows than the schemas before and after tell. */
function brings(change: Change): boolean {
  if (change.kind === "rename table" || change.kind === "rename column") return true;
  if (change.kind === "add column") return change.fill !== undefined;
  return change.kind === "alter column" && (change.fill !== undefined || change.convert !== undefined);
}

/** Whether a correction is about what the migration itself has made: that goes, with all that is in it, and comes anew. */
function isOfItsOwn(correction: Change, changes: readonly Change[]): boolean {
  const table = tableOf(correction);
  const about = columnsOfChange(correction);
  return changes.some(
    change =>
      (change.kind === "add table" && addressOf(change.table) === table) ||
      (change.kind === "add column" && change.table === table && about.includes(change.column.name)),
  );
}

/** Rows that stand in the way of the corrections do so before anything is undone. */
async function refuseRows(
  database: Database,
  { name, folder, schemaAfter, changes }: Migration,
  corrections: readonly ComparedChange[],
): Promise<void> {
  const { dialect } = database;
  const plan = planFor(
    dialect,
    schemaAfter,
    corrections.map(({ change }) => change),
  );
  const asked = probes(plan, dialect).filter(
    ({ meaning, change }) => meaning === "refuses" && !isOfItsOwn(change, changes),
  );
  const found = await runProbes(database, asked);
  if (found.length === 0) return;
  const rows = found.map(sayRows);
  const facts = { migration: name, rows, before: [], file: folder } as const;
  throw problems.rowsRefuse({ ...facts, direction: "forward", cures: curesOf(found) });
}

/** Only the target that is named can be taken back; where else it ran, the old form would be there for good. */
async function refuseElsewhere(
  { settings }: OpenProject,
  { name }: Migration,
  chosen: string,
  options: TargetOptions,
): Promise<void> {
  for (const target of await everyTarget(settings, options)) {
    if (target.name === chosen && !target.guarded) continue;
    const ran = await withExistingDatabase(
      target,
      { mode: "read", ...watched(options, target) },
      async database => (await namesRun(database)).has(name),
    );
    if (ran) throw problems.ranElsewhere({ migration: name, target: target.name, guarded: target.guarded });
  }
}

/** What somebody wrote into a script by hand would be gone. */
function refuseHandWritten({ dialects }: OpenProject, migration: Migration): void {
  for (const dialect of dialects) {
    for (const direction of ["forward", "back"] as const) {
      if (!isEdited(migration, direction, dialect)) continue;
      const { file } = readScript(migration, direction, dialect.name);
      throw problems.handWritten({ migration: migration.name, file });
    }
  }
}
