import { GROUPS, type Probe, type Sight } from "../core/plan/probe.js";
import type { CatalogRow } from "../core/dialect/shared/dialect.js";
import type { Table } from "../core/schema/types.js";
import { addressOf, quoteTableName } from "../core/schema/address.js";
import type { Database } from "./session/database.js";

export interface ProbeResult extends Probe {
  readonly count: number;
  /** Some of what was counted. */
  readonly examples?: readonly Example[];
}

/** A row that was counted, or several that share values. */
export interface Example {
  /** Its key: names and values. */
  readonly key: Readonly<Record<string, ExampleValue>>;
  readonly values: Readonly<Record<string, ExampleValue>>;
  /** How many rows share the values. */
  readonly rows?: number;
}

export type ExampleValue = string | number | boolean | null;

/** Runs probes and looks at some of what they find; those that find nothing are left out. */
export async function runProbes(database: Database, probes: readonly Probe[]): Promise<ProbeResult[]> {
  return (await countProbes(database, probes, true)).filter(({ count }) => count > 0);
}

/** How many examples are given of what a probe finds. */
const FEW = 3;

/** Runs probes, one after the other. @param looking whether to look at some of what they count */
export async function countProbes(
  database: Database,
  probes: readonly Probe[],
  looking = false,
): Promise<ProbeResult[]> {
  const results: ProbeResult[] = [];
  for (const probe of probes) {
    const { sight } = probe;
    if (!looking || !sight) results.push({ ...probe, count: (await counted(database, probe)).count });
    else if (probe.before !== undefined) {
      const { count, seen } = await counted(database, probe);
      // Where nothing was refused, the rows can be looked at as any others.
      const examples = count === 0 ? [] : (seen ?? (await look(database, sight, FEW)));
      results.push({ ...probe, count, examples: examples.slice(0, FEW).map(row => exampleOf(row, sight)) });
    } else results.push({ ...probe, ...(await lookAndCount(database, probe, sight)) });
  }
  return results;
}

/** Where a look comes to an end, that is the count; where there is more, it has stopped early. */
async function lookAndCount(
  database: Database,
  probe: Probe,
  sight: Sight,
): Promise<Pick<ProbeResult, "count" | "examples">> {
  const found = await look(database, sight, FEW + 1);
  const examples = found.slice(0, FEW).map(row => exampleOf(row, sight));
  if (sight.grouped) return { count: Number(found[0]?.[sight.values.length] ?? 0), examples };
  return { count: found.length > FEW ? (await counted(database, probe)).count : found.length, examples };
}

/** The first rows of a look, each as a list of its values. */
async function look(
  { rows, dialect }: Database,
  { sql, key, values, grouped }: Sight,
  most: number,
): Promise<unknown[][]> {
  const names = [...key, ...values, ...(grouped ? [GROUPS.all, GROUPS.rows] : [])];
  const few = dialect.rows.fewOf?.(sql, most) ?? `${sql} LIMIT ${most}`;
  return (await rows(few)).map(row => names.map(name => row[name]));
}

async function counted(
  database: Database,
  { before, sql }: Probe,
): Promise<{ readonly count: number; readonly seen?: readonly (readonly unknown[])[] }> {
  if (before !== undefined) await database.run(before);
  const [row] = await database.rows(sql);
  const seen = typeof row?.["seen"] === "string" ? (JSON.parse(row["seen"]) as unknown[][]) : [];
  return { count: Number(row?.["n"] ?? 0), ...(seen.length > 0 && { seen }) };
}

function exampleOf(row: readonly unknown[], { key, values, grouped }: Sight): Example {
  const named = (names: readonly string[], from: number) =>
    Object.fromEntries(names.map((name, at) => [name, plain(row[from + at])]));
  return {
    key: named(key, 0),
    values: named(values, key.length),
    ...(grouped && { rows: Number(row[values.length + 1]) }),
  };
}

/** What drivers make of a value, as JSON has it. */
function plain(value: unknown): ExampleValue {
  if (value === null || value === undefined) return null;
  if (typeof value === "string" || typeof value === "boolean") return value;
  if (typeof value === "number") return Number.isFinite(value) ? value : String(value);
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? "no date" : value.toISOString();
  if (value instanceof Uint8Array) return `0x${Buffer.from(value).toString("hex")}`;
  return typeof value === "object" ? JSON.stringify(value) : String(value as bigint);
}

/** SQLite takes at most 500 parts in one compound query: https://sqlite.org/limits.html#max_compound_select */
const TABLES_A_QUERY = 400;

/** How many rows each table has, by address. */
export async function countRows(
  database: Database,
  tables: readonly Pick<Table, "name" | "namespace">[],
): Promise<Map<string, number>> {
  const {
    names: { quote },
    catalog: { emptyTables },
    rows: { jsonPairs },
  } = database.dialect;
  const empty = emptyTables === undefined ? [] : await database.rows(emptyTables);
  const counts = new Map(empty.map(row => [addressOf(placeOf(row)), 0]));
  const left = tables.filter(table => !counts.has(addressOf(table)));
  for (let start = 0; start < left.length; start += TABLES_A_QUERY) {
    const chunk = left.slice(start, start + TABLES_A_QUERY);
    const parts = chunk.map(
      (table, at) => `SELECT ${at} AS at, count(*) AS n FROM ${quoteTableName(table, quote)}`,
    );
    const [row] = await database.rows(
      `SELECT ${jsonPairs("at", "n")} AS counted FROM (${parts.join(" UNION ALL ")}) AS each_table`,
    );
    const counted = JSON.parse(String(row!["counted"])) as readonly (readonly [at: number, n: number])[];
    for (const [at, n] of counted) counts.set(addressOf(chunk[at]!), n);
  }
  return counts;
}

/** About how many rows and bytes a table has. */
export interface TableSize {
  /** Absent: nobody has counted them yet. */
  readonly rows?: number;
  readonly bytes?: number;
}

/** How large tables are, by address, as the engine keeps it; where it does not, their rows are counted. */
export async function sizesOf(
  database: Database,
  tables: readonly Pick<Table, "name" | "namespace">[],
): Promise<Map<string, TableSize>> {
  const { sizes } = database.dialect.catalog;
  if (sizes === undefined)
    return new Map([...(await countRows(database, tables))].map(([address, rows]) => [address, { rows }]));
  return new Map(
    (await database.rows(sizes)).map((row): [string, TableSize] => [
      addressOf(placeOf(row)),
      {
        ...(row["rows"] !== null && { rows: Number(row["rows"]) }),
        ...(row["bytes"] !== null && { bytes: Number(row["bytes"]) }),
      },
    ]),
  );
}

function placeOf(row: CatalogRow): Pick<Table, "name" | "namespace"> {
  const { name, namespace } = row as { name: string; namespace: string | null };
  return { name, ...(namespace !== null && { namespace }) };
}
