import type { CatalogRow } from "./dialect.js";

/** Rows by the value of one of their columns, in the order they came. */
export function groupRows(rows: readonly CatalogRow[], column: string): Map<string, CatalogRow[]> {
  const groups = new Map<string, CatalogRow[]>();
  for (const row of rows) {
    const key = String(row[column]);
    const group = groups.get(key);
    if (group) group.push(row);
    else groups.set(key, [row]);
  }
  return groups;
}
