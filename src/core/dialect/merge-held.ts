import { renameInTable, type NameMap } from "../change/rename.js";
import { columnsOfPart } from "../schema/lookups.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { equal, partKey } from "../schema/canonical.js";
import { definitionKey, isObject, PART_KINDS, partsOf, withParts } from "../schema/types.js";
import type { ObjectDefinition, PartKind, Parts, Schema, Table } from "../schema/types.js";
import { DIALECT_NAMES } from "./registry.js";
import type { Dialect } from "./shared/dialect.js";
import { respell, type Spellings } from "../lower/spellings.js";
import { firstOf, partition, zip } from "../lists.js";

interface HeldSchema {
  readonly dialect: Dialect;
  /** What a database holds, as its dialect reads it. */
  readonly held: Schema;
  /** How the engine spells what was sent to it. */
  readonly spellings: Spellings;
}

/**
 * A schema in portable words that settles to what a database holds: what is there as the schema says stays in the
 * schema's own words, so that other dialects lose nothing; the rest is raised from the database.
 */
export function mergeHeld(schema: Schema, { dialect, held, spellings }: HeldSchema): Schema {
  const settle = (part: Schema) => respell(dialect.types.settle(part), spellings);
  const settled = tablesByAddress(settle(schema));
  const bySettled = new Map(
    schema.tables.map(table => [addressOf(firstOf(settle({ tables: [table] }).tables)), table]),
  );
  const raised = dialect.types.raise(dialect.types.unspell(held));
  const names = namesKnown(bySettled, settled);
  const tables = zip(held.tables, raised.tables).map(([table, found]): Table => {
    const known = bySettled.get(addressOf(table));
    const was = settled.get(addressOf(table));
    const raisedTable = renameInTable(found, names);
    if (!known || !was) return raisedTable;
    return equal(was, table)
      ? known
      : mergeTable({ known, was, held: table, raised: raisedTable, settle, dialect: dialect.name });
  });
  // What the dialect has no place for cannot have gone from it.
  const known = (schema.definitions ?? []).map(definition => ({
    definition,
    was: settle({ tables: [], definitions: [definition] }).definitions?.[0],
  }));
  const unheld = known.flatMap(({ definition, was }) => (was ? [] : [definition]));
  const definitions = [
    ...unheld,
    ...zip(held.definitions ?? [], raised.definitions ?? []).map(([found, said]) => {
      const same = known.find(({ was }) => was && definitionKey(was) === definitionKey(found));
      if (!same || !isObject(same.definition) || !isObject(said)) return said;
      return equal(same.was, found) ? same.definition : withTexts(same.definition, said);
    }),
  ];
  return { tables, ...(definitions.length > 0 && { definitions }) };
}

/** An object with the text that one dialect has now; where it had been one for all, it is said for that one apart. */
function withTexts(known: ObjectDefinition, found: ObjectDefinition): ObjectDefinition {
  if (typeof found.sql === "string") return found;
  const { sql } = known;
  const texts = typeof sql === "string" ? Object.fromEntries(DIALECT_NAMES.map(name => [name, sql])) : sql;
  return { ...known, sql: { ...texts, ...found.sql } };
}

/** What the schema calls tables and columns: a dialect may have no room for their whole names. */
function namesKnown(known: ReadonlyMap<string, Table>, settled: ReadonlyMap<string, Table>): NameMap {
  const columns = new Map(
    [...known].map(([address, table]) => {
      const cut = settled.get(address)?.columns ?? table.columns;
      return [address, new Map(zip(cut, table.columns).map(([was, { name }]) => [was.name, name]))];
    }),
  );
  return {
    table: address => {
      const table = known.get(address);
      return table ? addressOf(table) : address;
    },
    column: (table, column) => columns.get(table)?.get(column) ?? column,
  };
}

interface Merging {
  readonly known: Table;
  /** The known one, settled. */
  readonly was: Table;
  readonly held: Table;
  /** The held one, raised. */
  readonly raised: Table;
  readonly settle: (schema: Schema) => Schema;
  readonly dialect: string;
}

function mergeTable({ known, was, held, raised, settle, dialect }: Merging): Table {
  const said = zip(known.columns, was.columns);
  const columns = zip(held.columns, raised.columns).map(([column, raisedColumn]) => {
    const same = said.find(([, settled]) => equal(settled, column));
    return same ? same[0] : raisedColumn;
  });
  const sources = sourcesOf(known, settle);
  const same = new Set(columns.filter(column => known.columns.includes(column)).map(({ name }) => name));
  const unheld = sources.unheld.filter(({ kind, part }) =>
    columnsOfPart(kind, part).every(name => same.has(name)),
  );
  const { note: _, options: __, grants: ___, ...rest } = known;
  const facts = {
    ...(held.note === was.note
      ? known.note !== undefined && { note: known.note }
      : held.note !== undefined && { note: held.note }),
    ...optionsOf(known, held, dialect),
    ...grantsOf(equal(held.grants, was.grants) ? known : held),
  };
  const there = new Set(PART_KINDS.flatMap(kind => partsOf(held, kind).map(part => partKey(kind, part))));
  const merged = new Set<Source>(unheld);
  for (const kind of PART_KINDS) {
    for (const [part, raisedPart] of zip(partsOf(held, kind), partsOf(raised, kind))) {
      const source = sources.held.get(partKey(kind, part));
      if (source && !("by" in source)) merged.add(source);
      else if (!source || !there.has(source.by)) merged.add({ kind, part: raisedPart });
    }
  }
  const ofKind = (kind: PartKind) => [...merged].filter(each => each.kind === kind).map(({ part }) => part);
  const bare: Table = { ...rest, ...facts, columns };
  return PART_KINDS.reduce((so, kind) => withParts(so, kind, ofKind(kind)), bare);
}

function grantsOf({ grants }: Table): Pick<Table, "grants"> {
  return grants ? { grants } : {};
}

interface Source {
  readonly kind: PartKind;
  readonly part: Parts[PartKind];
}

/** A part that the dialect makes by itself for another, by that one's key. */
interface Implied {
  readonly by: string;
}

/** The portable parts of a table by what they settle to, and those that the dialect does not hold. */
function sourcesOf(
  table: Table,
  settle: (schema: Schema) => Schema,
): { readonly held: Map<string, Source | Implied>; readonly unheld: Source[] } {
  const { key: _, ...rest } = table;
  const bare: Table = { ...rest, uniques: [], indexes: [], foreignKeys: [], checks: [] };
  const settledAlone = (kind: PartKind, part: Parts[PartKind]) =>
    firstOf(settle({ tables: [withParts(bare, kind, [part])] }).tables);
  const sources = PART_KINDS.flatMap(kind =>
    partsOf(table, kind).map(part => ({ kind, part, becomes: settledAlone(kind, part) })),
  ).map(({ kind, part, becomes }): SettledSource => {
    const [own, others] = partition([...PART_KINDS], each => each === kind).map(kinds =>
      kinds.flatMap(each => partsOf(becomes, each).map(one => partKey(each, one))),
    );
    return { source: { kind, part }, own: own ?? [], others: others ?? [] };
  });
  const held = new Map<string, Source | Implied>();
  for (const { source, own, others } of sources) {
    for (const each of own) held.set(each, source);
    const [by] = own;
    for (const each of others) {
      if (by === undefined) held.set(each, source);
      else if (!held.has(each)) held.set(each, { by });
    }
  }
  const unheld = sources.filter(({ own, others }) => own.length + others.length === 0);
  return { held, unheld: unheld.map(({ source }) => source) };
}

/** A part, and the keys of what it settles to: of its own kind, and of others. */
interface SettledSource {
  readonly source: Source;
  readonly own: readonly string[];
  readonly others: readonly string[];
}

/** The dialect's own options as the database has them, beside those of others. */
function optionsOf(known: Table, held: Table, dialect: string): Pick<Table, "options"> {
  const { [dialect]: _, ...others } = known.options ?? {};
  const options = { ...others, ...held.options };
  return Object.keys(options).length > 0 ? { options } : {};
}
