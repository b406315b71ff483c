import { sha256 } from "../sha256.js";
import { addressOf } from "./address.js";
import { definitionKey, PART_KINDS, partsOf, withParts } from "./types.js";
import type { PartKind, Parts, Schema, Table } from "./types.js";

/**
 * One spelling for schemas that mean the same: tables, columns and named parts by name, absent values left out.
 * The order of columns is not part of a schema's meaning, since a column that arrives later stands last in the
 * database wherever the class has it; the order inside keys and indexes is.
 */
export function canonical(schema: Schema): Schema {
  return {
    tables: [...schema.tables].sort(by(addressOf)).map(canonicalTable),
    ...(schema.definitions?.length && { definitions: [...schema.definitions].sort(by(definitionKey)) }),
  };
}

function canonicalTable(table: Table): Table {
  const sorted = PART_KINDS.reduce(
    (so, kind) => withParts(so, kind, [...partsOf(so, kind)].sort(by(part => part.name || stable(part)))),
    table,
  );
  return { ...sorted, columns: [...table.columns].sort(by(column => column.name)) };
}

/** Ordering by code unit: the same on every machine, whatever its locale. */
function by<T>(nameOf: (item: T) => string): (a: T, b: T) => number {
  return (a, b) => {
    const [left, right] = [nameOf(a), nameOf(b)];
    return left < right ? -1 : left > right ? 1 : 0;
  };
}

/** JSON with the keys of every object sorted: equal values give equal texts. */
export function stable(value: unknown): string {
  if (typeof value !== "object" || value === null) return JSON.stringify(value) ?? "null";
  if (Array.isArray(value)) return `[${value.map(stable).join(",")}]`;
  const entries = Object.entries(value).filter(([, item]) => item !== undefined);
  return `{${entries
    .sort(by(([key]) => key))
    .map(([key, item]) => `${JSON.stringify(key)}:${stable(item)}`)
    .join(",")}}`;
}

/** One text for a part of a table and all that it says: several may have no name. */
export function partKey(kind: PartKind, part: Parts[PartKind]): string {
  return stable([kind, part]);
}

/** Whether two pieces of schema data say the same, in the order they stand. */
export function equal(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== "object" || typeof b !== "object" || a === null || b === null) return false;
  if (Array.isArray(a)) {
    return Array.isArray(b) && a.length === b.length && a.every((item, index) => equal(item, b[index]));
  }
  const [left, right] = [a as Record<string, unknown>, b as Record<string, unknown>];
  const keys = Object.keys(left).filter(key => left[key] !== undefined);
  return (
    keys.length === Object.keys(right).filter(key => right[key] !== undefined).length &&
    keys.every(key => equal(left[key], right[key]))
  );
}

/** Whether two schemas mean the same. */
export function sameSchema(a: Schema, b: Schema): boolean {
  return stable(canonical(a)) === stable(canonical(b));
}

/** Tables are never changed in place, so what was worked out for one once holds for good. */
const tablePrints = new WeakMap<Table, bigint>();

function tablePrint(table: Table): bigint {
  const known = tablePrints.get(table);
  if (known !== undefined) return known;
  const found = print(canonicalTable(table));
  tablePrints.set(table, found);
  return found;
}

function print(value: unknown): bigint {
  return sha256(stable(value)).readBigUInt64BE();
}

/**
 * 16 hex digits, equal for schemas that mean the same: the sum, within 64 bits, of the SHA-256 of the canonical form
 * of each table and definition. A sum does not ask for an order, so a schema is not sorted at every migration of a long history.
 */
export function fingerprint(schema: Schema): string {
  const tables = schema.tables.reduce((so, table) => so + tablePrint(table), 0n);
  const sum = (schema.definitions ?? []).reduce((so, definition) => so + print(definition), tables);
  return BigInt.asUintN(64, sum).toString(16).padStart(16, "0");
}
