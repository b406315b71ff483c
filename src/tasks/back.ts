import { problems } from "../core/problems.js";
import { withDatabase } from "../database/open.js";
import { showNumber } from "../history/migration.js";
import { readScript } from "../history/read.js";
import { chooseTarget } from "../project/load-settings.js";
import type { TargetSettings } from "../project/settings.js";
import { openProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import {
  refuseUnsound,
  runMigrations,
  showScripts,
  type RunOptions,
  type RunResult,
} from "./run-migrations.js";
import { readState, type StateEntry } from "./state.js";

export interface BackOptions extends TargetOptions, RunOptions {
  /** How many migrations to undo. @default 1 */
  readonly count?: number | undefined;
  /** The number of the migration to go back to, which stays; 0 undoes all. Instead of `count`. */
  readonly to?: number | undefined;
  /** Give the SQL and run nothing. @default false */
  readonly show?: boolean | undefined;
}

export interface BackResult extends RunResult {
  /** Migrations whose back script was edited after they ran. */
  readonly editedBack: readonly string[];
}

/** Undoes the newest migrations, the newest first. @throws Problem E108, E303, E400 to E409, E500 to E505 */
export async function back(options: BackOptions): Promise<BackResult> {
  const project = await openProject(options);
  const target = chooseTarget(project.settings, options.target);
  const history = project.history();
  return withDatabase(
    target,
    { mode: options.show ? "read" : "change", trace: options.trace },
    async database => {
      const state = await readState(database, history);
      refuseUnsound(state, target);
      const entries = chooseEntries(
        state.entries.filter(({ run }) => run),
        options,
        target,
      );
      const migrations = entries.map(({ migration }) => migration!);
      const editedBack = entries
        .filter(({ migration, run }) => readScript(migration!, "back", target.dialect).checksum !== run!.back)
        .map(({ name }) => name);
      const result = options.show
        ? showScripts(target, migrations, "back")
        : await runMigrations(database, migrations, "back", options);
      return { ...result, editedBack };
    },
  );
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
