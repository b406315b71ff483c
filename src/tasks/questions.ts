import { diff, fillKey, type DiffHints } from "../core/change/diff.js";
import { gapsOf, type Gap } from "../core/change/gaps.js";
import { likelyRenames, type Likeness } from "../core/change/likeness.js";
import type { Default, Schema } from "../core/schema/types.js";

/** What only the developer knows. */
export interface Questions {
  /** Whether what goes and what comes are one and the same. */
  readonly isRename: (likeness: Likeness) => Promise<boolean>;
  /** What rows that exist get; undefined: nothing, there are no such rows. */
  readonly fill: (gap: Gap) => Promise<Default | undefined>;
}

/** The hints with what the developer answers: tables first, since columns are told only where the table is known. */
export async function askAll(
  hints: DiffHints,
  from: Schema,
  to: Schema,
  { isRename, fill }: Questions,
): Promise<DiffHints> {
  const tables = new Map(hints.tables);
  const columns = new Map([...(hints.columns ?? [])].map(([table, names]) => [table, new Map(names)]));
  const fills = new Map(hints.fills);
  const known = { ...hints, tables, columns, fills };
  const likely = (what: Likeness["what"]) =>
    likelyRenames(diff(from, to, known)).filter(each => each.what === what);
  for (const likeness of likely("table"))
    if (await isRename(likeness)) tables.set(likeness.from, likeness.to);
  for (const likeness of likely("column")) {
    if (!(await isRename(likeness))) continue;
    const table = likeness.table!;
    const columnIn = (path: string) => path.slice(table.length + 1);
    const renamed = columns.get(table) ?? new Map<string, string>();
    columns.set(table, renamed.set(columnIn(likeness.from), columnIn(likeness.to)));
  }
  for (const gap of gapsOf(diff(from, to, known))) {
    const value = await fill(gap);
    if (value) fills.set(fillKey(gap.table, gap.column.name), value);
  }
  return known;
}
