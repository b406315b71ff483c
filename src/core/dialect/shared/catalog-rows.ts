import type { Verb } from "../../../modelling/facts.js";
import { grantsOf, VERBS } from "../../schema/grants.js";
import type { Column, Table } from "../../schema/types.js";
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
  const found = new Map<string | undefined, Map<string, Set<Verb>>>();
  for (const row of rows) {
    const verb = VERBS.find(each => each === String(row["verb"]).toLowerCase());
    if (!verb) continue;
    const column = columnOf(row);
    const ofColumn = found.get(column) ?? new Map<string, Set<Verb>>();
    found.set(column, ofColumn);
    const role = String(row["role"]);
    ofColumn.set(role, new Set([...(ofColumn.get(role) ?? []), verb]));
  }
  const granted = <T extends Table | Column>(of: T, column: string | undefined): T => {
    const grants = grantsOf(found.get(column) ?? new Map<string, Set<Verb>>());
    return grants ? { ...of, grants } : of;
  };
  return {
    ...granted(table, undefined),
    columns: table.columns.map(column => granted(column, column.name)),
  };
}
