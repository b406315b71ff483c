import { addressOf } from "../../schema/address.js";
import { cutName } from "../../schema/naming.js";
import { ATTIC } from "../../schema/own.js";
import type { Column, Table } from "../../schema/types.js";
import { atticWords, matchOf, type AtticSyntax, type KeptValues } from "../attic.js";
import { atticTables } from "./catalog.js";
import { quote } from "./expressions.js";
import { NAME_LIMIT } from "./settle.js";
import { quoteTable, typeOf } from "./text.js";
import { NAME } from "./types.js";

export const ATTIC_SYNTAX: AtticSyntax = {
  place: atticPlace,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  same: (a, b) => `${a} <=> ${b}`,
  moves,
  deleteFrom: table => `DELETE k FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t JOIN ${from} AS k ON ${where} SET ${set.map(each => `t.${each}`).join(", ")}`,
};

/** Beside the other tables, in the same database. */
function atticPlace(number: string, table: Table, column?: string): string {
  return addressOf({ name: cutName(`${ATTIC}${number}_${atticWords(table, column)}`, NAME_LIMIT) });
}

/** A new name costs no pass over the rows; indexes, checks and triggers go along. */
export function moveText(from: string, to: string): string {
  return `RENAME TABLE ${quoteTable(from)} TO ${quoteTable(to)}`;
}

function moves({ stamp, options }: Column): boolean {
  return stamp === "updated" || options?.[NAME]?.["on update"] !== undefined;
}

/** Moments that the server keeps would say that somebody changed these rows. */
export function keptMoments({ columns }: Table, but: readonly string[]): string[] {
  return columns.filter(column => !but.includes(column.name) && moves(column)).map(({ name }) => quote(name));
}

/** Of a table called t, as its columns are called before they are renamed, the rows of which the attic has nothing. */
export function whereNotKept({ place, key }: KeptValues): string {
  return ` WHERE NOT EXISTS (SELECT 1 FROM ${quoteTable(place)} AS k WHERE ${matchOf(key, quote)})`;
}
