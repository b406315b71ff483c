import { existsSync } from "node:fs";
import { problems } from "../core/problems.js";
import { addressOf } from "../core/schema/address.js";
import type { Database } from "../database/database.js";
import { withDatabase } from "../database/open.js";
import { showNumber, type Migration } from "../history/migration.js";
import { chooseTarget } from "../project/load-settings.js";
import { openProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import {
  refuseUnsound,
  runMigrations,
  showScripts,
  type RunOptions,
  type RunResult,
} from "./run-migrations.js";
import { emptyState, readState, type DatabaseState } from "./state.js";

export interface ForwardOptions extends TargetOptions, RunOptions {
  /** The number of the last migration to run. @default the newest */
  readonly to?: number | undefined;
  /** Give the SQL and run nothing. @default false */
  readonly show?: boolean | undefined;
}

export interface ForwardResult extends RunResult {
  /** Pending migrations that were not asked for. */
  readonly left: number;
}

/**
 * Runs the pending migrations in their order, each in a transaction of its own.
 * @throws Problem E108, E300 to E304, E401 to E409, E500 to E506
 */
export async function forward(options: ForwardOptions): Promise<ForwardResult> {
  const project = await openProject(options);
  const target = chooseTarget(project.settings, options.target);
  const history = project.history();
  const fresh = chooseMigrations(emptyState(history, target.dialect), options.to);
  if (!existsSync(target.file)) {
    if (options.show) return { ...showScripts(target, fresh.wanted, "forward"), left: fresh.left };
    // Running nothing makes no database.
    if (fresh.wanted.length === 0)
      return { target: target.name, file: target.file, ran: [], left: fresh.left, drift: [] };
  }
  const mode = options.show ? "read" : "write";
  return withDatabase(target, { mode, trace: options.trace }, async database => {
    const state = await readState(database, history);
    refuseUnsound(state, target);
    const { wanted, left } = chooseMigrations(state, options.to);
    if (options.show) return { ...showScripts(target, wanted, "forward"), left };
    await refuseForeignTables(database, state, wanted);
    return { ...(await runMigrations(database, wanted, "forward", options)), left };
  });
}

function chooseMigrations(
  { entries }: DatabaseState,
  to: number | undefined,
): { wanted: Migration[]; left: number } {
  if (to !== undefined && !entries.some(({ number }) => number === to)) {
    const numbers = entries.map(({ number }) => showNumber(number));
    const valid = numbers.length > 0 ? `${numbers[0]} to ${numbers.at(-1)}` : "there are no migrations yet";
    throw problems.unknownMigration({ number: String(to), valid });
  }
  const pending = entries.flatMap(({ state, migration }) =>
    state === "pending" && migration ? [migration] : [],
  );
  const wanted = pending.filter(({ number }) => to === undefined || number <= to);
  return { wanted, left: pending.length - wanted.length };
}

/** A table that is there already was made by somebody else: it is not Emberset's to take over. */
async function refuseForeignTables(
  database: Database,
  { schema }: DatabaseState,
  wanted: readonly Migration[],
): Promise<void> {
  const known = new Set((schema?.tables ?? []).map(table => addressOf(table).toLowerCase()));
  const made = wanted.flatMap(({ changes }) =>
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  if (made.length === 0) return;
  const there = new Set(
    (await database.readCatalog()).schema.tables.map(table => addressOf(table).toLowerCase()),
  );
  const clashes = made.filter(
    address => there.has(address.toLowerCase()) && !known.has(address.toLowerCase()),
  );
  if (clashes.length > 0) throw problems.tableInTheWay({ target: database.target.name, tables: clashes });
}
