import type { Probe } from "../core/plan/probe.js";
import type { CatalogRow } from "../core/dialect/shared/dialect.js";
import type { Table } from "../core/schema/types.js";
import { addressOf, quoteTableName } from "../core/schema/address.js";
import type { Database } from "./session/database.js";

export interface ProbeResult extends Probe {
  readonly count: number;
}

/** Runs probes; those that find nothing are left out. */
export async function runProbes(database: Database, probes: readonly Probe[]): Promise<ProbeResult[]> {
  return (await countProbes(database, probes)).filter(({ count }) => count > 0);
}

/** Runs probes, one after the other. */
export async function countProbes(database: Database, probes: readonly Probe[]): Promise<ProbeResult[]> {
  const results: ProbeResult[] = [];
  for (const probe of probes) {
    if (probe.before !== undefined) await database.run(probe.before);
    const rows = await database.rows(probe.sql);
    results.push({ ...probe, count: Number(rows[0]?.["n"] ?? 0) });
  }
  return results;
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

function placeOf(row: CatalogRow): Pick<Table, "name" | "namespace"> {
  const { name, namespace } = row as { name: string; namespace: string | null };
  return { name, ...(namespace !== null && { namespace }) };
}
