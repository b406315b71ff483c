import { addressOf, parseAddress } from "../../schema/address.js";
import { ATTIC } from "../../schema/internal-tables.js";
import { cutName } from "../../schema/naming.js";
import type { Column, Table } from "../../schema/types.js";
import { atticWords, matchSql, restoreSql, type AtticSyntax } from "../shared/attic.js";
import { freeNumber } from "../shared/numbering.js";
import type { KeptBesideKey, KeptCounter } from "../shared/kept.js";
import { atticTables } from "./catalog/queries.js";
import { literalSql } from "./expressions.js";
import { NAME_LIMIT, quote, quoteTable } from "./names.js";
import { lost, retype } from "./retyping.js";
import { isTextual, NAME, typeOf } from "./types.js";

export const attic: AtticSyntax = {
  addressFor,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf: column => `${typeOf(column)}${isTextual(column) ? " CHARACTER SET utf8mb4" : ""}`,
  // Texts of other collations or character sets cannot be compared as they are, nor to the letter.
  same: (a, b, column) =>
    isTextual(column)
      ? `BINARY CONVERT(${a} USING utf8mb4) <=> BINARY CONVERT(${b} USING utf8mb4)`
      : `${a} <=> ${b}`,
  moves,
  byTrigger: ["columns"],
  lost,
  turned: (before, after, value) =>
    isTextual(before) && isTextual(after)
      ? `CONVERT(${value} USING utf8mb4) COLLATE utf8mb4_bin`
      : retype(before, after, value, undefined).value,
  deleteFrom: table => `DELETE k FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t JOIN ${from} AS k ON ${where} SET ${set.map(each => `t.${each}`).join(", ")}`,
  counters: { keep: keepCounterSql, restore: restoreCounterSql },
  numbers: {
    name: freeNumber,
    // Another column may count; what others write before the table is locked has a number too.
    give: (table, number) => [
      `ALTER TABLE ${table} ADD COLUMN ${quote(number)} bigint unsigned NOT NULL DEFAULT (uuid_short()) INVISIBLE, ADD UNIQUE (${quote(number)})`,
    ],
    take: (table, number) => [`ALTER TABLE ${table} DROP COLUMN ${quote(number)}`],
    held: columns => `UNHEX(MD5(CONCAT_WS(',', ${["''", ...columns.map(heldSql)].join(", ")})))`,
    heldType: "binary(16)",
  },
};

/** A value to the letter, in characters that no collation has a say in. */
function heldSql(column: Column): string {
  const name = quote(column.name);
  const type = typeOf(column);
  if (isTextual(column) || /blob|binary|bit|geometry|point|linestring|polygon/i.test(type))
    return `COALESCE(HEX(${name}), '-')`;
  const exact = /^float/i.test(type) ? `CAST(${name} AS DOUBLE)` : name;
  return `COALESCE(HEX(CAST(${exact} AS CHAR)), '-')`;
}

/** https://mariadb.com/kb/en/information-schema-tables-table/ */
function keepCounterSql({ address, ...counter }: KeptCounter): string {
  if (counter.kind === "sequence")
    return `CREATE TABLE ${quoteTable(address)} AS SELECT next_not_cached_value AS next FROM ${quoteTable(addressOf(counter.definition))}`;
  const name = addressOf(counter.table);
  const next = `SELECT AUTO_INCREMENT AS next FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ${literalSql(parseAddress(name).name)}`;
  return `CREATE TABLE ${quoteTable(address)} AS ${next}`;
}

/** A statement that says a number needs it as it is; the server goes behind the largest value by itself where that is further. */
function restoreCounterSql({ address, ...counter }: KeptCounter): string[] {
  const next = `SET @emberset_next = (SELECT MAX(next) FROM ${quoteTable(address)})`;
  // The number must stand there as it is, here too; the next one is not used yet.
  if (counter.kind === "sequence")
    return [
      next,
      `EXECUTE IMMEDIATE CONCAT(${literalSql(`DO SETVAL(${quoteTable(addressOf(counter.definition))}, `)}, @emberset_next, ', 0)')`,
    ];
  const alter = `ALTER TABLE ${quoteTable(addressOf(counter.table))} AUTO_INCREMENT = `;
  return [next, `EXECUTE IMMEDIATE CONCAT(${literalSql(alter)}, COALESCE(@emberset_next, 1))`];
}

/** Beside the other tables, in the same database. */
function addressFor(number: string, table: Pick<Table, "name" | "namespace">, column?: string): string {
  return addressOf({ name: cutName(`${ATTIC}${number}_${atticWords(table, column)}`, NAME_LIMIT) });
}

/** A new name costs no pass over the rows; indexes, checks and triggers go along. */
export function moveTableSql(from: string, to: string): string {
  return `RENAME TABLE ${quoteTable(from)} TO ${quoteTable(to)}`;
}

/** Whether the server changes a column by itself whenever its row is updated. */
function moves({ stamp, options }: Column): boolean {
  return stamp === "updated" || options?.[NAME]?.["on update"] !== undefined;
}

/** Moments that the server keeps would say that somebody changed these rows. */
function keptMoments({ columns }: Table, but: readonly string[]): string[] {
  return columns.filter(column => !but.includes(column.name) && moves(column)).map(({ name }) => quote(name));
}

/** For the end of an UPDATE of a column that is no change of the row. */
export function momentsStaySql(table: Table, but: string): string {
  return keptMoments(table, [but])
    .map(moment => `, ${moment} = ${moment}`)
    .join("");
}

/** Of a table called t, as its columns are called before they are renamed, the rows of which the attic has nothing. */
export function whereNotKeptSql({ address, key }: KeptBesideKey): string {
  return ` WHERE NOT EXISTS (SELECT 1 FROM ${quoteTable(address)} AS k WHERE ${matchSql(key, attic)})`;
}

/** The values of the attic, put back. */
export function restoreValuesSql(kept: KeptBesideKey, now: Table): string {
  const names = kept.columns.map(({ name }) => name);
  return restoreSql(kept, attic, [
    ...names.map(name => `${quote(name)} = k.${quote(name)}`),
    ...keptMoments(now, names).map(moment => `${moment} = t.${moment}`),
  ]);
}
