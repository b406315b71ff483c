import type { Default, SqlText } from "../schema/types.js";
import { fillKey, type Conversion, type DiffHints } from "./diff.js";
import { renameInSql } from "./rename.js";
import type { Change } from "./types.js";

type RenameColumn = Extract<Change, { readonly kind: "rename column" }>;

/** What a list of changes says beyond the schemas before and after it; always all of it, where DiffHints may lack some. */
export interface Hints {
  readonly tables: Map<string, string>;
  readonly columns: Map<string, Map<string, string>>;
  readonly fills: Map<string, Default>;
  readonly conversions: Map<string, Conversion>;
}

/** What a list of changes says beyond the schemas before and after it: renames, fills, conversions. */
export function hintsOf(changes: readonly Change[]): Hints {
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
      renameInConversions(hints, change);
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

/** What values are made of is called otherwise from now on. */
function renameInConversions({ conversions }: Hints, { table, from, to }: RenameColumn): void {
  const names = {
    table: (address: string) => address,
    column: (_: string, name: string) => (name === from ? to : name),
  };
  const start = fillKey(table, "");
  for (const [key, said] of conversions)
    if (key.startsWith(start))
      conversions.set(
        key,
        mapConversion(said, sql => renameInSql(sql, table, names)),
      );
}

/** The same change made to both directions; undefined: nothing is said of one. */
export function mapConversion(
  { convert, convertBack }: Conversion,
  change: (sql: SqlText) => SqlText | undefined,
): Conversion {
  const [there, back] = [convert, convertBack].map(sql => (sql === undefined ? undefined : change(sql)));
  return {
    ...(there !== undefined && { convert: there }),
    ...(back !== undefined && { convertBack: back }),
  };
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

/** Two that are said of the same way; the second is right where they differ. */
export function joinHints(first: Hints, second: DiffHints): Hints {
  const columns = new Map(first.columns);
  for (const [table, names] of second.columns ?? [])
    columns.set(table, new Map([...(columns.get(table) ?? []), ...names]));
  return {
    tables: new Map([...first.tables, ...(second.tables ?? [])]),
    columns,
    fills: new Map([...first.fills, ...(second.fills ?? [])]),
    conversions: new Map([...first.conversions, ...(second.conversions ?? [])]),
  };
}
