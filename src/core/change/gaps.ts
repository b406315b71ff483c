import type { Column } from "../schema/types.js";
import type { Change } from "./types.js";

/** A column that will be required while nothing says what rows that exist get in it. */
export interface Gap {
  /** The table's address afterwards. */
  readonly table: string;
  readonly column: Column;
  /** Whether it is new, or was there and may hold null. */
  readonly isNew: boolean;
}

/** The columns whose values in old rows are not known. Nothing is missing while their tables are empty. */
export function gapsOf(changes: readonly Change[]): Gap[] {
  return changes.flatMap((change): Gap[] => {
    if (change.kind !== "add column" && change.kind !== "alter column") return [];
    const isNew = change.kind === "add column";
    const column = isNew ? change.column : change.after;
    const { nullable, identity, computed, stamp } = column;
    if (change.fill || nullable || identity || computed || stamp) return [];
    if (isNew ? column.default !== undefined : !change.before.nullable) return [];
    return [{ table: change.table, column, isNew }];
  });
}
