import { apply } from "../change/apply.js";
import { columnsOfChange } from "../change/columns-of.js";
import { diff } from "../change/diff.js";
import { isOfDefinition, tableOf, type Change } from "../change/types.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { partKey, sameSchema, stable } from "../schema/canonical.js";
import { columnsOfPart } from "../schema/lookups.js";
import type { Schema } from "../schema/types.js";
import type { Dialect } from "./shared/dialect.js";

interface Saying {
  readonly dialect: Dialect;
  /** What came, of which classes say more than the database does. */
  readonly came: readonly Change[];
  /** The schema of the classes that were written for it. */
  readonly said: Schema;
}

/**
 * A schema taken in from a database, with what classes say of the things that came wherever it settles to the same: a
 * rule that a type holds by itself, such as `max length 20` beside varchar(20), cannot be read from a database.
 */
export function asSaid(schema: Schema, { dialect, came, said }: Saying): Schema {
  const isNew = newThings(came);
  const settled = (one: Schema, address: string): Schema => {
    const table = tablesByAddress(one).get(address);
    return dialect.types.settle({ tables: table ? [table] : [] });
  };
  const byTable = new Map<string, Change[]>();
  for (const change of diff(schema, said)) {
    const table = tableOf(change);
    if (table !== undefined && isNew(table, change))
      byTable.set(table, [...(byTable.get(table) ?? []), change]);
  }
  let so = schema;
  for (const [table, changes] of byTable)
    // Together first: what has no name is said anew by a drop and an add.
    for (const some of [changes, ...changes.map(change => [change])]) {
      const next = apply(so, some);
      if (!sameSchema(settled(so, table), settled(next, table))) continue;
      so = next;
      if (some === changes) break;
    }
  return so;
}

/** Whether a change speaks of nothing but what came. */
function newThings(came: readonly Change[]): (table: string, change: Change) => boolean {
  const things = new Set(came.flatMap(thingsThatCame));
  return (table, change) => {
    if (isOfDefinition(change) || change.kind === "add table" || change.kind === "drop table") return false;
    if (things.has(stable([table])) || things.has(stable([table, partBefore(change)]))) return true;
    const columns =
      change.kind === "drop part" ? columnsOfPart(change.what, change.value) : columnsOfChange(change);
    return columns.length > 0 && columns.every(name => things.has(stable([table, name])));
  };
}

/** `["pieces"]` of a table, `["pieces", "title"]` of a column, and a part with all that it says. */
function thingsThatCame(change: Change): string[] {
  switch (change.kind) {
    case "add table":
      return [stable([addressOf(change.table)])];
    case "add column":
      return [stable([change.table, change.column.name])];
    case "alter column":
      return [stable([change.table, change.after.name])];
    case "add part":
      return [stable([change.table, partKey(change.what, change.value)])];
    case "alter part":
      return [stable([change.table, partKey(change.what, change.after)])];
    default:
      return [];
  }
}

function partBefore(change: Change): string | undefined {
  if (change.kind === "drop part") return partKey(change.what, change.value);
  return change.kind === "alter part" ? partKey(change.what, change.before) : undefined;
}
