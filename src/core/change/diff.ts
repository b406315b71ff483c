import { addressOf, tablesByAddress } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import { definitionKey, PART_KINDS, partsOf } from "../schema/types.js";
import type { Column, Default, Definition, PartKind, Parts, Schema, Table } from "../schema/types.js";
import { factsOf } from "./apply.js";
import { columnsOfPart } from "../schema/lookups.js";
import { order } from "./order.js";
import { renameInColumn, renameInPart, renameSteps, spareAddress, type NameMap } from "./rename.js";
import { dropPart, addPart } from "./types.js";
import { alterPart, type AlterColumn, type Change } from "./types.js";

/** What two schemas alone do not tell of the way from one to the other. */
export interface DiffHints {
  /** New addresses of renamed tables by old ones. */
  readonly tables?: ReadonlyMap<string, string>;
  /** New names of renamed columns by old ones, per table (its address after). */
  readonly columns?: ReadonlyMap<string, ReadonlyMap<string, string>>;
  /** What rows that exist get in a column, by fillKey. */
  readonly fills?: ReadonlyMap<string, Default>;
  /** How values are made into those of another type, by fillKey. */
  readonly conversions?: ReadonlyMap<string, Conversion>;
  /** Keep the position of columns that arrive before others. @default false: they come last */
  readonly positions?: boolean;
}

export type Conversion = Pick<AlterColumn, "convert" | "convertBack">;

/** The key of DiffHints.fills: a table's address after, and a column. */
export function fillKey(table: string, column: string): string {
  return JSON.stringify([table, column]);
}

/** The inverse of fillKey. */
export function parseFillKey(key: string): { readonly table: string; readonly column: string } {
  const [table, column] = JSON.parse(key) as [string, string];
  return { table, column };
}

/** The changes that turn a into b, in an order that a database accepts. */
export function diff(a: Schema, b: Schema, hints: DiffHints = {}): Change[] {
  const [before, after] = [tablesByAddress(a), tablesByAddress(b)];
  const tableNames = usable(hints.tables ?? new Map(), before, after);
  const names: NameMap = {
    table: address => tableNames.get(address) ?? address,
    column: (table, column) => columnNames.get(table)?.get(column) ?? column,
  };
  const oldNames = new Map([...tableNames].map(([from, to]) => [to, from]));
  const taken = takenNames(tableNames);
  const survives = (address: string) => after.has(names.table(address)) && !taken.has(address);
  const stayed = (address: string) => {
    const from = oldNames.get(address) ?? address;
    return before.has(from) && names.table(from) === address && !taken.has(from);
  };
  // Most tables of a long history are the same object before and after: they are passed over without further ado.
  const pairs = [...before].flatMap(([address, was]) => {
    const now = survives(address) ? after.get(names.table(address)) : undefined;
    return now && now !== was ? [{ address, was, now }] : [];
  });
  const columnNames = new Map(
    pairs.flatMap(({ address, was, now }) => {
      const renames = hints.columns?.get(addressOf(now));
      return renames ? [[address, usable(renames, columnsByName(was), columnsByName(now))] as const] : [];
    }),
  );
  const renaming = tableNames.size > 0 || columnNames.size > 0;
  const staying = tableNames.size > 0 ? new Set([...before.keys()].filter(survives)) : new Set<string>();
  return order([
    ...diffDefinitions(a.definitions ?? [], b.definitions ?? []),
    ...a.tables
      .filter(table => !survives(addressOf(table)))
      .map(table => ({ kind: "drop table", table }) as const),
    ...renameSteps(tableNames, staying, spareAddress).map(
      ([from, to]) => ({ kind: "rename table", from, to }) as const,
    ),
    ...pairs.flatMap(pair =>
      diffTable({ ...pair, names: renaming ? names : undefined, columnNames, survives, stayed, hints }),
    ),
    ...b.tables
      .filter(table => !stayed(addressOf(table)))
      .map(table => ({ kind: "add table", table }) as const),
  ]);
}

function diffDefinitions(a: readonly Definition[], b: readonly Definition[]): Change[] {
  const byKey = (list: readonly Definition[]) => new Map(list.map(each => [definitionKey(each), each]));
  const before = byKey(a);
  const after = byKey(b);
  return [
    // A later one may be made of an earlier one.
    ...a
      .toReversed()
      .filter(each => !after.has(definitionKey(each)))
      .map(definition => ({ kind: "drop definition", definition }) as const),
    ...b.flatMap((definition): Change[] => {
      const was = before.get(definitionKey(definition));
      if (!was) return [{ kind: "add definition", definition }];
      return equal(was, definition) ? [] : [{ kind: "alter definition", before: was, after: definition }];
    }),
  ];
}

interface TablePair {
  readonly address: string;
  readonly was: Table;
  readonly now: Table;
  /** Absent where nothing is renamed. */
  readonly names: NameMap | undefined;
  readonly columnNames: ReadonlyMap<string, ReadonlyMap<string, string>>;
  readonly survives: (address: string) => boolean;
  /** Whether a table, by its address after, was there before. */
  readonly stayed: (address: string) => boolean;
  readonly hints: DiffHints;
}

function diffTable({ address, was, now, names, columnNames, survives, stayed, hints }: TablePair): Change[] {
  const table = addressOf(now);
  const renamed = columnNames.get(address) ?? new Map<string, string>();
  const wanted = columnsByName(now);
  const taken = takenNames(renamed);
  const newName = (column: string) => names?.column(address, column) ?? column;
  const stays = (column: string) => wanted.has(newName(column)) && !taken.has(column);
  const changes: Change[] = [];

  // The last one first: each position then holds at its turn, and on the way back too.
  for (const [at, column] of [...was.columns.entries()].toReversed()) {
    if (!stays(column.name)) changes.push({ kind: "drop column", table: address, column, at });
  }
  for (const [from, to] of renameSteps(renamed, new Set(was.columns.map(({ name }) => name).filter(stays)))) {
    changes.push({ kind: "rename column", table, from, to });
  }
  if (!equal(factsOf(was), factsOf(now))) {
    changes.push({ kind: "alter table", table, before: factsOf(was), after: factsOf(now) });
  }
  const kept = new Map(
    was.columns.filter(({ name }) => stays(name)).map(column => [newName(column.name), column]),
  );
  now.columns.forEach((column, at) => {
    const old = kept.get(column.name);
    if (!old) {
      const last = now.columns.slice(at).every(({ name }) => !kept.has(name));
      const position = hints.positions && !last ? { at } : {};
      changes.push(withFill({ kind: "add column", table, column, ...position }, table, hints));
      return;
    }
    const before = names ? renameInColumn(old, address, names) : old;
    if (!equal(before, column)) {
      changes.push(withFill({ kind: "alter column", table, before, after: column }, table, hints));
    }
  });
  for (const kind of PART_KINDS) {
    const remains = (part: Parts[PartKind]) =>
      columnsOfPart(kind, part).every(stays) && targetsOf(part).every(survives);
    const existedBefore = (part: Parts[PartKind]) =>
      columnsOfPart(kind, part).every(column => kept.has(column)) && targetsOf(part).every(stayed);
    changes.push(...diffParts({ kind, address, table, was, now, names, remains, existedBefore }));
  }
  return changes;
}

/** The tables a part refers to: one for a foreign key. */
function targetsOf(part: Parts[PartKind]): string[] {
  return "references" in part ? [part.references.table] : [];
}

interface PartPair {
  readonly kind: PartKind;
  readonly address: string;
  readonly table: string;
  readonly was: Table;
  readonly now: Table;
  readonly names: NameMap | undefined;
  /** Whether all that an old part is about stays. */
  readonly remains: (part: Parts[PartKind]) => boolean;
  /** Whether all that a new part is about was there before. */
  readonly existedBefore: (part: Parts[PartKind]) => boolean;
}

/** The parts of one kind: those that say the same are passed over, the rest is matched, and then told. */
function diffParts(pair: PartPair): Change[] {
  const { kind, address, table, was, now } = pair;
  if (partsOf(was, kind).length === 0 && partsOf(now, kind).length === 0) return [];
  const { matches, arriving } = matchParts(pair);
  const dropped = matches.filter(({ twin, heir }) => !twin && !heir).map(({ part }) => part);
  const twins = new Map(matches.flatMap(({ part, twin }) => (twin ? [[part.name, twin.name] as const] : [])));
  const taken = new Set(partsOf(was, kind).flatMap(part => (dropped.includes(part) ? [] : [part.name])));
  return [
    ...dropped.map(part => dropPart(address, kind, part)),
    ...renameSteps(twins, taken).map(([from, to]): Change => ({
      kind: "rename part",
      table,
      what: kind,
      from,
      to,
    })),
    ...matches.flatMap(({ renamed, heir }) => (heir ? [alterPart(table, kind, renamed, heir)] : [])),
    ...arriving.map(part => addPart(table, kind, part)),
  ];
}

/** An old part that is not there any more as it was. */
interface PartMatch {
  readonly part: Parts[PartKind];
  /** The same with the names things have now. */
  readonly renamed: Parts[PartKind];
  /** What says the same under another name. */
  readonly twin: Parts[PartKind] | undefined;
  /** What has its name and says something else. */
  readonly heir: Parts[PartKind] | undefined;
}

function matchParts({ kind, address, was, now, names, remains, existedBefore }: PartPair): {
  readonly matches: readonly PartMatch[];
  readonly arriving: readonly Parts[PartKind][];
} {
  const left = new Set<Parts[PartKind]>(partsOf(now, kind));
  const take = (fits: (part: Parts[PartKind]) => boolean) => {
    const found = [...left].find(fits);
    if (found) left.delete(found);
    return found;
  };
  // Whatever stays as it is first: no other may take it for its own.
  const changed = partsOf(was, kind).flatMap((part: Parts[PartKind]) => {
    const renamed: Parts[PartKind] = names ? renameInPart(kind, part, address, names) : part;
    return remains(part) && take(each => equal(each, renamed)) ? [] : [{ part, renamed }];
  });
  const matches = changed.map(({ part, renamed }) => {
    const stays = remains(part) && part.name !== "";
    const twin = stays
      ? take(each => each.name !== "" && equal({ ...each, name: part.name }, renamed))
      : undefined;
    const heir = stays && !twin ? take(each => each.name === part.name && existedBefore(each)) : undefined;
    return { part, renamed, twin, heir };
  });
  return { matches, arriving: [...left] };
}

function withFill<C extends Change>(change: C, table: string, hints: DiffHints): C {
  const column =
    change.kind === "alter column" ? change.after : change.kind === "add column" && change.column;
  const key = column && fillKey(table, column.name);
  const fills = change.kind !== "alter column" || (change.before.nullable && !change.after.nullable);
  const fill = key && fills ? hints.fills?.get(key) : undefined;
  const retyped = change.kind === "alter column" && !equal(change.before.type, change.after.type);
  const said = key && retyped ? hints.conversions?.get(key) : undefined;
  return fill || said
    ? { ...change, ...(fill && { fill }), ...(retyped && conversion(change, said)) }
    : change;
}

/** Nothing is made for a column that works its values out by itself. */
function conversion({ before, after }: AlterColumn, said: Conversion | undefined): Conversion {
  return {
    ...(said?.convert !== undefined && !after.computed && { convert: said.convert }),
    ...(said?.convertBack !== undefined && !before.computed && { convertBack: said.convertBack }),
  };
}

function columnsByName(table: Table): Map<string, Column> {
  return new Map(table.columns.map(column => [column.name, column]));
}

/** The renames that can be meant: from something that was there to something that is there now. */
function usable(
  renames: ReadonlyMap<string, string>,
  before: ReadonlyMap<string, unknown>,
  after: ReadonlyMap<string, unknown>,
): Map<string, string> {
  return new Map([...renames].filter(([from, to]) => from !== to && before.has(from) && after.has(to)));
}

/** Names that something else takes over, while what has them now does not get another. */
function takenNames(renames: ReadonlyMap<string, string>): Set<string> {
  return new Set([...renames.values()].filter(name => !renames.has(name)));
}
