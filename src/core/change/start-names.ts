import { addressOf } from "../schema/address.js";
import type { Change } from "./types.js";

/** What things are called before some changes are made, asked by their names after; and what only arrives with them. */
export interface StartNames {
  readonly table: (address: string) => string;
  readonly column: (table: string, column: string) => string;
  readonly columnArrives: (table: string, column: string) => boolean;
  readonly tableArrives: (table: string) => boolean;
}

/** Follows the renames of a list of changes, also those by way of a spare name. */
export function startNames(changes: readonly Change[]): StartNames {
  const tables = new Map<string, string>();
  const columns = new Map<string, string>();
  const added = new Set<string>();
  const key = (table: string, column: string) => JSON.stringify([table, column]);
  for (const change of changes) {
    if (change.kind === "rename table") {
      tables.set(change.to, tables.get(change.from) ?? change.from);
      tables.delete(change.from);
    }
    if (change.kind === "rename column") {
      const from = key(change.table, change.from);
      columns.set(key(change.table, change.to), columns.get(from) ?? change.from);
      columns.delete(from);
    }
    if (change.kind === "add table") added.add(addressOf(change.table));
    if (change.kind === "add column") added.add(key(change.table, change.column.name));
  }
  return {
    table: address => tables.get(address) ?? address,
    column: (table, column) => columns.get(key(table, column)) ?? column,
    columnArrives: (table, column) => added.has(table) || added.has(key(table, column)),
    tableArrives: table => added.has(table),
  };
}
