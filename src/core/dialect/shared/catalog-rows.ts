import { addVerb, granted, VERBS, type Verbs } from "../../schema/grants.js";
import type { Table } from "../../schema/types.js";
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

/** A table with what its rows, `role` and `verb`, say that is granted. @param columnOf none: the row is about the whole table */
export function readGrants(
  rows: readonly CatalogRow[],
  columnOf: (row: CatalogRow) => string | undefined,
  table: Table,
): Table {
  if (rows.length === 0) return table;
  const found = new Map<string | undefined, Verbs>();
  for (const row of rows) {
    const verb = VERBS.find(each => each === String(row["verb"]).toLowerCase());
    if (!verb) continue;
    const column = columnOf(row);
    const ofColumn: Verbs = found.get(column) ?? new Map();
    found.set(column, ofColumn);
    addVerb(ofColumn, String(row["role"]), verb);
  }
  const columns = table.columns.map(column => granted(column, found.get(column.name)));
  return granted({ ...table, columns }, found.get(undefined));
}
