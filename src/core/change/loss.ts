import { addressOf } from "../schema/address.js";
import { namesThrough } from "./names.js";
import type { Change } from "./types.js";
import type { Widens } from "./widening.js";

/**
 * What a change takes away from a database that has rows. This is the one place that says so: risks, headings of
 * scripts, questions before a run, what the attic keeps and what rehearsal excuses are all readings of it.
 */
export type Loss =
  | { readonly kind: "table" }
  | { readonly kind: "column" }
  /** Something else stands afterwards where a value stood. */
  | { readonly kind: "values"; readonly by: Replacement };

/**
 * Why other values stand in a column. "computed": it is worked out from now on. "conversion": the developer said how.
 * "type": the engine turns them into another type, in which they might not come out as they went in. "fill": only null
 * becomes something.
 */
export type Replacement = "computed" | "conversion" | "type" | "fill";

/** What one change takes away; undefined: nothing that could not be worked out again. */
export function lossOf(change: Change, widens: Widens): Loss | undefined {
  switch (change.kind) {
    case "drop table":
      return { kind: "table" };
    case "drop column":
      return change.column.computed ? undefined : { kind: "column" };
    case "alter column": {
      const by = replacementOf(change, widens);
      return by && { kind: "values", by };
    }
    case "add table":
    case "add column":
    case "rename table":
    case "rename column":
    case "rename part":
    case "alter table":
    case "add part":
    case "drop part":
    case "alter part":
    case "add definition":
    case "drop definition":
    case "alter definition":
      return undefined;
    default:
      return change satisfies never;
  }
}

/** Whether something counts no longer, or not in the same way, after a change: the rows do not tell how far it had come. */
export function stopsCounting(change: Change): boolean {
  if (change.kind === "drop definition") return change.definition.kind === "sequence";
  return (
    change.kind === "alter column" &&
    change.before.identity !== undefined &&
    change.before.identity !== change.after.identity
  );
}

function replacementOf(
  { before, after, fill, convert }: Extract<Change, { readonly kind: "alter column" }>,
  widens: Widens,
): Replacement | undefined {
  if (before.computed) return undefined;
  if (after.computed) return "computed";
  if (convert !== undefined) return "conversion";
  if (!widens(before.type, after.type)) return "type";
  return fill !== undefined && before.nullable && !after.nullable ? "fill" : undefined;
}

/** A loss with the thing it befalls: `shelves`, `glazes.notes`, by the names before all changes. */
interface NamedLoss {
  readonly change: Change;
  readonly loss: Loss;
  readonly thing: string;
}

/** All that some changes, made together, take away. */
export function lossesOf(changes: readonly Change[], widens: Widens): NamedLoss[] {
  const names = namesThrough(changes);
  return changes.flatMap((change): NamedLoss[] => {
    const loss = lossOf(change, widens);
    return loss ? [{ change, loss, thing: thingOf(change, names.before) }] : [];
  });
}

/** What goes is called as before all changes, what stays as after them. */
function thingOf(change: Change, before: (table: string, column?: string) => string): string {
  switch (change.kind) {
    case "drop table":
      return addressOf(change.table);
    case "drop column":
      return `${change.table}.${change.column.name}`;
    case "alter column":
      return `${before(change.table)}.${before(change.table, change.after.name)}`;
    default:
      return "";
  }
}

/**
 * Tables and columns, by the names after the changes, that hold what the changes put there: made a second time, random
 * keys and moments differ.
 */
export function madeBy(changes: readonly Change[]): string[] {
  return changes.flatMap((change): string[] => {
    if (change.kind === "add table") return [addressOf(change.table)];
    if (change.kind === "add column") return [`${change.table}.${change.column.name}`];
    return change.kind === "alter column" && (change.fill !== undefined || change.convert !== undefined)
      ? [`${change.table}.${change.after.name}`]
      : [];
  });
}
