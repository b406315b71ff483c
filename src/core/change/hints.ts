import type { Default, SqlText } from "../schema/types.js";
import { fillKey, type Conversion, type DiffHints } from "./diff.js";
import { namesThrough } from "./names.js";
import { renameInSql } from "./rename.js";
import type { AlterColumn, Change } from "./types.js";

/** What a list of changes says beyond the schemas before and after it; always all of it, where DiffHints may lack some. */
export type Hints = Required<Omit<DiffHints, "positions">>;

/** What a list of changes says beyond the schemas before and after it: renames, fills, conversions. */
export function hintsOf(changes: readonly Change[]): Hints {
  const { tables, columns } = namesThrough(changes);
  const fills = new Map<string, Default>();
  const conversions = new Map<string, Conversion>();
  for (const [at, change] of changes.entries()) {
    if (change.kind !== "add column" && change.kind !== "alter column") continue;
    const { table } = change;
    const { name } = change.kind === "add column" ? change.column : change.after;
    const said = change.kind === "add column" ? {} : conversionOf(change);
    if (!change.fill && Object.keys(said).length === 0) continue;
    // What was said of a thing before it was renamed holds for it under its new name.
    const rest = namesThrough(changes.slice(at + 1));
    const key = fillKey(rest.after(table), rest.after(table, name));
    if (change.fill) fills.set(key, change.fill);
    if (Object.keys(said).length > 0)
      conversions.set(
        key,
        mapConversion(said, sql => renameInSql(sql, table, rest.map)),
      );
  }
  return { tables, columns, fills, conversions };
}

function conversionOf({ convert, convertBack }: AlterColumn): Conversion {
  return {
    ...(convert !== undefined && { convert }),
    ...(convertBack !== undefined && { convertBack }),
  };
}

/** The same change made to both directions; undefined: nothing is said of one. */
export function mapConversion(
  { convert, convertBack }: { readonly [K in keyof Conversion]: Conversion[K] | undefined },
  change: (sql: SqlText) => SqlText | undefined,
): Conversion {
  const [there, back] = [convert, convertBack].map(sql => (sql === undefined ? undefined : change(sql)));
  return {
    ...(there !== undefined && { convert: there }),
    ...(back !== undefined && { convertBack: back }),
  };
}

/** Two that are said of the same way; the second is right where they differ. */
export function joinHints(first: DiffHints, second: DiffHints): Hints {
  const columns = new Map(first.columns);
  for (const [table, names] of second.columns ?? [])
    columns.set(table, joinRenames(columns.get(table) ?? new Map<string, string>(), names));
  return {
    tables: joinRenames(
      first.tables ?? new Map<string, string>(),
      second.tables ?? new Map<string, string>(),
    ),
    columns,
    fills: new Map([...(first.fills ?? []), ...(second.fills ?? [])]),
    conversions: new Map([...(first.conversions ?? []), ...(second.conversions ?? [])]),
  };
}

/** No two things come to one name. */
function joinRenames(
  first: ReadonlyMap<string, string>,
  second: ReadonlyMap<string, string>,
): Map<string, string> {
  const taken = new Set(second.values());
  return new Map([...[...first].filter(([, to]) => !taken.has(to)), ...second]);
}
