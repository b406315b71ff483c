import type { Schema, Table } from "./types.js";

/**
 * How a table is spoken of: `pieces`, or `studio.pieces` in a namespace. A part holding a dot or a quote is
 * written as SQL quotes it: `"odd.name"`.
 */
export function addressOf(table: Pick<Table, "name" | "namespace">): string {
  const known = addresses.get(table);
  if (known !== undefined) return known;
  const address =
    table.namespace === undefined ? part(table.name) : `${part(table.namespace)}.${part(table.name)}`;
  addresses.set(table, address);
  return address;
}

/** Tables are never changed in place, and are asked for their addresses over and over. */
const addresses = new WeakMap<Pick<Table, "name" | "namespace">, string>();

function part(name: string): string {
  return /[."]/.test(name) ? `"${name.replaceAll('"', '""')}"` : name;
}

/** The inverse of addressOf. */
export function parseAddress(address: string): Pick<Table, "name" | "namespace"> {
  const parts = [...address.matchAll(/"((?:[^"]|"")*)"|([^."]+)/g)].map(
    ([, quoted, plain]) => quoted?.replaceAll('""', '"') ?? plain!,
  );
  return parts.length > 1 ? { namespace: parts[0]!, name: parts[1]! } : { name: parts[0] ?? "" };
}

/** The tables of a schema by address. */
export function tablesByAddress(schema: Schema): Map<string, Table> {
  return new Map(schema.tables.map(table => [addressOf(table), table]));
}

/** A table's address as SQL writes it, each part quoted: `"studio"."pieces"`. */
export function quoteAddress(address: string, quote: (name: string) => string): string {
  return quoteTableName(parseAddress(address), quote);
}

/** The same of a name and namespace. */
export function quoteTableName(
  { name, namespace }: Pick<Table, "name" | "namespace">,
  quote: (name: string) => string,
): string {
  return namespace === undefined ? quote(name) : `${quote(namespace)}.${quote(name)}`;
}
