import type { NamesThrough } from "../../../change/names.js";
import type { NameMap } from "../../../change/rename.js";
import type { AddColumn, AlterColumn, Change } from "../../../change/types.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import type { Default, SqlText, Table } from "../../../schema/types.js";
import { restoredTo } from "../../shared/attic.js";
import { keptByFilling } from "../../shared/kept-by-triggers.js";
import type { KeptBesideKey, KeptValues } from "../../shared/kept.js";
import type { RenderPlan } from "../../shared/render-plan.js";

/** A table that stays, as it was and as it is to be, and how one becomes the other. */
export interface TablePair {
  readonly was: Table;
  readonly now: Table;
  /** What it gets back from the attic. */
  readonly restored: readonly KeptBesideKey[];
  /** The names things have in the end, by those at the start. */
  readonly names: NameMap;
  /** The name a column had at the start; of one that only arrives, its own. */
  readonly oldName: (column: string) => string;
  /** Whether a column was not there at the start, though another of its name may have been. */
  readonly arrives: (column: string) => boolean;
  /** What old rows get in a column. */
  readonly fillOf: (column: string) => Default | undefined;
  /** What the attic has of a column that is filled, by what fills it. */
  readonly keptByFilling: (column: string) => KeptValues | undefined;
  /** How the old values of a column, by its name in the end, become the new ones. */
  readonly conversionOf: (column: string) => SqlText | undefined;
}

/** The tables of a plan that stay. */
export function tablePairs(plan: RenderPlan, names: NamesThrough): TablePair[] {
  const oldTables = tablesByAddress(plan.before);
  const filled = keptByFilling(plan);
  return plan.after.tables.flatMap((now): TablePair[] => {
    const address = addressOf(now);
    const was = names.arrives(address) ? undefined : oldTables.get(names.before(address));
    if (!was) return [];
    const find = (column: string) => changeOf(plan.changes, address, column);
    return [
      {
        was,
        now,
        restored: restoredTo(plan, address),
        names: names.map,
        oldName: column => names.before(address, column),
        arrives: column => names.arrives(address, column),
        fillOf: column => find(column)?.fill,
        keptByFilling: column =>
          filled.find(kept => kept.now === address && kept.change.after.name === column),
        conversionOf: column => {
          const change = find(column);
          return change?.kind === "alter column" ? change.convert : undefined;
        },
      },
    ];
  });
}

/** The change that brings or alters a column, by its name in the end. */
function changeOf(
  changes: readonly Change[],
  table: string,
  column: string,
): AddColumn | AlterColumn | undefined {
  return changes.find(
    (change): change is AddColumn | AlterColumn =>
      (change.kind === "add column" && change.table === table && change.column.name === column) ||
      (change.kind === "alter column" && change.table === table && change.after.name === column),
  );
}
