import type { Catalog } from "../core/dialect/shared/dialect.js";
import { problems } from "../core/problems.js";
import type { Table } from "../core/schema/types.js";
import { addressOf } from "../core/schema/address.js";
import type { Database } from "../database/session/database.js";
import { withDatabase, withExistingDatabase } from "../database/open.js";
import { showNumber, type Migration } from "../history/migration.js";
import type { History } from "../history/read.js";
import type { TargetSettings } from "../project/settings.js";
import { listNamed, oneTarget } from "./databases.js";
import { overMany, type ManyOptions, type ManyResult } from "./many.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import type { RanMigration } from "./options.js";
import {
  lookedAt,
  refuseOtherStory,
  refuseOutOfOrder,
  runMigrations,
  showScripts,
  type RunOptions,
  type RunResult,
} from "./run-migrations.js";
import { goOn } from "./stopped.js";
import { emptyState, readSettled, readState, type DatabaseState } from "./state.js";

export interface ForwardOptions extends TargetOptions, RunOptions {
  /** The number of the last migration to run. @default the newest */
  readonly to?: number | undefined;
  /** Give the SQL and run nothing. @default false */
  readonly show?: boolean | undefined;
  /** Make the database where a server does not have it yet. A file is always made. @default false */
  readonly createDatabase?: boolean | undefined;
}

export interface ForwardResult extends RunResult {
  /** Pending migrations that were not asked for. */
  readonly left: number;
  /** What was being undone when that stopped in the midst, and is undone now, before all else. */
  readonly undone?: readonly RanMigration[];
}

/**
 * Runs the pending migrations in their order, each in a transaction of its own.
 * @throws Problem E108, E300 to E304, E401 to E409, E500 to E506
 */
export async function forward(options: ForwardOptions): Promise<ForwardResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  return forwardOn(target, project.history(), options);
}

/**
 * The same, on all databases of a target that is many; on one, if it is one.
 * @throws Problem E128, and where it is one what `forward` may
 */
export async function forwardAll(
  options: ForwardOptions & ManyOptions,
): Promise<ForwardResult | ManyResult<ForwardResult>> {
  const project = await openProject(options);
  const list = listNamed(project.settings, options.target);
  const history = project.history();
  return list
    ? overMany(project.settings, list, options, target => forwardOn(target, history, options))
    : forwardOn(await oneTarget(project.settings, options.target, options), history, options);
}

async function forwardOn(
  target: TargetSettings,
  history: History,
  options: ForwardOptions,
): Promise<ForwardResult> {
  const work = async (database: Database): Promise<ForwardResult> => {
    const read = options.show ? readState : readSettled;
    const found = await read(database, history);
    refuseOtherStory(found, target);
    refuseOutOfOrder(found, target);
    if (options.show) {
      const { wanted, left } = chooseMigrations(found, options.to);
      return { ...(await showScripts(target, wanted, "forward", database)), left };
    }
    // What was being undone is undone first: the schema is in the midst of it.
    const undone =
      found.stopped?.direction === "back" ? await goOn(database, history, found.stopped, options) : [];
    const state = undone.length > 0 ? await readState(database, history) : found;
    const { wanted, left } = chooseMigrations(state, options.to);
    const held = await refuseForeignTables(
      database,
      history,
      wanted.filter(({ name }) => name !== state.stopped?.name),
    );
    const result = await runMigrations(database, wanted, "forward", options, lookedAt(state), held);
    return { ...result, left, undone };
  };
  const fresh = chooseMigrations(emptyState(history, target.dialect), options.to);
  // Neither showing nor running nothing makes a database.
  if (options.show || fresh.wanted.length === 0) {
    const found = await withExistingDatabase(target, { mode: "read", ...watched(options, target) }, work);
    if (found) return found;
    return { ...(await showScripts(target, options.show ? fresh.wanted : [], "forward")), left: fresh.left };
  }
  return withDatabase(
    target,
    { mode: options.createDatabase ? "create" : "write", ...watched(options, target) },
    work,
  );
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

/**
 * A table that is there already was made by somebody else: it is not Emberset's to take over.
 * @returns what the database holds, as far as that was looked at
 */
async function refuseForeignTables(
  database: Database,
  history: History,
  wanted: readonly Migration[],
): Promise<Catalog | undefined> {
  const made = madeBy(wanted);
  if (made.size === 0) return undefined;
  const clashes = ({ schema }: Catalog, migrations: ReadonlySet<string>, known: ReadonlySet<string>) =>
    schema.tables.map(lowerAddress).filter(address => migrations.has(address) && !known.has(address));
  // In an empty database nothing is in the way, which is asked in a fraction of the time.
  if ((await database.rows(database.dialect.catalog.anyTable)).length === 0) return undefined;
  const held = await database.readCatalog();
  if (clashes(held, made, new Set()).length === 0) return held;
  // Another process may be in the midst of these migrations: once it has let go, what is still pending counts.
  const found = await database.exclusively(async () => {
    const state = await readState(database, history);
    const names = new Set(wanted.map(({ name }) => name));
    const still = madeBy(chooseMigrations(state, undefined).wanted.filter(({ name }) => names.has(name)));
    const known = new Set((state.schema?.tables ?? []).map(lowerAddress));
    return clashes(await database.readCatalog(), still, known);
  });
  if (found.length > 0) throw problems.tableInTheWay({ target: database.target.name, tables: found });
  return undefined;
}

/** Some engines tell tables apart without regard to case, so nobody may rely on it. */
function lowerAddress(table: Table): string {
  return addressOf(table).toLowerCase();
}

function madeBy(migrations: readonly Migration[]): Set<string> {
  const tables = migrations.flatMap(({ changes }) =>
    changes.flatMap(change => (change.kind === "add table" ? [lowerAddress(change.table)] : [])),
  );
  return new Set(tables);
}
