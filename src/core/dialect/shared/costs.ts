import { namesThrough } from "../../change/names.js";
import { addressOf, quoteAddress } from "../../schema/address.js";
import { textFor } from "../../sql/placeholders.js";
import type { RenderPlan } from "./render-plan.js";

/** What a change costs that takes as long as a table has rows. */
export interface Cost {
  /** The table's address before the changes. */
  readonly table: string;
  /** Whether each row is written anew, or only read. */
  readonly work: "read" | "written";
  /** Who cannot use the table meanwhile. */
  readonly waits: "nobody" | "writers" | "everyone";
  /** What is locked meanwhile, in the engine's own word. */
  readonly lock: string;
  /** As long as how many readings of all that its rows hold, about, as `readingSql` reads them. */
  readonly readings: number;
  /** The statement. */
  readonly sql: string;
}

/** What several statements come to for one table. */
export type TableCost = Omit<Cost, "sql" | "lock">;

const WORKS = ["read", "written"] as const satisfies readonly Cost["work"][];
const WAITS = ["nobody", "writers", "everyone"] as const satisfies readonly Cost["waits"][];

/** Of each table the most that any of some costs come to, and as long as all of them, in the order of the tables. */
export function together(costs: readonly Cost[]): TableCost[] {
  const found = new Map<string, TableCost>();
  for (const cost of costs) {
    const known = found.get(cost.table);
    if (!known) {
      const { sql: _, lock: __, ...of } = cost;
      found.set(cost.table, of);
      continue;
    }
    found.set(cost.table, {
      table: cost.table,
      readings: known.readings + cost.readings,
      work: WORKS[Math.max(WORKS.indexOf(known.work), WORKS.indexOf(cost.work))]!,
      waits: WAITS[Math.max(WAITS.indexOf(known.waits), WAITS.indexOf(cost.waits))]!,
    });
  }
  return [...found.values()];
}

/**
 * Tables that were there before a plan, by what stands for them in its statements: most of what costs something comes when
 * all have their names. Those that arrive cost nothing.
 */
export function tablesByName(
  { before, after, changes }: RenderPlan,
  quote: (name: string) => string,
): ReadonlyMap<string, string> {
  const names = namesThrough(changes);
  const old = before.tables.map(addressOf);
  const now = after.tables.map(addressOf);
  return new Map([
    ...old.map(address => [quoteAddress(address, quote), address] as const),
    ...now.map(address => {
      const was = names.arrives(address) ? "" : names.before(address);
      return [quoteAddress(address, quote), old.includes(was) ? was : ""] as const;
    }),
  ]);
}

/** How many indexes a table has at the end of a plan, those of its key and its unique constraints among them. */
export function indexesOf({ before, after, changes }: RenderPlan, start: string): number {
  const { after: called } = namesThrough(changes);
  const table =
    after.tables.find(each => addressOf(each) === called(start)) ??
    before.tables.find(each => addressOf(each) === start);
  return table ? table.indexes.length + table.uniques.length + (table.key ? 1 : 0) : 0;
}

/** What gives another value each time it is worked out, so that each row has to be written. */
const RANDOM =
  /\b(?:random|rand|uuid|gen_random_uuid|uuid_generate_v\d+\w*|clock_timestamp|randomblob)\s*\(/i;

/** Columns that arrive at tables that stay, and give each of their rows a value of its own: `pieces.mark`. */
export function ownValues({ changes }: RenderPlan, dialect: string): string[] {
  return changes.flatMap(change => {
    if (change.kind !== "add column" || change.fill || change.column.default?.kind !== "sql") return [];
    const text = textFor(change.column.default.sql, dialect) ?? "";
    return RANDOM.test(text) ? [`${change.table}.${change.column.name}`] : [];
  });
}

/** Reads all that some rows of a table hold, called t there: what a statement takes is told by how long that does. */
export function readingSql(table: string, length: string, rows: number): string {
  return `SELECT count(*) AS n, sum(${length}) AS held FROM (SELECT * FROM ${table} LIMIT ${rows}) AS t`;
}
