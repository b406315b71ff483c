import { apply } from "../change/apply.js";
import { diff, fillKey } from "../change/diff.js";
import type { Change } from "../change/types.js";
import type { Default, Schema } from "../schema/types.js";
import type { Block, Dialect, RenderPlan } from "./dialect.js";

/**
 * What a list of portable changes means to one dialect: its own schemas before and after, and the changes between
 * them. A change that makes no difference there (a note on SQLite) falls away.
 * @throws MisfitChange when the changes do not fit the schema
 */
export function planFor(dialect: Dialect, before: Schema, changes: readonly Change[]): RenderPlan {
  const after = apply(before, changes);
  const [from, to] = [dialect.settle(before), dialect.settle(after)];
  return { before: from, after: to, changes: diff(from, to, { ...hintsOf(changes), places: true }) };
}

/** The statements of a list of portable changes. */
export function renderFor(dialect: Dialect, before: Schema, changes: readonly Change[]): Block[] {
  return dialect.render(planFor(dialect, before, changes));
}

interface Hints {
  readonly tables: Map<string, string>;
  readonly columns: Map<string, Map<string, string>>;
  readonly fills: Map<string, Default>;
}

/** The renames and fills that a list of changes holds, from its start to its end. */
function hintsOf(changes: readonly Change[]): Hints {
  const hints: Hints = { tables: new Map(), columns: new Map(), fills: new Map() };
  for (const change of changes) {
    if (change.kind === "rename table") {
      follow(hints.tables, change.from, change.to);
      moveTable(hints, change.from, change.to);
    }
    if (change.kind === "rename column") {
      const columns = hints.columns.get(change.table) ?? new Map<string, string>();
      follow(columns, change.from, change.to);
      hints.columns.set(change.table, columns);
    }
    if (change.kind === "add column" && change.fill) {
      hints.fills.set(fillKey(change.table, change.column.name), change.fill);
    }
    if (change.kind === "alter column" && change.fill) {
      hints.fills.set(fillKey(change.table, change.after.name), change.fill);
    }
  }
  return hints;
}

/** What was said of a table's columns before it was renamed holds for it under its new name. */
function moveTable({ columns, fills }: Hints, from: string, to: string): void {
  const renamed = columns.get(from);
  columns.delete(from);
  if (renamed) columns.set(to, renamed);
  for (const [key, fill] of [...fills]) {
    if (!key.startsWith(fillKey(from, ""))) continue;
    fills.delete(key);
    fills.set(fillKey(to, key.slice(fillKey(from, "").length)), fill);
  }
}

/** `a → between`, then `between → b`, is `a → b`. */
function follow(renames: Map<string, string>, from: string, to: string): void {
  const start = [...renames].find(([, now]) => now === from)?.[0] ?? from;
  renames.set(start, to);
}
