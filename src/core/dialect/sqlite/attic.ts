import { addressOf, parseAddress } from "../../schema/address.js";
import { ATTIC } from "../../schema/internal-tables.js";
import type { Table } from "../../schema/types.js";
import { atticWords, type AtticSyntax } from "../shared/attic.js";
import type { KeptCounter, KeptTable } from "../shared/kept.js";
import { atticTables } from "./catalog/queries.js";
import { literalSql } from "./expressions.js";
import { quote, quoteList, quoteTable, stampTriggerName } from "./names.js";
import { copySequenceSql, REBUILD_END, REBUILD_START } from "./render/tables.js";
import { retype } from "./retyping.js";
import { NAME, typeOf } from "./types.js";

export const attic: AtticSyntax = {
  addressFor,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  same: (a, b) => `${a} IS ${b}`,
  turned: (before, after, value) => retype(before, after, value, undefined).value,
  deleteFrom: table => `DELETE FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t SET ${set.join(", ")} FROM ${from} AS k WHERE ${where}`,
  counters: { keep: keepCounterSql, restore: restoreCounterSql },
  numbers: {
    name: rowidOf,
    give: () => [],
    take: () => [],
    held: columns => columns.map(({ name }) => `quote(${quote(name)})`).join(" || ',' || ") || "''",
    heldType: "text",
  },
};

/**
 * Every row has a number of its own, by one of three names (https://sqlite.org/rowidtable.html); a key that counts is
 * that number, so one that stays with other values would change it.
 */
export function rowidOf(was: Table, now: Table, replaces: (column: string) => boolean): string | undefined {
  if ([was, now].some(({ options }) => options?.[NAME]?.["without rowid"] !== undefined)) return undefined;
  if (now.columns.some(({ name, identity }) => identity && replaces(name))) return undefined;
  const taken = new Set([...was.columns, ...now.columns].map(({ name }) => name.toLowerCase()));
  return ["rowid", "_rowid_", "oid"].find(name => !taken.has(name));
}

/** https://sqlite.org/autoinc.html */
function keepCounterSql(counter: KeptCounter): string {
  return `CREATE TABLE ${quoteTable(counter.address)} AS SELECT seq FROM sqlite_sequence WHERE name = ${counted(counter)}`;
}

/** SQLite goes behind the largest rowid by itself where that is further. */
function restoreCounterSql(counter: KeptCounter): string[] {
  const name = counted(counter);
  const kept = quoteTable(counter.address);
  return [
    `DELETE FROM sqlite_sequence WHERE name = ${name} AND EXISTS (SELECT 1 FROM ${kept})`,
    `INSERT INTO sqlite_sequence (name, seq) SELECT ${name}, seq FROM ${kept}`,
  ];
}

function counted(counter: KeptCounter): string {
  return literalSql(counter.kind === "counting" ? counter.table.name : counter.definition.name);
}

/** Beside the other tables: SQLite has no namespaces. */
function addressFor(number: string, table: Pick<Table, "name" | "namespace">, column?: string): string {
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
