/** What a table's rows hold, column by column and row by row, order aside. */
export interface RowPrint {
  readonly rows: number;
  readonly whole: string;
  readonly columns: ReadonlyMap<string, string>;
}

/** How rows differ from what they were. */
export interface RowDifferences {
  /** What nothing excuses. */
  readonly rows: readonly string[];
  /** What could not be otherwise. */
  readonly dropped: readonly string[];
}

/**
 * Holds the rows of some tables against what they were.
 * @param excuses tables and columns, `shelves`, `glazes.notes`, whose values may differ
 */
export function compareRows(
  before: ReadonlyMap<string, RowPrint>,
  after: ReadonlyMap<string, RowPrint>,
  excuses: Iterable<string>,
): RowDifferences {
  const excused = new Set(excuses);
  const found = [...before].map(([address, was]) => compareTable(address, was, after.get(address), excused));
  return {
    rows: found.flatMap(({ rows }) => rows),
    dropped: found.flatMap(({ dropped }) => dropped),
  };
}

const ALIKE: RowDifferences = { rows: [], dropped: [] };

function compareTable(
  address: string,
  was: RowPrint,
  now: RowPrint | undefined,
  excused: ReadonlySet<string>,
): RowDifferences {
  if (!now || now.whole === was.whole) return ALIKE;
  if (excused.has(address)) return { rows: [], dropped: [`${address} (${was.rows} rows)`] };
  if (now.rows !== was.rows)
    return { rows: [`${address}: ${was.rows} rows before, ${now.rows} after`], dropped: [] };
  const changed = [...was.columns].flatMap(([name, print]) =>
    now.columns.get(name) === print ? [] : [name],
  );
  const unexcused = changed.filter(name => !excused.has(`${address}.${name}`));
  if (changed.length > 0 && unexcused.length === 0)
    return { rows: [], dropped: changed.map(name => `${address}.${name}`) };
  const which = unexcused.length > 0 ? unexcused.join(", ") : "values stand in other rows";
  return { rows: [`${address}: ${which}`], dropped: [] };
}
