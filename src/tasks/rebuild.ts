import { diff } from "../core/change/diff.js";
import { sayCount } from "../core/plan/probes.js";
import type { Catalog } from "../core/dialect/shared/dialect.js";
import { problems } from "../core/problems.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import { ATTIC, isInternalTable, withoutInternal } from "../core/schema/internal-tables.js";
import { equal } from "../core/schema/canonical.js";
import {
  definitionKey,
  EMPTY_SCHEMA,
  isObject,
  type Definition,
  type Schema,
  type Table,
} from "../core/schema/types.js";
import { splitStatements, type Statement } from "../core/sql/statements.js";
import { countRows } from "../database/count-rows.js";
import { readLedger } from "../database/ledger.js";
import { withDatabase, withScratch } from "../database/open.js";
import { runAtOnce, stepFailing, unlessUnsure } from "../database/run-at-once.js";
import type { Database } from "../database/session/database.js";
import { nameDefinition } from "../core/change/words.js";
import type { Migration } from "../history/migration.js";
import { planText } from "../history/script.js";
import { oneTarget } from "./databases.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { runMigrations, type RunOptions, type RunResult } from "./run-migrations.js";

export interface RebuildOptions extends TargetOptions, RunOptions {
  /** Make the database where a server does not have it yet. A file is always made. @default false */
  readonly createDatabase?: boolean | undefined;
}

export interface RebuildResult extends RunResult {
  /** What went, a line each, with as many rows as there were. */
  readonly gone: readonly string[];
}

/**
 * Empties a database, and runs all migrations on it again; what would go is asked about. That all of them run is tried on
 * a scratch database first: a migration that fails leaves all as it was.
 * @throws Problem E104, E300 to E304, E400 to E414, E525, E526, E528, and what running a migration may
 */
export async function rebuild(options: RebuildOptions): Promise<RebuildResult> {
  const { settings, history } = await openProject(options);
  const target = await oneTarget(settings, options.target, options);
  if (target.guarded) throw problems.neverGuarded({ target: target.name, doing: DOING });
  const { migrations } = history();
  const { mayLose, onEvent } = options;
  await withScratch(target, watched(options, target), ({ database }) =>
    runMigrations(database, migrations, "forward", { mayLose: async () => true }),
  );
  const mode = options.createDatabase ? "create" : "write";
  return withDatabase(target, { mode, ...watched(options, target) }, async database => {
    const own = madeBy(migrations);
    const gone = await whatGoes(database, own);
    const { name, guarded } = target;
    if (gone.length > 0 && !(await mayLose?.(gone, { name, guarded })))
      throw problems.wouldGo({ target: name, doing: DOING, losses: gone });
    await emptyOut(database, gone, own);
    // Nobody's rows are there any more.
    const ran = await runMigrations(
      database,
      migrations,
      "forward",
      { onEvent, mayLose: async () => true },
      { ran: [] },
    );
    return { ...ran, gone };
  });
}

const DOING = "emptied and built again";

/**
 * All that an emptied database has no more, with its rows.
 * @param own keys of the routines and events that are the migrations'
 */
export async function whatGoes(database: Database, own: ReadonlySet<string> = new Set()): Promise<string[]> {
  const catalog = await database.readCatalog();
  const { tables, definitions = [] } = catalog.schema;
  const rows = await countRows(database, tables);
  const sayTable = (table: Table) => {
    const address = addressOf(table);
    return sayCount(rows.get(address) ?? 0, `rows of ${address}`);
  };
  const [kept, plain] = [tables.filter(isInternalTable), tables.filter(each => !isInternalTable(each))];
  const ran = await readLedger(database);
  const attic = kept.filter(({ name, namespace }) => (namespace ?? name).startsWith(ATTIC));
  return [
    ...plain.map(sayTable),
    ...attic.map(table => `${sayTable(table)}, kept in the attic`),
    ...definitions.filter(each => goes(each, own)).map(nameDefinition),
    ...(ran.length > 0 ? [`the record of what ran: ${ran.map(({ name }) => name).join(", ")}`] : []),
  ];
}

/** Routines and events that the migrations do not know stay: they stand by themselves. */
function goes(definition: Definition, own: ReadonlySet<string>): boolean {
  return (
    !isObject(definition) || /(?:view|trigger)$/.test(definition.kind) || own.has(definitionKey(definition))
  );
}

function isView({ kind }: Definition): boolean {
  return kind.endsWith("view");
}

function withoutDefinitions(
  { definitions = [], ...rest }: Schema,
  isLeftOut: (each: Definition) => boolean,
): Schema {
  return { ...rest, definitions: definitions.filter(each => !isLeftOut(each)) };
}

/** All that migrations have ever made beside tables. */
function madeBy(migrations: readonly Migration[]): Set<string> {
  return new Set(
    migrations.flatMap(({ changes }) =>
      changes.flatMap(change => (change.kind === "add definition" ? [definitionKey(change.definition)] : [])),
    ),
  );
}

/**
 * Takes all out of a database that hangs on its tables; what stands by itself, as a routine, stays.
 * @param own keys of the routines that are the migrations' @param agreed what may go: where something else would by the time the lock is taken, nothing does
 * @throws Problem E404, E528, E529
 */
export async function emptyOut(
  database: Database,
  agreed?: readonly string[],
  own: ReadonlySet<string> = new Set(),
): Promise<void> {
  const { dialect, target } = database;
  const attempt = (careful: boolean) =>
    database.exclusively(async () => {
      if (agreed && !equal(agreed, await whatGoes(database, own)))
        throw problems.changedMeanwhile({ target: target.name });
      const catalog = await database.readCatalog();
      const { schema: all } = withoutInternal(catalog);
      const schema = withoutDefinitions(all, each => isView(each) || !goes(each, own));
      const plan = { before: schema, after: EMPTY_SCHEMA, changes: diff(schema, EMPTY_SCHEMA) };
      const failed = stepFailing(database, DOING);
      const managed = () => dialect.render.managedObjectNames(schema);
      const views = (all.definitions ?? [])
        .filter(isView)
        .map(each => asStatement(dialect.render.dropView(each.kind, addressOf(each))));
      const rest = [
        ...splitStatements(planText(plan, dialect), dialect.tokens),
        ...ownTables(catalog, database).map(asStatement),
      ];
      // What is made over tables goes before them: some engines are asked what a script takes along before it runs.
      for (const statements of [views, rest])
        await runAtOnce(database, { statements, agreed: [], managed, failed }, careful);
    });
  await unlessUnsure(attempt);
}

function asStatement(sql: string): Statement {
  return { sql, line: 1 };
}

/** The ledger, the journal and the attic go, too. */
function ownTables({ schema }: Catalog, { dialect }: Database): string[] {
  const own = schema.tables.filter(isInternalTable);
  const namespaces = new Set(
    own.flatMap(({ namespace }) => namespace ?? []).filter(name => name.startsWith(ATTIC)),
  );
  const { quote } = dialect.names;
  return [
    ...own.map(table => `DROP TABLE ${quoteAddress(addressOf(table), quote)}`),
    ...[...namespaces].map(name => `DROP SCHEMA ${quote(name)}`),
  ];
}
