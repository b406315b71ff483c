import { parseAddress } from "../../schema/address.js";

/** A name as SQLite quotes it. */
export function quote(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** A table's name as SQL writes it: there are no namespaces. */
export function quoteTable(address: string): string {
  return quote(parseAddress(address).name);
}

/** `"a", "b"` */
export function quoteList(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

/** What the trigger that keeps a `@Stamp("updated")` column is called. */
export function stampTriggerName(table: string, column: string): string {
  return `stamp_${table}_${column}`;
}

/** Words that SQLite takes for a name only in quotes: https://sqlite.org/lang_keywords.html */
export const reserved: ReadonlySet<string> = new Set(
  (
    "add all alter and as autoincrement between case cast check collate commit constraint create default " +
    "deferrable delete distinct drop else escape except exists foreign from group having if in index insert " +
    "intersect into is isnull join limit not nothing notnull null on or order primary raise references " +
    "returning select set table then to transaction union unique update using values when where"
  ).split(" "),
);
