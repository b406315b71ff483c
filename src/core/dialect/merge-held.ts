import { columnsOfPart } from "../schema/lookups.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { equal, stable } from "../schema/canonical.js";
import {
  PART_KINDS,
  partsOf,
  withParts,
  type PartKind,
  type Parts,
  type Schema,
  type Table,
} from "../schema/types.js";
import type { Dialect } from "./shared/dialect.js";
import { respell, type Spellings } from "../lower/spellings.js";

export interface HeldSchema {
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
    schema.tables.map(table => [addressOf(settle({ tables: [table] }).tables[0]!), table]),
  );
  const raised = dialect.types.raise(dialect.types.unspell(held));
  const tables = held.tables.map((table, at): Table => {
    const known = bySettled.get(addressOf(table));
    const was = settled.get(addressOf(table));
    if (!known || !was) return raised.tables[at]!;
    return equal(was, table)
      ? known
      : mergeTable({ known, was, held: table, raised: raised.tables[at]!, settle, dialect: dialect.name });
  });
  // What the dialect has no place for cannot have gone from it.
  const unheld = (schema.definitions ?? []).filter(
    definition => !dialect.types.settle({ tables: [], definitions: [definition] }).definitions,
  );
  const definitions = [...unheld, ...(held.definitions ?? [])];
  return { tables, ...(definitions.length > 0 && { definitions }) };
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
  const columns = held.columns.map((column, at) => {
    const before = was.columns.findIndex(each => equal(each, column));
    return before < 0 ? raised.columns[at]! : known.columns[before]!;
  });
  const sources = sourcesOf(known, settle);
  const same = new Set(columns.filter(column => known.columns.includes(column)).map(({ name }) => name));
  const unheld = sources.unheld.filter(({ kind, part }) =>
    columnsOfPart(kind, part).every(name => same.has(name)),
  );
  const { note: _, options: __, ...rest } = known;
  const facts = {
    ...(held.note === was.note
      ? known.note !== undefined && { note: known.note }
      : held.note !== undefined && { note: held.note }),
    ...optionsOf(known, held, dialect),
  };
  const there = new Set(PART_KINDS.flatMap(kind => partsOf(held, kind).map(part => keyOf(kind, part))));
  const merged = new Set<Source>(unheld);
  for (const kind of PART_KINDS) {
    for (const [at, part] of partsOf(held, kind).entries()) {
      const source = sources.held.get(keyOf(kind, part));
      if (source && !("by" in source)) merged.add(source);
      else if (!source || !there.has(source.by)) merged.add({ kind, part: partsOf(raised, kind)[at]! });
    }
  }
  return PART_KINDS.reduce(
    (so, kind) =>
      withParts(so, kind, [...merged].filter(each => each.kind === kind).map(({ part }) => part) as never),
    { ...rest, ...facts, columns } as Table,
  );
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
  const bare: Table = { ...table, uniques: [], indexes: [], foreignKeys: [], checks: [] };
  const { key: _, ...keyless } = bare;
  const held = new Map<string, Source | Implied>();
  const unheld: Source[] = [];
  for (const kind of PART_KINDS) {
    for (const part of partsOf(table, kind)) {
      const source: Source = { kind, part };
      const alone = settle({ tables: [withParts(keyless, kind, [part] as never)] }).tables[0]!;
      const own = partsOf(alone, kind).map(one => keyOf(kind, one));
      const others = PART_KINDS.filter(each => each !== kind).flatMap(each =>
        partsOf(alone, each).map(one => keyOf(each, one)),
      );
      if (own.length + others.length === 0) unheld.push(source);
      for (const each of own) held.set(each, source);
      for (const each of others) {
        if (own.length === 0) held.set(each, source);
        else if (!held.has(each)) held.set(each, { by: own[0]! });
      }
    }
  }
  return { held, unheld };
}

function keyOf(kind: PartKind, part: Parts[PartKind]): string {
  return stable([kind, part]);
}

/** The dialect's own options as the database has them, beside those of others. */
function optionsOf(known: Table, held: Table, dialect: string): Pick<Table, "options"> {
  const { [dialect]: _, ...others } = known.options ?? {};
  const options = { ...others, ...held.options };
  return Object.keys(options).length > 0 ? { options } : {};
}
