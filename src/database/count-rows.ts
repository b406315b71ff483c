import type { Probe } from "../core/dialect/probes.js";
import { quoteAddress } from "../core/schema/address.js";
import type { Database } from "./database.js";

export interface ProbeResult extends Probe {
  readonly count: number;
}

/** Runs probes; those that find nothing are left out. */
export async function runProbes(database: Database, probes: readonly Probe[]): Promise<ProbeResult[]> {
  const results: ProbeResult[] = [];
  for (const probe of probes) {
    const rows = await database.rows(probe.sql);
    const count = Number(rows[0]?.["n"] ?? 0);
    if (count > 0) results.push({ ...probe, count });
  }
  return results;
}

/** SQLite takes at most 500 parts in one compound query: https://sqlite.org/limits.html#max_compound_select */
const TABLES_A_QUERY = 400;

/** How many rows each table has, by address. */
export async function countRows(
  database: Database,
  addresses: readonly string[],
): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  for (let start = 0; start < addresses.length; start += TABLES_A_QUERY) {
    const chunk = addresses.slice(start, start + TABLES_A_QUERY);
    const { quote } = database.dialect;
    const parts = chunk.map(
      (address, at) => `SELECT ${at} AS at, count(*) AS n FROM ${quoteAddress(address, quote)}`,
    );
    for (const row of await database.rows(parts.join(" UNION ALL "))) {
      counts.set(chunk[Number(row["at"])]!, Number(row["n"]));
    }
  }
  return counts;
}
