import { apply } from "../change/apply.js";
import { diff, fillKey, type Conversion } from "../change/diff.js";
import { invert } from "../change/invert.js";
import type { AlterColumn, Change } from "../change/types.js";
import type { Direction } from "../direction.js";
import { addressOf } from "../schema/address.js";
import type { Default, Schema } from "../schema/types.js";
import { keptBy } from "./attic.js";
import type { Block, Dialect, RenderPlan } from "./dialect.js";

/** A migration that keeps what it takes away: its number as it is shown, and the way it is run. */
export interface Keeping {
  readonly number: string;
  readonly direction: Direction;
}

/**
 * What a list of portable changes means to one dialect: its own schemas before and after, and the changes between
 * them. A change that makes no difference there (a note on SQLite) falls away.
 * @throws MisfitChange when the changes do not fit the schema
 */
export function planFor(
  dialect: Dialect,
  before: Schema,
  changes: readonly Change[],
  keeping?: Keeping,
): RenderPlan {
  const after = apply(before, changes);
  const [from, to] = [dialect.settle(before), dialect.settle(after)];
  const hints = hintsOf(changes);
  const found = diff(from, to, { ...hints, places: true });
  const plan = { before: from, after: to, changes: [...found, ...conversionsOnly(found, hints, to)] };
  if (!keeping) return plan;
  const { number, direction } = keeping;
  const forward = direction === "forward" ? plan : planFor(dialect, after, invert(changes));
  const kept = keptBy(forward, dialect, number);
  return kept.length > 0 ? { ...plan, attic: { direction, kept } } : plan;
}

/** The statements of a list of portable changes. */
export function renderFor(
  dialect: Dialect,
  before: Schema,
  changes: readonly Change[],
  keeping?: Keeping,
): Block[] {
  return dialect.render(planFor(dialect, before, changes, keeping));
}

/** Conversions between types that are one and the same here: the values change all the same. */
function conversionsOnly(
  found: readonly Change[],
  { conversions }: Hints,
  { tables }: Schema,
): AlterColumn[] {
  const known = new Set(
    found.flatMap(change =>
      change.kind === "alter column" ? [fillKey(change.table, change.after.name)] : [],
    ),
  );
  return tables.flatMap(table =>
    table.columns.flatMap((column): AlterColumn[] => {
      const key = fillKey(addressOf(table), column.name);
      const conversion = known.has(key) ? undefined : conversions.get(key);
      if (!conversion) return [];
      return [
        { kind: "alter column", table: addressOf(table), before: column, after: column, ...conversion },
      ];
    }),
  );
}

interface Hints {
  readonly tables: Map<string, string>;
  readonly columns: Map<string, Map<string, string>>;
  readonly fills: Map<string, Default>;
  readonly conversions: Map<string, Conversion>;
}

/** The renames and fills that a list of changes holds, from its start to its end. */
function hintsOf(changes: readonly Change[]): Hints {
  const hints: Hints = { tables: new Map(), columns: new Map(), fills: new Map(), conversions: new Map() };
  for (const change of changes) {
    if (change.kind === "rename table") {
      follow(hints.tables, change.from, change.to);
      moveTable(hints, change.from, change.to);
    }
    if (change.kind === "rename column") {
      const columns = hints.columns.get(change.table) ?? new Map<string, string>();
      follow(columns, change.from, change.to);
      hints.columns.set(change.table, columns);
      moveKey(hints, fillKey(change.table, change.from), fillKey(change.table, change.to));
    }
    if (change.kind === "add column" && change.fill) {
      hints.fills.set(fillKey(change.table, change.column.name), change.fill);
    }
    if (change.kind === "alter column") {
      const { convert, convertBack, fill } = change;
      const key = fillKey(change.table, change.after.name);
      if (fill) hints.fills.set(key, fill);
      if (convert !== undefined || convertBack !== undefined)
        hints.conversions.set(key, {
          ...(convert !== undefined && { convert }),
          ...(convertBack !== undefined && { convertBack }),
        });
    }
  }
  return hints;
}

/** What was said of a table's columns before it was renamed holds for it under its new name. */
function moveTable(hints: Hints, from: string, to: string): void {
  const { columns, fills, conversions } = hints;
  const renamed = columns.get(from);
  columns.delete(from);
  if (renamed) columns.set(to, renamed);
  const start = fillKey(from, "");
  for (const key of [...fills.keys(), ...conversions.keys()])
    if (key.startsWith(start)) moveKey(hints, key, fillKey(to, key.slice(start.length)));
}

/** What was said of a column before it was renamed, too. */
function moveKey({ fills, conversions }: Hints, from: string, to: string): void {
  for (const said of [fills, conversions] as Map<string, unknown>[]) {
    const value = said.get(from);
    if (value === undefined) continue;
    said.delete(from);
    said.set(to, value);
  }
}

/** `a → between`, then `between → b`, is `a → b`. */
function follow(renames: Map<string, string>, from: string, to: string): void {
  const start = [...renames].find(([, now]) => now === from)?.[0] ?? from;
  renames.set(start, to);
}
