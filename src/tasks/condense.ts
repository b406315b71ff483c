import { rmSync } from "node:fs";
import { join, relative } from "node:path";
import { diff } from "../core/change/diff.js";
import type { Direction } from "../core/direction.js";
import { readWay } from "../core/model/advice/way.js";
import type { Finding } from "../core/model/read/findings.js";
import { Problem, problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { splitStatements } from "../core/sql/statements.js";
import { withExistingDatabase, withScratch } from "../database/open.js";
import { showNumber, scriptName, type Migration } from "../history/migration.js";
import { leftOver, type History } from "../history/read.js";
import { ownStatements } from "../history/script.js";
import { draftMigration, writeDraft, type Draft } from "../history/write.js";
import type { TargetSettings } from "../project/settings.js";
import { everyTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TaskOptions, watched } from "./options.js";
import { differences } from "./rehearse-one.js";
import { refuseUnsound, runMigrations } from "./run-migrations.js";
import { readState } from "./state.js";
import { startAfter } from "./way.js";

export interface CondenseOptions extends TaskOptions {
  /** The number of the last migration to fold. */
  readonly to: number;
  /** What the baseline is called. @default "baseline" */
  readonly title?: string | undefined;
  /** Targets that cannot be looked at, on which all of it ran. */
  readonly ranOn?: readonly string[] | undefined;
}

export interface CondenseResult {
  /** What stands for the others now. */
  readonly migration: { readonly number: number; readonly name: string };
  readonly folded: readonly string[];
  /** From the project's folder. */
  readonly written: readonly string[];
  /** Statements that somebody wrote into the scripts, a line each: they stand in the baseline's scripts as remarks. */
  readonly byHand: readonly { readonly migration: string; readonly file: string; readonly sql: string }[];
  /** What the models say of the way here, which is no longer told. */
  readonly findings: readonly Finding[];
}

/**
 * Folds the migrations up to a number, which ran everywhere, into one that stands for them. Only files are written: what
 * a ledger has of them is told as the baseline from now on, and written down so by the next run there.
 * @throws Problem E108, E300 to E305, E400 to E416, E532 to E534, and what running a migration on a scratch database may
 */
export async function condense({
  to,
  title = "baseline",
  ranOn = [],
  ...options
}: CondenseOptions): Promise<CondenseResult> {
  const project = await openProject(options);
  const { settings, dialects } = project;
  const history = project.history();
  const folded = history.migrations.filter(({ number }) => number <= to);
  const last = folded.at(-1);
  if (last?.number !== to || folded.length < 2)
    throw problems.unknownMigration({ number: String(to), valid: sayFoldable(history.migrations) });
  const targets = await everyTarget(settings, options);
  for (const target of targets)
    if (![target.name, target.list].some(name => ranOn.includes(name ?? "")))
      await refuseNotRun(history, target, folded, options);
  const nothing = { folder: history.folder, migrations: [], schema: EMPTY_SCHEMA };
  const changes = diff(EMPTY_SCHEMA, last.schemaAfter);
  const folds = folded.flatMap(({ name, number, folds: earlier = [] }) => [
    ...earlier.map(each => ({ name: each, number })),
    { name, number },
  ]);
  const drafted = (called: string) => draftMigration(nothing, called, changes, dialects, { folds });
  const first = drafted(title);
  const isTaken = folds.some(({ name }) => name === first.migration.name);
  const draft = isTaken ? drafted(`${title} up to ${showNumber(to)}`) : first;
  for (const dialect of dialects) {
    const target = targets.find(each => each.dialect === dialect.name)!;
    await prove(target, folded, draft, options);
  }
  const byHand = folded.flatMap(migration => ownOf(project, migration));
  writeDraft({ ...draft, scripts: withRemarks(draft.scripts, byHand) }, false);
  for (const { folder } of folded) rmSync(folder, { recursive: true });
  for (const name of leftOver(history.folder)) rmSync(join(history.folder, name), { recursive: true });
  const location = relative(settings.folder, draft.migration.folder);
  const { number, name } = draft.migration;
  return {
    migration: { number, name },
    folded: folded.map(each => each.name),
    written: ["migration.json", ...draft.scripts.keys()].map(file => `${location}/${file}`),
    byHand,
    findings: await findingsNow(project),
  };
}

function sayFoldable(migrations: readonly Migration[]): string {
  const [, second] = migrations;
  const newest = migrations.at(-1);
  if (!second || !newest) return "there are no two migrations to fold";
  return second === newest
    ? showNumber(newest.number)
    : `${showNumber(second.number)} to ${showNumber(newest.number)}`;
}

/** @throws Problem E500, E501, E505, E520, E531 to E533 */
async function refuseNotRun(
  history: History,
  target: TargetSettings,
  folded: readonly Migration[],
  options: TaskOptions,
): Promise<void> {
  try {
    await withExistingDatabase(target, { mode: "read", ...watched(options, target) }, async database => {
      const state = await readState(database, history);
      refuseUnsound(state, target);
      const ran = new Set(state.entries.flatMap(({ run, name }) => (run ? [name] : [])));
      const pending = folded.map(({ name }) => name).filter(name => !ran.has(name));
      // One on which nothing ran yet begins with the baseline.
      if (ran.size > 0 && pending.length > 0) throw problems.notEverywhere({ target: target.name, pending });
    });
  } catch (error) {
    if (!(error instanceof Problem) || error.exit === 3) throw error;
    throw problems.unseen({ target: target.name, reason: error.words.what }, error);
  }
}

/** What the migrations lead to on a scratch database is what the baseline leads to on another. @throws Problem E534 */
async function prove(
  target: TargetSettings,
  folded: readonly Migration[],
  { scripts }: Draft,
  options: TaskOptions,
): Promise<void> {
  const held = await withScratch(target, watched(options, target), async ({ database }) => {
    await runMigrations(database, folded, "forward", { mayLose: async () => true });
    return withoutInternal(await database.readCatalog()).schema;
  });
  const built = await withScratch(target, watched(options, target), async ({ database }): Promise<Schema> => {
    const { name, tokens } = database.dialect;
    const run = async (direction: Direction) => {
      const text = scripts.get(scriptName(direction, name)) ?? "";
      for (const { sql } of splitStatements(text, tokens)) await database.runScripted(sql);
      return withoutInternal(await database.readCatalog()).schema;
    };
    const whole = await run("forward");
    const left = differences(EMPTY_SCHEMA, await run("back"));
    if (left.length > 0)
      throw problems.foldsOtherwise({ target: target.name, dialect: target.dialect, differences: left });
    return whole;
  });
  const found = differences(built, held);
  if (found.length > 0)
    throw problems.foldsOtherwise({ target: target.name, dialect: target.dialect, differences: found });
}

function ownOf({ dialects, settings }: OpenProject, migration: Migration): CondenseResult["byHand"] {
  return dialects.flatMap(dialect =>
    ownStatements(migration, "forward", dialect).map(({ sql }) => ({
      migration: migration.name,
      file: relative(settings.folder, join(migration.folder, scriptName("forward", dialect.name))),
      sql,
    })),
  );
}

/** What was written by hand stands at the end, as remarks: what of it a new database needs, a person must tell. */
function withRemarks(
  scripts: ReadonlyMap<string, string>,
  byHand: CondenseResult["byHand"],
): ReadonlyMap<string, string> {
  return new Map(
    [...scripts].map(([name, text]) => {
      const own = byHand.filter(({ file }) => file.endsWith(`/${name}`));
      if (own.length === 0) return [name, text];
      const lines = own.flatMap(({ migration, sql }) => [
        `-- ${migration}:`,
        ...`${sql};`.split("\n").map(line => `--   ${line}`),
      ]);
      return [
        name,
        `${text}\n-- written by hand before this was folded; take in what a new database needs\n${lines.join("\n")}\n`,
      ];
    }),
  );
}

async function findingsNow(project: OpenProject): Promise<Finding[]> {
  const models = await project.modelsIfSound();
  if (!models) return [];
  const { findings } = readWay(models, startAfter(project.history().migrations));
  return findings.filter(({ severity }) => severity === "error").map(models.locate);
}
