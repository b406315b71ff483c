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
import type { Dialect } from "./dialect.js";
import { respell, type Spellings } from "./spellings.js";

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
  const settle = (part: Schema) => respell(dialect.settle(part), spellings);
  const settled = tablesByAddress(settle(schema));
  const bySettled = new Map(
    schema.tables.map(table => [addressOf(settle({ tables: [table] }).tables[0]!), table]),
  );
  const raised = dialect.raise(dialect.unspell(held));
  const tables = held.tables.map((table, at): Table => {
    const known = bySettled.get(addressOf(table));
    const was = settled.get(addressOf(table));
    if (!known || !was) return raised.tables[at]!;
    return equal(was, table) ? known : mergeTable(known, was, table, raised.tables[at]!, settle);
  });
  const definitions = held.definitions ?? [];
  return { tables, ...(definitions.length > 0 && { definitions }) };
}

function mergeTable(
  known: Table,
  was: Table,
  held: Table,
  raised: Table,
  settle: (schema: Schema) => Schema,
): Table {
  const columns = held.columns.map((column, at) => {
    const before = was.columns.findIndex(each => equal(each, column));
    return before < 0 ? raised.columns[at]! : known.columns[before]!;
  });
  const sources = sourcesOf(known, settle);
  const { note: _, options: __, ...rest } = known;
  const facts = {
    ...(held.note === was.note
      ? known.note !== undefined && { note: known.note }
      : held.note !== undefined && { note: held.note }),
    ...optionsOf(known, held),
  };
  return PART_KINDS.reduce(
    (so, kind) => {
      const kept = partsOf(held, kind).map(
        (part, at) => sources.held.get(keyOf(kind, part)) ?? { kind, part: partsOf(raised, kind)[at]! },
      );
      const other = PART_KINDS.flatMap(each =>
        partsOf(held, each).flatMap(part => {
          const source = each === kind ? undefined : sources.held.get(keyOf(each, part));
          return source?.kind === kind ? [source.part] : [];
        }),
      );
      const own = kept.filter(each => each.kind === kind).map(({ part }) => part);
      return withParts(so, kind, [
        ...own,
        ...other,
        ...sources.unheld.filter(each => each.kind === kind).map(({ part }) => part),
      ] as never);
    },
    { ...rest, ...facts, columns } as Table,
  );
}

interface Source {
  readonly kind: PartKind;
  readonly part: Parts[PartKind];
}

/** The portable parts of a table by what they settle to, and those that the dialect does not hold. */
function sourcesOf(
  table: Table,
  settle: (schema: Schema) => Schema,
): { readonly held: Map<string, Source>; readonly unheld: Source[] } {
  const bare: Table = { ...table, uniques: [], indexes: [], foreignKeys: [], checks: [] };
  const { key: _, ...keyless } = bare;
  const held = new Map<string, Source>();
  const unheld: Source[] = [];
  for (const kind of PART_KINDS) {
    for (const part of partsOf(table, kind)) {
      const alone = settle({ tables: [withParts(keyless, kind, [part] as never)] }).tables[0]!;
      const settled = PART_KINDS.flatMap(each => partsOf(alone, each).map(one => keyOf(each, one)));
      if (settled.length === 0) unheld.push({ kind, part });
      for (const each of settled) held.set(each, { kind, part });
    }
  }
  return { held, unheld };
}

function keyOf(kind: PartKind, part: Parts[PartKind]): string {
  return stable([kind, part]);
}

/** The dialect's own options as the database has them, beside those of others. */
function optionsOf(known: Table, held: Table): Pick<Table, "options"> {
  const options = { ...known.options };
  for (const dialect of Object.keys(held.options ?? {})) options[dialect] = held.options![dialect]!;
  return Object.keys(options).length > 0 ? { options } : {};
}
