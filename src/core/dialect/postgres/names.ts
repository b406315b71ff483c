import { quoteAddress } from "../../schema/address.js";
import { cutName } from "../../schema/naming.js";
import type { Table } from "../../schema/types.js";

/** A name as PostgreSQL quotes it. */
export function quote(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** A table's address as SQL writes it. */
export function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

/**
 * How the names of triggers begin that fill, or turn, what is written while a run goes on: behind all others, which may change
 * a row before. https://www.postgresql.org/docs/15/trigger-definition.html
 */
export const FILLER = "~emberset_";

/** Indexes and functions live in the namespace of their table. */
export function quoteBeside({ namespace }: Pick<Table, "namespace">, name: string): string {
  return namespace === undefined ? quote(name) : `${quote(namespace)}.${quote(name)}`;
}

/** `"a", "b"` */
export function quoteList(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

/** A text in quotes that it does not hold itself: names may be anything. */
export function dollarQuoted(text: string, word: string): string {
  let tag = `$${word}$`;
  while (text.includes(tag)) tag = `$${tag.slice(1, -1)}_$`;
  return `${tag}${text}${tag}`;
}

/** NAMEDATALEN - 1: https://www.postgresql.org/docs/15/limits.html */
export const NAME_LIMIT = 63;

/** What PostgreSQL itself calls the sequence of a column, the longer name cut first: `makeObjectName` of its source. */
export function sequenceName(table: string, column: string): string {
  const bytes = { table: Buffer.from(table), column: Buffer.from(column) };
  let first = bytes.table.length;
  let second = bytes.column.length;
  while (first + second > NAME_LIMIT - "__seq".length) {
    if (first > second) first -= 1;
    else second -= 1;
  }
  return `${clip(bytes.table, first)}_${clip(bytes.column, second)}_seq`;
}

/** No character is cut in two. */
function clip(name: Buffer, length: number): string {
  let end = length;
  while (end > 0 && end < name.length && (name[end]! & 0xc0) === 0x80) end -= 1;
  return name.subarray(0, end).toString();
}

/** The function and the trigger that keep a `@Stamp("updated")` column. */
export function stampName(table: string, column: string): string {
  return cutName(`stamp_${table}_${column}`, NAME_LIMIT);
}

/** Words that PostgreSQL takes for a name only in quotes: https://www.postgresql.org/docs/15/sql-keywords-appendix.html */
export const reserved: ReadonlySet<string> = new Set(
  (
    "all analyse analyze and any array as asc asymmetric authorization binary both case cast check collate " +
    "collation column concurrently constraint create cross current_catalog current_date current_role " +
    "current_schema current_time current_timestamp current_user default deferrable desc distinct do else end " +
    "except false fetch for foreign freeze from full grant group having ilike in initially inner intersect into " +
    "is isnull join lateral leading left like limit localtime localtimestamp natural not notnull null offset on " +
    "only or order outer overlaps placing primary references returning right select session_user similar some " +
    "symmetric table tablesample then to trailing true union unique user using variadic verbose when where " +
    "window with"
  ).split(" "),
);
