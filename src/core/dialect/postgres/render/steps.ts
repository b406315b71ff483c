import { namesThrough, type NamesThrough } from "../../../change/names.js";
import type { AddColumn, AlterColumn, Change } from "../../../change/types.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import type { Column, Schema, Table } from "../../../schema/types.js";
import { replacedBy, restoredTo, type AtticSyntax } from "../../shared/attic.js";
import type { KeptBesideKey, KeptValues } from "../../shared/kept.js";
import type { RenderPlan } from "../../shared/render-plan.js";
import { atticFor } from "../attic.js";
import { typeOf, widens } from "../types.js";
import { apartBeside, type Beside } from "./beside.js";
import { withLifted } from "./lift.js";
import { withSpareSequences } from "./sequences.js";

/** What the phases of a script need to know of its plan, worked out once. */
export interface Steps {
  readonly plan: RenderPlan;
  readonly changes: readonly Change[];
  /** Columns that change by way of a second one, which, and what is about them, are not among the changes. */
  readonly beside: readonly Beside[];
  readonly attic: AtticSyntax;
  readonly names: NamesThrough;
  /** A table as it was, by its address at the start. */
  readonly was: (address: string) => Table;
  /** A table as it is to be, by its address at the end. */
  readonly now: (address: string) => Table;
  readonly stamps: Stamps;
  /** Sequences that are in the way of others of their name, and the names they go by until they are dropped. */
  readonly spared: readonly (readonly [from: string, to: string])[];
  /** What tables, by their addresses at the end, get back from the attic. */
  readonly restored: ReadonlyMap<string, readonly KeptBesideKey[]>;
  /** Whether a column that arrives gets its old values from the attic. */
  readonly isRestored: (change: AddColumn) => boolean;
  /** What has the old values of a column that changes its type: they are out of the way meanwhile. */
  readonly replacing: (change: AlterColumn) => KeptValues | undefined;
}

/** What the phases of a script share, worked out once for a plan. */
export function stepsOf(given: RenderPlan): Steps {
  const { before, after } = given;
  const { beside, rest } = apartBeside(given);
  const { changes, moves } = withSpareSequences(withLifted(rest, before, after));
  const plan = { ...given, changes };
  const names = namesThrough(changes);
  const [oldTables, newTables] = [tablesByAddress(before), tablesByAddress(after)];
  const restored = restoredTables(plan);
  return {
    plan,
    changes,
    beside,
    attic: atticFor(plan),
    names,
    was: address => known(oldTables, address),
    now: address => known(newTables, address),
    stamps: stampsOf(plan),
    spared: moves,
    restored,
    isRestored: ({ table, column }) =>
      restored.get(table)?.some(({ columns }) => columns.some(({ name }) => name === column.name)) ?? false,
    replacing: change => {
      const table = known(oldTables, names.before(change.table));
      const name = names.before(change.table, change.after.name);
      return isKey(name, table, before)
        ? undefined
        : replacedBy(restored.get(change.table) ?? [], change, (from, to) =>
            widens(typeOf(from), typeOf(to)),
          );
    },
  };
}

function known(tables: ReadonlyMap<string, Table>, address: string): Table {
  const table = tables.get(address);
  if (!table) throw new Error(`no table ${address} in the plan`);
  return table;
}

function restoredTables(plan: RenderPlan): Map<string, readonly KeptBesideKey[]> {
  return new Map(
    plan.after.tables.flatMap(table => {
      const kept = restoredTo(plan, addressOf(table));
      return kept.length > 0 ? [[addressOf(table), kept] as const] : [];
    }),
  );
}

/** Whether rows are told, or referred to, by a column. */
function isKey(column: string, table: Table, { tables }: Schema): boolean {
  const address = addressOf(table);
  return (
    (table.key?.columns.includes(column) ?? false) ||
    tables.some(({ foreignKeys }) =>
      foreignKeys.some(
        ({ references }) => references.table === address && references.columns.includes(column),
      ),
    )
  );
}

interface StampOf {
  readonly table: Table;
  readonly column: Column;
}

interface Stamps {
  readonly dropped: readonly StampOf[];
  readonly added: readonly StampOf[];
}

/** Stamps hang on a table's and a column's name: a rename drops them and makes them anew. */
function stampsOf({ before, after, changes }: RenderPlan): Stamps {
  const [renamed, gone] = [new Set<string>(), new Set<string>()];
  for (const change of changes) {
    if (change.kind === "rename table") renamed.add(change.from).add(change.to);
    if (change.kind === "rename column") renamed.add(change.table);
    if (change.kind === "drop table") gone.add(addressOf(change.table));
  }
  const key = ({ table, column }: StampOf) => JSON.stringify([addressOf(table), column.name]);
  const [old, fresh] = [stampedColumns(before), stampedColumns(after)];
  const [oldKeys, freshKeys] = [new Set(old.map(key)), new Set(fresh.map(key))];
  const dropped = old.filter(each => {
    const address = addressOf(each.table);
    return gone.has(address) || renamed.has(address) || !freshKeys.has(key(each));
  });
  const added = fresh.filter(each => renamed.has(addressOf(each.table)) || !oldKeys.has(key(each)));
  return { dropped, added };
}

function stampedColumns({ tables }: Schema): StampOf[] {
  return tables.flatMap(table =>
    table.columns.flatMap(column => (column.stamp === "updated" ? [{ table, column }] : [])),
  );
}
