import { addressOf, parseAddress } from "../../schema/address.js";
import { ATTIC } from "../../schema/internal-tables.js";
import type { Table } from "../../schema/types.js";
import { atticWords, type AtticSyntax } from "../shared/attic.js";
import type { KeptTable } from "../shared/kept.js";
import { atticTables } from "./catalog/queries.js";
import { quote, quoteList, quoteTable, stampTriggerName } from "./names.js";
import { copySequenceSql, REBUILD_END, REBUILD_START } from "./render/tables.js";
import { typeOf } from "./types.js";

export const attic: AtticSyntax = {
  addressFor,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  same: (a, b) => `${a} IS ${b}`,
  deleteFrom: table => `DELETE FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t SET ${set.join(", ")} FROM ${from} AS k WHERE ${where}`,
};

/** Beside the other tables: SQLite has no namespaces. */
function addressFor(number: string, table: Table, column?: string): string {
  return addressOf({ name: `${ATTIC}${number}_${atticWords(table, column)}` });
}

/**
 * A new name costs no pass over the rows. Names of indexes and stamps are free again, and legacy_alter_table keeps
 * views from following the table into the attic.
 */
export function keepTableSql({ table, address }: KeptTable): string[] {
  return [
    ...table.indexes.map(({ name }) => `DROP INDEX ${quote(name)}`),
    ...table.columns
      .filter(({ stamp }) => stamp)
      .map(({ name }) => `DROP TRIGGER ${quote(stampTriggerName(table.name, name))}`),
    REBUILD_START,
    `ALTER TABLE ${quote(table.name)} RENAME TO ${quoteTable(address)}`,
    REBUILD_END,
  ];
}

/** Its rows are moved into a table made anew: the one in the attic has no references any more. */
export function takeRowsSql({ address }: KeptTable, table: Table): string[] {
  const columns = quoteList(table.columns.filter(({ computed }) => !computed).map(({ name }) => name));
  const { name } = parseAddress(address);
  return [
    `INSERT INTO ${quote(table.name)} (${columns})\n  SELECT ${columns} FROM ${quote(name)}`,
    ...(table.columns.some(({ identity }) => identity === "serial") ? copySequenceSql(name, table.name) : []),
    `DROP TABLE ${quote(name)}`,
  ];
}
