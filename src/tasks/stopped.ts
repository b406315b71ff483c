import { wayBackFrom } from "../core/plan/halfway.js";
import { asOnline } from "../core/plan/online.js";
import { respell } from "../core/lower/spellings.js";
import type { RenderPlan } from "../core/dialect/shared/render-plan.js";
import { problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { sayStopped, type JournalEntry } from "../database/journal.js";
import { withoutStrangers } from "../core/schema/types.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { MoreLost } from "../database/losses.js";
import { runBackFromMidst } from "../database/run-migration.js";
import type { Database } from "../database/session/database.js";
import type { Migration } from "../history/migration.js";
import type { History } from "../history/read.js";
import { isEdited, migrationPlan, planText } from "../history/script.js";
import { askForMore, askRowsOf } from "./ask-rows.js";
import type { RanMigration } from "./options.js";
import { runMigrations, type RunOptions } from "./run-migrations.js";

/** Lets a run that stopped in the midst come to its end, in the direction it had. @throws Problem E501, and what running one may */
export async function goOn(
  database: Database,
  history: History,
  stopped: JournalEntry,
  options: RunOptions,
): Promise<readonly RanMigration[]> {
  const migration = stoppedMigration(database, history, stopped);
  if (stopped.script !== undefined) return [await backFromMidst(database, { migration, stopped }, options)];
  const ran = (await readLedger(database)).map(({ name }) => name);
  return (await runMigrations(database, [migration], stopped.direction, options, { ran, stopped })).ran;
}

/**
 * Takes a migration back that has stopped in the midst of its way forward, from where it is.
 * @returns undefined where what is there does not tell how: it has to come to its end first
 * @throws Problem E501, E502, E503, and what running a script may
 */
export async function backFromWhereItStopped(
  database: Database,
  history: History,
  stopped: JournalEntry,
  options: RunOptions,
): Promise<RanMigration | undefined> {
  const migration = stoppedMigration(database, history, stopped);
  const { dialect } = database;
  if (isEdited(migration, "forward", dialect)) return undefined;
  // The server may still be at the statement that nobody waits for any more.
  await database.exclusively(async () => undefined);
  const before = respell(
    dialect.types.settle(migration.schemaBefore),
    allSpellings(await readLedger(database)),
  );
  const { schema: found } = withoutInternal(await database.readCatalog());
  const held = withoutStrangers(found, [migration.schemaBefore, migration.schemaAfter]);
  const way = wayBackFrom({ full: migrationPlan(migration, "forward", dialect), before, held }, dialect);
  if (!way) return undefined;
  const plan = database.steps ? way : asOnline(way, dialect);
  // What cannot be done while others write is not done by steps.
  if (!database.steps && !plan.online) return undefined;
  return backFromMidst(database, { migration, stopped, way: plan }, options);
}

interface Stopped {
  readonly migration: Migration;
  readonly stopped: JournalEntry;
  /** Absent: it had begun, and the journal has it. */
  readonly way?: RenderPlan;
}

async function backFromMidst(
  database: Database,
  { migration, stopped, way }: Stopped,
  options: RunOptions,
): Promise<RanMigration> {
  const { number, name, title } = migration;
  const next = { migration, direction: "back", before: [] } as const;
  let agreed = way ? await askRowsOf(database, next, { plan: way, drafted: true }, options) : [];
  const { render } = database.dialect;
  const full = migrationPlan(migration, "forward", database.dialect);
  const drops = full.online ? (render.online?.tidy(full) ?? []) : [];
  const script = way ? planText(way, database.dialect, drops) : "";
  const ran = (await readLedger(database)).map(each => each.name);
  const { name: target } = database.target;
  options.onEvent?.({ target, kind: "migration begins", name, direction: "back" });
  for (;;) {
    try {
      const { outcome, tookMs } = await runBackFromMidst(database, {
        migration,
        ran,
        agreed,
        stopped,
        script,
        online: database.steps === undefined,
      });
      const { next: from, of } = sayStopped(stopped);
      const run = { number, name, title, here: outcome === "done", tookMs, goneOn: { from, of } };
      options.onEvent?.({ target, kind: "migration done", run, direction: "back" });
      return run;
    } catch (error) {
      if (!(error instanceof MoreLost)) throw error;
      agreed = await askForMore(database, next, { agreed, found: error.found }, options);
    }
  }
}

/** @throws Problem E501 */
function stoppedMigration({ target }: Database, { migrations }: History, { name }: JournalEntry): Migration {
  const migration = migrations.find(each => each.name === name);
  if (!migration) throw problems.missing({ target: target.name, migrations: [name] });
  return migration;
}
