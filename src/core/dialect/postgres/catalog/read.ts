import { partition } from "../../../lists.js";
import { spellExpression } from "../../../lower/expressions.js";
import { addressOf } from "../../../schema/address.js";
import type { Column, Definition, Table } from "../../../schema/types.js";
import { readGrants } from "../../shared/catalog-rows.js";
import type { Catalog, CatalogRow, LeftAlone } from "../../shared/dialect.js";
import { objectOf } from "../../shared/object-text.js";
import { stampName } from "../names.js";
import { TOKENS } from "../settle.js";
import { indexOf, OBJECT_KINDS, type CatalogIndex } from "./catalog-index.js";
import { objectsQuery } from "./queries.js";
import { readColumn } from "./columns.js";
import { readCheck, readIndex, readKey, readReference } from "./constraints.js";
import { readType, sequenceDefinition, withSequence } from "./sequences.js";
import { addressParts, noteOf, optionsOf, settingsOf } from "./values.js";

/** What the catalog says; the lists are the answers to its queries, in that order. */
export function readCatalog(results: readonly (readonly CatalogRow[])[]): Catalog {
  const index = indexOf(results);
  const found = index.tables.map(row => readTable(row, index));
  const used = new Set(found.flatMap(({ counted }) => counted));
  const stamps = new Set(found.flatMap(each => each.stamps));
  const left = index.sequences.filter(row => !used.has(row));
  const loose = left.filter(({ owning }) => owning !== null);
  const objects = readObjects(index, stamps);
  const definitions: Definition[] = [
    ...left.filter(({ owning }) => owning === null).map(sequenceDefinition),
    ...index.types.map(readType),
    ...objects.definitions,
  ];
  return {
    schema: {
      tables: found.map(({ table }) => table),
      ...(definitions.length > 0 && { definitions }),
    },
    leftAlone: [
      ...index.others.filter(row => !isToldAsObject(row, index)).map(row => leftAlone(row, index)),
      ...objects.others.map(row => leftAlone(row, index)),
      ...found.flatMap(({ unread }) => unread),
      ...loose.map(row => ({ kind: "sequence", name: addressOf(addressParts(row)) })),
    ],
  };
}

/** A table, and what was learnt while it was read. */
interface ReadTable {
  readonly table: Table;
  /** The sequences its columns count by. */
  readonly counted: readonly CatalogRow[];
  /** Names of the triggers that keep its stamps. */
  readonly stamps: readonly string[];
  /** What belongs to it and is not modelled. */
  readonly unread: readonly LeftAlone[];
}

function readTable(row: CatalogRow, index: CatalogIndex): ReadTable {
  const oid = String(row["oid"]);
  const { columns, counted, stamps } = readColumns(row, index);
  const spell = (text: unknown) => spellExpression(String(text), columns, TOKENS);
  const own = (numbers: readonly number[]) => numbers.map(number => index.names.get(oid)?.get(number) ?? "");
  const parts = index.constraints.get(oid) ?? [];
  const of = (kind: string) => parts.filter(part => part["kind"] === kind);
  const key = of("p").map(part => readKey(part, own))[0];
  const [references, foreign] = partition(of("f"), part => index.addresses.has(String(part["target"])));
  const [valid, invalid] = partition(index.indexes.get(oid) ?? [], each => each["valid"] === true);

  const persistence = row["persistence"] === "u" ? { unlogged: "yes" } : {};
  const address = addressParts(row);
  const unread = (kind: string, rows: readonly CatalogRow[]) =>
    rows.map(({ name }) => ({ kind, name: String(name), table: addressOf(address) }));
  const granted = index.grants.get(oid) ?? [];
  const named = (number: unknown) => index.names.get(oid)?.get(Number(number));
  return {
    table: readGrants(granted, row => (row["number"] === null ? undefined : named(row["number"])), {
      ...address,
      columns: columns.map(column => spellComputed(column, spell)),
      ...(key && { key }),
      uniques: of("u").map(part => readKey(part, own)),
      indexes: valid.map(each => readIndex(each, { own, spell, classes: index.classes })),
      foreignKeys: references.map(part => readReference(part, own, index)),
      checks: of("c").map(part => readCheck(part, spell)),
      ...noteOf(row),
      ...optionsOf({
        ...persistence,
        ...settingsOf(row),
        ...(row["method"] !== null && { using: String(row["method"]) }),
      }),
    }),
    counted,
    stamps,
    unread: [...unread("foreign key", foreign), ...unread("invalid index", invalid)],
  };
}

/** A table's columns, with what they count by and the stamps that are kept for them. */
function readColumns(table: CatalogRow, index: CatalogIndex) {
  const { columns, owned } = index;
  const [oid, tableName] = [String(table["oid"]), String(table["name"])];
  const stamps = stampsOf(table, index);
  const counted: CatalogRow[] = [];
  const read = (columns.get(oid) ?? []).map((row): Column => {
    const sequence = owned.get(`${oid} ${String(row["number"])}`);
    const found = withSequence(readColumn(row), sequence, tableName);
    if (found.counted && sequence) counted.push(sequence);
    const isStamped = stamps.length > 0 && stamps.includes(stampName(tableName, found.column.name));
    return isStamped ? { ...found.column, stamp: "updated" } : found.column;
  });
  return { columns: read, counted, stamps };
}

/** The names of the triggers that keep a table's stamps. */
function stampsOf({ oid, name }: CatalogRow, { columns, triggers }: CatalogIndex): string[] {
  const there = (triggers.get(String(oid)) ?? []).map(each => String(each["name"]));
  if (there.length === 0) return [];
  const own = (columns.get(String(oid)) ?? []).map(column => stampName(String(name), String(column["name"])));
  return own.filter(stamp => there.includes(stamp));
}

/** Whether a trigger or a function keeps a stamp, and is no object of its own. */
function isStamp({ kind, name }: CatalogRow, stamps: ReadonlySet<string>): boolean {
  return (kind === "trigger" || kind === "function") && stamps.has(String(name));
}

function spellComputed(column: Column, spell: (text: unknown) => string): Column {
  return column.computed
    ? { ...column, computed: { ...column.computed, sql: spell(column.computed.sql) } }
    : column;
}

function leftAlone(row: CatalogRow, { addresses }: CatalogIndex): LeftAlone {
  const [kind, name, oid] = [String(row["kind"]), String(row["name"]), row["table_oid"]];
  const table = oid === null ? undefined : addresses.get(String(oid));
  const shown = row["here"] === true ? name : `${String(row["namespace"])}.${name}`;
  return { kind, name: shown, ...(table !== undefined && { table }) };
}

/** Objects, the triggers that keep stamps among them; that rows are asked about is told with the policies that are asked. */
function isToldAsObject({ kind, table_oid: table }: CatalogRow, { objects = [] }: CatalogIndex): boolean {
  if (OBJECT_KINDS.has(String(kind))) return true;
  return (
    kind === "row security" && objects.some(each => each["kind"] === "policy" && each["table_oid"] === table)
  );
}

/** Objects, functions of one name as one; what hangs on a table that is not modelled is none. */
function readObjects(
  { objects = [], addresses }: CatalogIndex,
  stamps: ReadonlySet<string>,
): { readonly definitions: readonly Definition[]; readonly others: readonly CatalogRow[] } {
  const relations = new Set([...addresses.keys()]);
  for (const row of objects) if (row["kind"] !== "trigger") relations.add(String(row["oid"]));
  const found = new Map<string, string[]>();
  const others: CatalogRow[] = [];
  for (const row of objects) {
    const [kind, name] = [String(row["kind"]), String(row["name"])];
    if (isStamp(row, stamps)) continue;
    const hangs = kind === "trigger" || kind === "policy";
    if (row["sql"] === null || (hangs && !relations.has(String(row["table_oid"])))) {
      others.push(row);
      continue;
    }
    const key = JSON.stringify([kind, row["namespace"], name, row["table_oid"]]);
    found.set(key, [...(found.get(key) ?? []), String(row["sql"])]);
  }
  const definitions = [...found.values()].flatMap(texts => objectOf(texts.join(";\n"), TOKENS) ?? []);
  return { definitions, others };
}

/** What tells objects whole, where there are some. @param results the answers to the catalog's queries */
export function furtherQuery(results: readonly (readonly CatalogRow[])[]): string | undefined {
  const index = indexOf(results);
  const objects = index.others.filter(({ kind }) => OBJECT_KINDS.has(String(kind)));
  if (objects.length === 0) return undefined;
  const stamps = new Set(index.tables.flatMap(table => stampsOf(table, index)));
  return objects.every(row => isStamp(row, stamps)) ? undefined : objectsQuery;
}
