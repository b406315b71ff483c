import { addressOf } from "../schema/address.js";
import { isObject, type ForeignKey, type PartKind, type Table } from "../schema/types.js";
import type { Change } from "./types.js";

/**
 * The changes in an order that a database accepts: what refers to something goes before it and comes after it.
 * - References, checks, indexes and keys are dropped before tables and columns, in the old names.
 * - Types and sequences come before what is made of them, and go after it; objects the other way round.
 * - Renames follow, in the order given; then what stays is altered.
 * - Tables come after the tables they refer to; where they refer to each other in a circle, the reference that
 *   closes it is parted from its table and comes last. Dropping is the mirror image.
 */
export function order(changes: readonly Change[]): Change[] {
  const added = partCircles(changes.flatMap(change => (change.kind === "add table" ? [change.table] : [])));
  const dropped = partCircles(
    changes.flatMap(change => (change.kind === "drop table" ? [change.table] : [])),
  );
  const others = changes.filter(({ kind }) => kind !== "add table" && kind !== "drop table");
  const all: Change[] = [
    ...others,
    ...dropped.parted.map(parted => foreignKeyChange("drop part", parted)),
    ...dropped.tables.toReversed().map(table => ({ kind: "drop table", table }) as const),
    ...added.tables.map(table => ({ kind: "add table", table }) as const),
    ...added.parted.map(parted => foreignKeyChange("add part", parted)),
  ];
  return all
    .map((change, at) => ({ change, at, rank: rankOf(change) }))
    .sort((a, b) => a.rank - b.rank || a.at - b.at)
    .map(({ change }) => change);
}

const DROP_PART: Record<PartKind, number> = { "foreign key": 0, check: 1, index: 2, unique: 3, key: 4 };
const ADD_PART: Record<PartKind, number> = { key: 15, unique: 16, check: 17, index: 18, "foreign key": 19 };

function rankOf(change: Change): number {
  switch (change.kind) {
    case "add definition":
      return isObject(change.definition) ? 21 : -1;
    case "alter definition":
      return isObject(change.after) ? 21 : 9;
    case "drop definition":
      return isObject(change.definition) ? -2 : 20;
    case "drop part":
      return DROP_PART[change.what];
    case "drop table":
      return 5;
    case "drop column":
      return 6;
    case "rename table":
      return 7;
    case "rename column":
      return 8;
    case "rename part":
      return 9;
    case "alter table":
      return 10;
    case "alter column":
      return 11;
    case "add table":
      return 12;
    case "add column":
      return 13;
    case "alter part":
      return 14;
    case "add part":
      return ADD_PART[change.what];
    default:
      return change satisfies never;
  }
}

interface Parted {
  readonly table: string;
  readonly foreignKey: ForeignKey;
}

function foreignKeyChange(kind: "add part" | "drop part", { table, foreignKey }: Parted): Change {
  return { kind, table, what: "foreign key", value: foreignKey };
}

/** Referred tables first; a reference that closes a circle is taken out of its table. */
function partCircles(tables: readonly Table[]): { tables: Table[]; parted: Parted[] } {
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  const state = new Map<string, "open" | "done">();
  const sorted: Table[] = [];
  const parted: Parted[] = [];

  for (const start of byAddress.keys()) {
    // An explicit stack: a chain of references may be longer than the call stack is deep.
    const stack: { address: string; next: number; kept: ForeignKey[] }[] = [];
    const open = (address: string) => {
      state.set(address, "open");
      stack.push({ address, next: 0, kept: [] });
    };
    if (!state.has(start)) open(start);
    while (stack.length > 0) {
      const top = stack.at(-1)!;
      const table = byAddress.get(top.address)!;
      const foreignKey = table.foreignKeys[top.next];
      if (!foreignKey) {
        stack.pop();
        state.set(top.address, "done");
        sorted.push(
          top.kept.length === table.foreignKeys.length ? table : { ...table, foreignKeys: top.kept },
        );
        continue;
      }
      const target = foreignKey.references.table;
      if (target !== top.address && byAddress.has(target) && !state.has(target)) {
        open(target);
        continue;
      }
      top.next += 1;
      if (target !== top.address && state.get(target) === "open")
        parted.push({ table: top.address, foreignKey });
      else top.kept.push(foreignKey);
    }
  }
  return { tables: sorted, parted };
}
