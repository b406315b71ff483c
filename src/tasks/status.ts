import { Problem, type RowsDone, type StoppedRun } from "../core/problems.js";
import { sayChange } from "../core/change/words.js";
import { sayStopped } from "../database/journal.js";
import { withExistingDatabase } from "../database/open.js";
import { oneTarget } from "./databases.js";
import { overMany } from "./many.js";
import type { TargetSettings } from "../project/settings.js";
import { lookAt } from "./drift.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { emptyState, readState, type MigrationState } from "./state.js";
import type { TornHistory } from "../history/read.js";

export interface StatusResult {
  readonly targets: readonly TargetStatus[];
}

export interface TargetStatus {
  readonly target: string;
  /** The target that it is one of many of. */
  readonly list?: string;
  readonly dialect: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  readonly home: boolean;
  readonly guarded: boolean;
  /** Whether there is a database at all. */
  readonly exists: boolean;
  readonly migrations: readonly MigrationStatus[];
  readonly pending: number;
  /** A run that stopped in the midst: the next forward or back goes on from there. */
  readonly stopped?: StoppedRun;
  /** Whether a run is at it just now, so that nothing else can be told. */
  readonly running?: boolean;
  /** How many rows that run has given their values, where it tells while it is at it. */
  readonly filled?: RowsDone;
  /** Why the database could not be looked at, when several targets were asked for. */
  readonly problem?: { readonly code: string; readonly what: string };
  /** How the database differs from what its ledger says, a line each; undefined when that cannot be told. */
  readonly drift?: readonly string[];
  /** Tables and indexes of which the migrations know nothing: they are left alone, and may be taken in. */
  readonly beside?: readonly string[];
}

export interface MigrationStatus {
  readonly number: number;
  readonly name: string;
  readonly title: string;
  readonly state: MigrationState;
  /** ISO 8601 in UTC. */
  readonly ranAt?: string;
  readonly tookMs?: number;
}

/** What ran where: for one target when named, else for all. @throws Problem E101 to E104, E300, E301, E303, E304, E400 to E404 */
export async function status(options: TargetOptions): Promise<StatusResult> {
  const project = await openProject(options);
  const { settings } = project;
  const history = project.tornHistory();
  const { home, lists } = settings;
  const list = options.target === undefined ? undefined : lists.get(options.target);
  if (options.target !== undefined && !list) {
    const target = await oneTarget(settings, options.target, options);
    return { targets: [await statusOf(target, history, home, options)] };
  }
  const singles = list ? [] : [...settings.targets.values()];
  const targets: TargetStatus[] = [];
  for (const target of singles) {
    const one = statusOf(target, history, home, options);
    const isAlone = singles.length + lists.size === 1;
    targets.push(await (isAlone ? one : one.catch(error => unreadable(error, target, history, home))));
  }
  for (const each of list ? [list] : lists.values()) {
    const { databases } = await overMany(
      settings,
      each,
      { ...options, onEvent: undefined, goOn: true },
      target =>
        statusOf(target, history, home, options).catch(error => unreadable(error, target, history, home)),
    );
    for (const outcome of databases) {
      if (outcome.state === "done") targets.push(outcome.result);
      if (outcome.state === "failed") throw outcome.problem;
    }
  }
  return { targets };
}

async function statusOf(
  target: TargetSettings,
  history: TornHistory,
  home: string,
  options: TargetOptions,
): Promise<TargetStatus> {
  const facts = factsOf(target, home);
  const found = await withExistingDatabase(
    target,
    { mode: "read", ...watched(options, target) },
    async database => {
      const state = await readState(database, history);
      // In the midst of a migration the schema is neither the one before nor the one after it.
      const found =
        state.schema && !state.stopped && !state.running ? await lookAt(database, state.schema) : undefined;
      const drift = found?.drift.map(sayChange);
      const beside = [
        ...(found?.beside.map(table => `table ${table}`) ?? []),
        ...(found?.indexes.map(({ table, index }) => `index ${index.name} on ${table}`) ?? []),
      ];
      return {
        ...{ ...facts, exists: true, ...summarize(state) },
        ...(state.stopped && { stopped: sayStopped(state.stopped) }),
        ...(state.running && { running: true, ...(state.filled && { filled: state.filled }) }),
        ...(drift && { drift }),
        ...(beside.length > 0 && { beside }),
      };
    },
  );
  return found ?? { ...facts, exists: false, ...summarize(emptyState(history, target.dialect)) };
}

function factsOf(target: TargetSettings, home: string) {
  const { name, list, dialect, label: place, guarded } = target;
  const isHome = (list ?? name) === home;
  return { target: name, ...(list !== undefined && { list }), dialect, place, home: isHome, guarded };
}

/** A target that cannot be looked at does not hide the others. */
function unreadable(
  error: unknown,
  target: TargetSettings,
  history: TornHistory,
  home: string,
): TargetStatus {
  if (!(error instanceof Problem) || error.exit !== 4) throw error;
  return {
    ...{ ...factsOf(target, home), exists: true },
    ...summarize(emptyState(history, target.dialect)),
    problem: { code: error.code, what: error.words.what },
  };
}

function summarize({ entries }: ReturnType<typeof emptyState>): Pick<TargetStatus, "migrations" | "pending"> {
  return {
    migrations: entries.map(({ number, name, state, migration, run }) => ({
      number,
      name,
      title: migration?.title ?? name.replace(/^\d+-/, "").replaceAll("-", " "),
      state,
      ...(run && { ranAt: run.ranAt, tookMs: run.tookMs }),
    })),
    pending: entries.filter(({ state }) => state === "pending").length,
  };
}
