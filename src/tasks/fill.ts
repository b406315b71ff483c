import { resolve } from "node:path";
import { problems } from "../core/problems.js";
import { inReferenceOrder, type Style } from "../core/rows/made-up.js";
import { lifelike, randomFrom } from "../core/rows/lifelike.js";
import type { ReadRow } from "../core/rows/read-rows.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import type { Schema } from "../core/schema/types.js";
import { countRows } from "../database/count-rows.js";
import { BATCH, fillRows, insertRows, tried, type FilledTable } from "../database/fill-rows.js";
import { withDatabase } from "../database/open.js";
import type { Database } from "../database/session/database.js";
import { oneTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { readRowFiles, refuseFaults } from "./row-files.js";
import { readState } from "./state.js";

export interface FillOptions extends TargetOptions {
  /** How many rows each table gets. @default 20 */
  readonly rows?: number | undefined;
  /** The same of single tables, by name. */
  readonly rowsOf?: Readonly<Record<string, number>> | undefined;
  /** The same seed, the same rows. @default 1 */
  readonly seed?: number | undefined;
  /** Also into tables that have rows. @default false */
  readonly more?: boolean | undefined;
  /** A folder with rows in files called like the tables, instead of made-up ones. */
  readonly from?: string | undefined;
  /** The target's name, where it is guarded. */
  readonly confirm?: string | undefined;
}

export interface FillResult {
  readonly target: string;
  readonly tables: readonly FilledTable[];
  /** Tables that were left alone, since they have rows. */
  readonly left: readonly { readonly table: string; readonly rows: number }[];
  /** Of made-up rows. */
  readonly seed?: number;
}

/** Puts sample rows into a database: all of them, or none. @throws Problem E104, E107, E133 to E135, E400 to E413 */
export async function fill(options: FillOptions): Promise<FillResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  if (target.guarded && options.confirm !== target.name) throw problems.guardedFill({ target: target.name });
  return withDatabase(target, { mode: "change", ...watched(options, target) }, async database => {
    const { checked } = database.dialect.rows;
    if (checked !== undefined) await database.run(checked);
    return inOneGo(database, async () => fillAs(database, await schemaThere(project, database), options));
  });
}

/** Work on rows that is done whole or not at all, while no run of migrations is at it. */
export async function inOneGo<T>(database: Database, work: () => Promise<T>): Promise<T> {
  return database.exclusively(async () => {
    if (!database.steps) return work();
    let result: T | undefined;
    await database.steps.together(async () => {
      result = await work();
    });
    return result!;
  });
}

/** The schema of a database in portable words, as the migrations say it, or else as it is. */
async function schemaThere(project: OpenProject, database: Database): Promise<Schema> {
  const { target, dialect } = database;
  const state = await readState(database, project.history());
  if (state.stopped)
    throw problems.noSchemaToFill({ target: target.name, reason: "a run has stopped in its midst" });
  if (state.schema && state.schema.tables.length > 0) return state.schema;
  const { schema } = withoutInternal(await database.readCatalog());
  if (schema.tables.length === 0)
    throw problems.noSchemaToFill({ target: target.name, reason: "there are none" });
  return dialect.types.raise(dialect.types.unspell(schema));
}

async function fillAs(database: Database, schema: Schema, options: FillOptions): Promise<FillResult> {
  const { from, seed = 1, onEvent } = options;
  const target = database.target.name;
  if (from !== undefined)
    return { target, left: [], tables: await putRows(database, schema, readRowFiles(resolve(from), schema)) };
  const counts = await countRows(database, database.dialect.types.settle(schema).tables);
  const wanted = wantedRows(schema, options);
  const left = options.more ? [] : [...wanted.keys()].filter(address => (counts.get(address) ?? 0) > 0);
  const tables = await fillRows(database, schema, {
    style: await sampleStyle(seed, Math.max(...wanted.values())),
    rows: address => (left.includes(address) ? 0 : wanted.get(address)!),
    onRows: (table, done, of) => onEvent?.({ target, kind: "rows", table, done, of }),
  });
  return { target, tables, left: left.map(table => ({ table, rows: counts.get(table)! })), seed };
}

/** How values are made up that look like real ones. @param rows how many a table gets at most */
export async function sampleStyle(seed: number, rows: number): Promise<Style> {
  const { faker } = await import("@faker-js/faker/locale/en");
  faker.seed(seed);
  return lifelike(faker, randomFrom(seed), rows);
}

/** How many rows each table is to get, by address. @throws Problem E107 */
export function wantedRows(
  { tables }: Schema,
  { rows = 20, rowsOf = {} }: Pick<FillOptions, "rows" | "rowsOf">,
): Map<string, number> {
  const wanted = new Map(tables.map(table => [addressOf(table), rows]));
  for (const [name, count] of Object.entries(rowsOf)) {
    const address = [...wanted.keys()].find(each => each.toLowerCase() === name.toLowerCase());
    if (address === undefined) throw problems.unknownTable({ table: name, known: [...wanted.keys()] });
    wanted.set(address, count);
  }
  return wanted;
}

/** Puts rows of files into their tables, in reference order. @throws Problem E134 */
export async function putRows(
  database: Database,
  schema: Schema,
  rows: ReadonlyMap<string, readonly ReadRow[]>,
): Promise<FilledTable[]> {
  const { dialect } = database;
  const result: FilledTable[] = [];
  const faults: string[] = [];
  const settled = new Map(
    dialect.types.settle(schema).tables.map((table, at) => [addressOf(schema.tables[at]!), table]),
  );
  for (const table of inReferenceOrder(schema)) {
    const address = addressOf(table);
    const own = rows.get(address) ?? [];
    if (own.length === 0) continue;
    const held = settled.get(address)!;
    const into = quoteAddress(addressOf(held), dialect.names.quote);
    for (let at = 0; at < own.length; at += BATCH) {
      const batch = own.slice(at, at + BATCH);
      const put = (some: readonly ReadRow[]) =>
        tried(database, () =>
          insertRows(
            database,
            into,
            some.map(({ row }) => row),
            dialect.rows.copying.overriding,
          ),
        );
      if ((await put(batch)) === undefined) continue;
      // Which of them it is, the engine does not say.
      for (const each of batch) {
        const said = await put([each]);
        if (said !== undefined) faults.push(`${each.place}: ${said}`);
      }
    }
    for (const statement of dialect.rows.copying.after(held)) await database.run(statement);
    result.push({ table: address, rows: own.length });
  }
  refuseFaults(faults);
  return result;
}
