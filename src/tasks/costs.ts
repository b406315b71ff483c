import type { Change } from "../core/change/types.js";
import { ownValues, readingSql, together, type Cost, type TableCost } from "../core/dialect/shared/costs.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { Block, RenderPlan } from "../core/dialect/shared/render-plan.js";
import { hindrancesOf } from "../core/plan/online.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import type { Table } from "../core/schema/types.js";
import { countRows, sizesOf, type TableSize } from "../database/count-rows.js";
import type { Database } from "../database/session/database.js";

/** From how long to how long something takes, in seconds. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

/** What takes as long as a table has rows, and how long that is about; absent: nobody has looked. */
export type Sized<C> = C & TableSize & { readonly seconds?: Span };

/** What a run costs those who use the tables meanwhile, by the tables' names after all changes. */
export interface CostReport {
  readonly dialect: string;
  /** Whether all of it is one transaction: what it locks stays locked to the end. */
  readonly together: boolean;
  readonly tables: readonly Sized<TableCost>[];
  /** The same, a statement each. */
  readonly statements: readonly Sized<Cost>[];
  readonly advice: readonly CostAdvice[];
}

/** What could be done so that it costs less. */
interface CostAdvice {
  readonly code: "A334" | "A335" | "A336";
  readonly what: string;
  readonly remedy: string;
}

/** What a plan costs, as far as its statements tell. */
export function costsOf(plan: RenderPlan, dialect: Dialect): CostReport {
  return reportOf(plan, dialect, dialect.render.costs(plan, dialect.render.blocks(plan)));
}

/** The same on a database that the plan begins from: how large the tables are there, and how long that takes about. */
export async function costsOn(database: Database, plan: RenderPlan): Promise<CostReport> {
  const { dialect } = database;
  const told = await costsThere(database, plan);
  const tables = plan.before.tables.filter(table => told.some(cost => cost.table === addressOf(table)));
  if (tables.length === 0) return reportOf(plan, dialect, []);
  const kept = await sizesOf(database, tables);
  // What the server has not counted yet is.
  const unknown = tables.filter(table => kept.get(addressOf(table))?.rows === undefined);
  const counted = await countRows(database, unknown);
  const sizes = new Map(
    tables.map(table => {
      const address = addressOf(table);
      const rows = counted.get(address);
      return [address, { ...kept.get(address), ...(rows !== undefined && { rows }) }] as const;
    }),
  );
  const rates = new Map<string, Span>();
  for (const table of tables) {
    const size = sizes.get(addressOf(table));
    if (size?.rows !== 0) rates.set(addressOf(table), await rateOf(database, table));
  }
  const measured = told
    .filter(({ table }) => sizes.get(table)?.rows !== 0)
    .map((cost): Sized<Cost> => {
      const [size, rate] = [sizes.get(cost.table), rates.get(cost.table)];
      const { rows } = size ?? {};
      if (!rate || rows === undefined) return { ...cost, ...size };
      const take = (second: number) => rows * second * cost.readings;
      return { ...cost, ...size, seconds: { from: take(rate.from), to: take(rate.to) } };
    });
  return reportOf(plan, dialect, measured);
}

/** What of a plan costs something on a database, as it was made; its statements are shown as they stand in the script. */
async function costsThere({ dialect, rows }: Database, plan: RenderPlan): Promise<readonly Cost[]> {
  const { blocks, costs, depending } = dialect.render;
  const own = blocks(plan);
  const told = costs(plan, own);
  if (!depending || told.length === 0) return told;
  const there = depending.asThere(plan, await rows(depending.query));
  const known = blocks(there);
  const statementsOf = (list: readonly Block[]) => list.flatMap(({ statements }) => statements);
  const [scripted, asThere] = [statementsOf(own), statementsOf(known)];
  const found = costs(there, known);
  if (scripted.length !== asThere.length) return found;
  return found.map(cost => ({ ...cost, sql: scripted[asThere.indexOf(cost.sql)]! }));
}

function reportOf(plan: RenderPlan, dialect: Dialect, found: readonly Sized<Cost>[]): CostReport {
  const named = found.map(cost => ({ ...cost, table: called(cost.table, plan.changes) }));
  const tables = together(named).map((cost): Sized<TableCost> => {
    const own = named.filter(({ table }) => table === cost.table);
    const { rows, bytes } = own[0] ?? {};
    const spans = own.flatMap(({ seconds }) => seconds ?? []);
    const sum = (end: keyof Span) => spans.reduce((all, span) => all + span[end], 0);
    return {
      ...cost,
      ...(rows !== undefined && { rows }),
      ...(bytes !== undefined && { bytes }),
      ...(spans.length > 0 && { seconds: { from: sum("from"), to: sum("to") } }),
    };
  });
  const isWhole = dialect.render.steps === undefined && !plan.online;
  const advice = adviseOn(plan, dialect, tables, isWhole);
  return { dialect: dialect.name, together: isWhole, tables, statements: named, advice };
}

/** From how many seconds on it is worth a word. */
const LONG = 1;

/** What could be done so that a plan costs less, by how long it takes table by table. */
export function adviseOn(
  plan: RenderPlan,
  dialect: Dialect,
  tables: readonly Sized<TableCost>[],
  isWhole: boolean,
): CostAdvice[] {
  const long = tables.filter(({ waits, seconds }) => waits !== "nobody" && (seconds?.to ?? 0) >= LONG);
  const names = long.map(({ table }) => table).join(", ");
  const own = ownValues(plan, dialect.name).filter(name =>
    long.some(({ table, work }) => work === "written" && name.startsWith(`${table}.`)),
  );
  const mayBeOnline = dialect.render.online && !plan.online && hindrancesOf(plan, dialect).length === 0;
  const found: CostAdvice[] = [];
  if (own.length > 0)
    found.push({
      code: "A334",
      what: `${own.join(", ")}: each row gets a value of its own, so that all are written anew`,
      remedy: "bring the column without a default, and give it one in a migration behind that",
    });
  if (isWhole && long.length > 1)
    found.push({
      code: "A335",
      what: `${names}: each stays locked until the last is done`,
      remedy: "draft a migration for each",
    });
  if (mayBeOnline && long.length > 0)
    found.push({
      code: "A336",
      what: `${names}: all of it can be done while others write`,
      remedy: "draft it online",
    });
  return found;
}

/** A table by the name it has after all changes. */
function called(table: string, changes: readonly Change[]): string {
  const renamed = changes.find(change => change.kind === "rename table" && change.from === table);
  return renamed?.kind === "rename table" ? renamed.to : table;
}

/** How many rows are read to see how fast that is, and how often. */
const SAMPLE = { rows: 20_000, times: 3 };

/** How long this server takes, in seconds, to read all that one row of a table holds: the quickest of some tries, and the slowest. */
async function rateOf(database: Database, table: Table): Promise<Span> {
  const { names, rows } = database.dialect;
  const columns = table.columns.map(({ name }) => names.quote(name));
  const sql = readingSql(quoteAddress(addressOf(table), names.quote), rows.lengthSql(columns), SAMPLE.rows);
  const taken: number[] = [];
  for (let tries = 0; tries < SAMPLE.times; tries += 1) {
    const start = performance.now();
    const [row] = await database.rows(sql);
    taken.push((performance.now() - start) / 1000 / Math.max(1, Number(row?.["n"])));
  }
  return { from: Math.min(...taken), to: Math.max(...taken) };
}
