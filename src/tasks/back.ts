import { Problem, problems } from "../core/problems.js";
import { keptMigration, saysTheSame } from "../database/kept-scripts.js";
import { withDatabase } from "../database/open.js";
import type { Database } from "../database/session/database.js";
import { namesRun } from "../database/where-run.js";
import { historyWhere } from "../history/fork.js";
import type { History, TornHistory } from "../history/read.js";
import { showNumber } from "../history/migration.js";
import { readScript } from "../history/read.js";
import { listNamed, oneTarget } from "./databases.js";
import { overMany, type ManyOptions, type ManyResult } from "./many.js";
import type { TargetSettings } from "../project/settings.js";
import { openProject } from "./open-project.js";
import { watched, type TargetOptions } from "./options.js";
import type { RanMigration } from "./options.js";
import {
  lookedAt,
  refuseOtherStory,
  runMigrations,
  showScripts,
  type RunOptions,
  type RunResult,
} from "./run-migrations.js";
import { backFromWhereItStopped, goOn } from "./stopped.js";
import { readSettled, readState, type DatabaseState, type StateEntry } from "./state.js";

export interface BackOptions extends TargetOptions, RunOptions {
  /** How many migrations to undo. @default 1 */
  readonly count?: number | undefined;
  /** The number of the migration to go back to, which stays; 0 undoes all. Instead of `count`. */
  readonly to?: number | undefined;
  /** Undo a baseline too, which drops what was there before it was adopted. @default false */
  readonly baseline?: boolean | undefined;
  /** Give the SQL and run nothing. @default false */
  readonly show?: boolean | undefined;
}

export interface BackResult extends RunResult {
  /** Migrations whose back script was edited after they ran. */
  readonly editedBack: readonly string[];
  /** What was being run when that stopped in the midst, and ran to its end before it was undone. */
  readonly goneOn: readonly RanMigration[];
}

/** Undoes the newest migrations, the newest first. @throws Problem E108, E303, E400 to E409, E500 to E505 */
export async function back(options: BackOptions): Promise<BackResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  return backOn(target, project.tornHistory(), options);
}

/**
 * The same, on all databases of a target that is many; on one, if it is one.
 * @throws Problem E128, and where it is one what `back` may
 */
export async function backAll(
  options: BackOptions & ManyOptions,
): Promise<BackResult | ManyResult<BackResult>> {
  const project = await openProject(options);
  const list = listNamed(project.settings, options.target);
  const history = project.tornHistory();
  return list
    ? overMany(project.settings, list, options, target =>
        backOn(target, history, options).catch((error: unknown) => nothingToUndo(error, target)),
      )
    : backOn(await oneTarget(project.settings, options.target, options), history, options);
}

/** Of many, those on which nothing ran are there already. */
function nothingToUndo(error: unknown, { name, label }: TargetSettings): BackResult {
  if (!(error instanceof Problem) || error.code !== problems.nothingToUndo.code) throw error;
  return { target: name, place: label, ran: [], drift: [], editedBack: [], goneOn: [] };
}

/** @param torn a fork is no hindrance: the side that ran there can be undone, so that the other may go first */
async function backOn(target: TargetSettings, torn: TornHistory, options: BackOptions): Promise<BackResult> {
  return withDatabase(
    target,
    { mode: options.show ? "read" : "change", ...watched(options, target) },
    async database => {
      const history = torn.doubled.length > 0 ? historyWhere(torn, await namesRun(database)) : torn;
      const found = await (options.show ? readState : readSettled)(database, history);
      refuseOtherStory(found, target);
      const { first, goneOn } = options.show
        ? NOTHING
        : await fromTheMidst(database, history, found, options);
      const state = goneOn.length + first.length > 0 ? await readState(database, history) : found;
      const left = {
        ...options,
        ...(options.to === undefined && { count: (options.count ?? 1) - first.length }),
      };
      const run = state.entries.filter(each => each.run);
      const entries =
        left.count === 0 || (first.length > 0 && run.length === 0) ? [] : chooseEntries(run, left, target);
      const migrations = entries.map(({ migration }) => migration!);
      if (!options.baseline) await refuseBaseline(database, entries);
      const editedBack: string[] = [];
      for (const { migration, run, name, number } of entries) {
        const script = readScript(migration!, "back", target.dialect);
        if (script.checksum !== run!.back && !(await saysTheSame(database, number, script)))
          editedBack.push(name);
      }
      const result = options.show
        ? await showScripts(target, migrations, "back", database)
        : await runMigrations(database, migrations, "back", options, lookedAt(state));
      return { ...result, ran: [...first, ...result.ran], editedBack, goneOn };
    },
  );
}

/** What was there before it was adopted is not Emberset's to drop without a word. @throws Problem E521 */
async function refuseBaseline(database: Database, entries: readonly StateEntry[]): Promise<void> {
  for (const { number, name } of entries)
    if ((await keptMigration(database, number))?.adopted)
      throw problems.baseline({ migration: name, target: database.target.name });
}

const NOTHING = { first: [], goneOn: [] } as const;

/**
 * One that stopped on its way forward is taken back from where it is, as the first; or, where that cannot be told, it
 * comes to its end, and is undone from there. One that was being taken back so goes on.
 */
async function fromTheMidst(
  database: Database,
  history: History,
  { stopped }: DatabaseState,
  options: BackOptions,
): Promise<{ readonly first: readonly RanMigration[]; readonly goneOn: readonly RanMigration[] }> {
  if (stopped?.script !== undefined)
    return { first: await goOn(database, history, stopped, options), goneOn: [] };
  if (stopped?.direction !== "forward") return NOTHING;
  const first = await backFromWhereItStopped(database, history, stopped, options);
  if (first) return { first: [first], goneOn: [] };
  return { first: [], goneOn: await goOn(database, history, stopped, options) };
}

/** The migrations to undo, the newest first. */
function chooseEntries(
  run: readonly StateEntry[],
  { count, to }: BackOptions,
  target: TargetSettings,
): StateEntry[] {
  if (run.length === 0) throw problems.nothingToUndo({ target: target.name });
  const newestFirst = run.toReversed();
  if (to === undefined) return newestFirst.slice(0, count ?? 1);
  if (to !== 0 && !run.some(({ number }) => number === to)) {
    const ran = run.map(({ number }) => showNumber(number)).join(", ");
    throw problems.unknownMigration({ number: String(to), valid: `0 to undo all, or one that ran: ${ran}` });
  }
  return newestFirst.filter(({ number }) => number > to);
}
