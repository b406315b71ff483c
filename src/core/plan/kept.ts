import { lossOf, type Loss } from "../change/loss.js";
import { namesThrough, type NamesThrough } from "../change/names.js";
import type { AlterColumn, Change } from "../change/types.js";
import type {
  Attic,
  KeyPart,
  KeptBesideKey,
  KeptCounter,
  KeptTable,
  Numbered,
} from "../dialect/shared/kept.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import type { RenderPlan } from "../dialect/shared/render-plan.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import { uniqueLists } from "../schema/lookups.js";
import type { Column, DataType, Table } from "../schema/types.js";

/** What a forward plan takes away, and where it is kept. */
export function keptBy(plan: RenderPlan, dialect: Dialect, number: string): Omit<Attic, "direction"> {
  const addressFor = freeAddresses(dialect, number);
  const values = keptValues(plan, dialect, addressFor);
  return {
    kept: [...keptTables(plan, addressFor), ...values.flatMap(({ kept }) => kept)],
    counters: keptCounters(plan, dialect, addressFor),
    numbered: values.flatMap(({ numbered }) => numbered ?? []),
  };
}

type AddressFor = (table: Pick<Table, "name" | "namespace">, column?: string) => string;

/** Addresses in the attic, none of them twice: names may have been cut. */
function freeAddresses({ attic }: Dialect, number: string): AddressFor {
  const taken = new Set<string>();
  return (table, column) => {
    let [address, turn] = [attic.addressFor(number, table, column), 1];
    while (taken.has(address)) address = attic.addressFor(number, table, `${column ?? ""}${(turn += 1)}`);
    taken.add(address);
    return address;
  };
}

function keptTables({ before, changes }: RenderPlan, addressFor: AddressFor): KeptTable[] {
  const oldTables = tablesByAddress(before);
  return changes.flatMap((change): KeptTable[] => {
    if (change.kind !== "drop table") return [];
    const table = oldTables.get(addressOf(change.table)) ?? change.table;
    return [{ kind: "table", table, address: addressFor(table) }];
  });
}

/** What counts and goes, or counts no longer: the rows do not tell how far it had come. */
function keptCounters(plan: RenderPlan, { attic }: Dialect, addressFor: AddressFor): KeptCounter[] {
  const names = namesThrough(plan.changes);
  const oldTables = tablesByAddress(plan.before);
  const counting = (start: string, name: string, now: string | undefined): KeptCounter[] => {
    const table = oldTables.get(start);
    const column = table?.columns.find(each => each.name === name);
    if (!table || !column || !counts(column)) return [];
    return [{ kind: "counting", table, column, now, address: addressFor(table, name) }];
  };
  return plan.changes.flatMap((change): KeptCounter[] => {
    switch (change.kind) {
      case "drop definition": {
        const { definition } = change;
        return definition.kind === "sequence"
          ? [{ kind: "sequence", definition, address: addressFor(definition) }]
          : [];
      }
      case "drop table": {
        const { table } = change;
        return attic.copies?.(table, plan)
          ? table.columns.flatMap(({ name }) => counting(addressOf(table), name, undefined))
          : [];
      }
      case "drop column":
        return counting(change.table, change.column.name, names.after(change.table));
      case "alter column":
        return counts(change.after)
          ? []
          : counting(names.before(change.table), names.before(change.table, change.after.name), change.table);
      default:
        return [];
    }
  });
}

/** Whether a column counts on where it stood, whatever became of its rows. */
function counts({ identity }: Column): boolean {
  return identity === "serial" || identity === "always";
}

/** What is kept of one table that stays, and how its rows are told where no key does. */
interface KeptOfTable {
  readonly kept: readonly KeptBesideKey[];
  readonly numbered?: Numbered;
}

/** Values of the tables that stay, table by table. */
function keptValues(plan: RenderPlan, dialect: Dialect, addressFor: AddressFor): KeptOfTable[] {
  const names = namesThrough(plan.changes);
  const losses = lossesByTable(plan.changes, losesNothingOn(dialect));
  const oldTables = tablesByAddress(plan.before);
  return plan.after.tables.flatMap((now): KeptOfTable[] => {
    const address = addressOf(now);
    const from = names.before(address);
    const table = names.arrives(address) ? undefined : oldTables.get(from);
    const replaced = losses.values.get(address) ?? [];
    if (!table || !(losses.columns.has(from) || losses.columns.has(address) || replaced.length > 0))
      return [];
    return [keptOfTable({ table, now, names, replaced, addressFor, dialect })];
  });
}

interface Replaced {
  readonly change: AlterColumn;
  readonly loss: Extract<Loss, { readonly kind: "values" }>;
}

/** Tables that lose columns, by their addresses before; what becomes of values, by their tables' addresses after. */
function lossesByTable(changes: readonly Change[], widens: (before: DataType, after: DataType) => boolean) {
  const columns = new Set<string>();
  const values = new Map<string, Replaced[]>();
  for (const change of changes) {
    const loss = lossOf(change, widens);
    // A computed column that goes takes nothing along, yet its table is looked at.
    if (change.kind === "drop column") columns.add(change.table);
    if (change.kind !== "alter column" || loss?.kind !== "values") continue;
    values.set(change.table, [...(values.get(change.table) ?? []), { change, loss }]);
  }
  return { columns, values };
}

/**
 * The same, or whether the engine refuses what does not fit and brings back what does: then no other value stands in the
 * column afterwards, and nothing need be kept.
 */
export function losesNothingOn(dialect: Dialect): (before: DataType, after: DataType) => boolean {
  const { name, types } = dialect;
  const [widens, text] = [widensOn(dialect), nativeText(name)];
  return (before, after) => widens(before, after) || types.refusesLoss?.(text(before), text(after)) === true;
}

/** Whether one of a dialect's own types widens to another. */
export function widensOn({ name, types }: Dialect): (before: DataType, after: DataType) => boolean {
  const text = nativeText(name);
  return (before, after) => equal(before, after) || types.widens(text(before), text(after));
}

function nativeText(dialect: string): (type: DataType) => string {
  return type => (type.kind === "native" ? (type.sql[dialect] ?? "") : "");
}

interface StayingTable {
  /** As it was, and as it is to be. */
  readonly table: Table;
  readonly now: Table;
  readonly names: NamesThrough;
  readonly replaced: readonly Replaced[];
  readonly addressFor: AddressFor;
  readonly dialect: Dialect;
}

function keptOfTable(staying: StayingTable): KeptOfTable {
  const { table, now, names, replaced, addressFor } = staying;
  const address = addressOf(now);
  const newNames = new Map(
    now.columns
      .filter(({ name }) => !names.arrives(address, name))
      .map(({ name }) => [names.before(address, name), name]),
  );
  const others = new Set(replaced.map(({ change }) => change.after.name));
  const plain = table.columns.filter(({ computed }) => !computed);
  const gone = plain.filter(({ name }) => !newNames.has(name));
  const told = matchingKey(table, now, newNames, others);
  const takes = gone.length > 0 || replaced.some(({ change: { after } }) => replacedOf(after, staying));
  const numbered = told.length === 0 && takes ? numberedBy(staying, newNames, others) : undefined;
  const key: readonly KeyPart[] = numbered
    ? [{ was: numbered.number, now: numbered.number, number: true }]
    : told;
  const rest = key.length > 0 ? [] : plain.filter(({ name }) => newNames.has(name));
  const common = { table, now: address, key };
  const kept = [
    ...(gone.length > 0
      ? [{ ...common, kind: "columns", address: addressFor(table), columns: [...gone, ...rest] } as const]
      : []),
    ...replaced.flatMap(({ change, loss: { by } }): KeptBesideKey[] => {
      const column = replacedOf(change.after, staying);
      if (!column || key.length === 0) return [];
      const beside = { columns: [column], address: addressFor(table, column.name), change, by };
      return [{ ...common, kind: "values", ...beside }];
    }),
  ];
  return { kept, ...(numbered && { numbered }) };
}

/** A column as it was, in which other values stand afterwards. */
function replacedOf(after: Column, { table, now, names }: StayingTable): Column | undefined {
  return table.columns.find(({ name }) => name === names.before(addressOf(now), after.name));
}

/** Numbers for rows that nothing tells apart, where they can have some. */
function numberedBy(
  { table, now, addressFor, dialect }: StayingTable,
  newNames: ReadonlyMap<string, string>,
  replaced: ReadonlySet<string>,
): Numbered | undefined {
  const held = new Set(newNames.values());
  const number = dialect.attic.numbers.name(table, now, name => held.has(name) && replaced.has(name));
  if (number === undefined) return undefined;
  const columns = now.columns.filter(({ name, computed }) => held.has(name) && !computed);
  return { table, now: addressOf(now), columns, number, address: addressFor(table, "rows") };
}

/**
 * Columns that tell rows apart before and after: a key or a unique constraint of either side, whose columns are there
 * on both and are turned into nothing else; best one that keeps its types.
 * @param staying names after by names before
 * @param replaced columns, by their names after, in which other values stand
 */
function matchingKey(
  was: Table,
  now: Table,
  staying: ReadonlyMap<string, string>,
  replaced: ReadonlySet<string>,
): readonly KeyPart[] {
  const oldNames = new Map([...staying].map(([old, name]) => [name, old]));
  const partOf = (name: string): KeyPart | undefined => {
    const before = was.columns.find(each => each.name === name);
    const after = now.columns.find(each => each.name === staying.get(name));
    if (!before || !after || before.computed || after.computed || replaced.has(after.name)) return undefined;
    const isSame = equal(comparedBy(before), comparedBy(after));
    return { was: before.name, now: after.name, ...(!isSame && { retyped: { before, after } }) };
  };
  const candidates = [
    ...uniqueLists(was),
    ...uniqueLists(now).map(list => list.map(name => oldNames.get(name) ?? "")),
  ].flatMap(list => {
    const parts = list.map(partOf);
    return list.length > 0 && parts.every(part => part !== undefined) ? [parts] : [];
  });
  return candidates.find(parts => parts.every(({ retyped }) => !retyped)) ?? candidates[0] ?? [];
}

function comparedBy({ type, collation }: Column) {
  return { type, collation };
}
