import { columnsOfRule } from "./rules.js";
import { placeholdersInSqlText } from "../sql/placeholders.js";
import { handlePart } from "./types.js";
import type { Column, Index, IndexPart, PartHandlers, PartKind, Parts, Table, Unique } from "./types.js";

/** The columns of its own table that a part is about. */
export function columnsOfPart(kind: PartKind, part: Parts[PartKind]): readonly string[] {
  return handlePart(kind, part, COLUMNS);
}

const COLUMNS: PartHandlers<readonly string[]> = {
  key: columnsOfKeyed,
  unique: columnsOfKeyed,
  index: ({ parts, where, include = [] }) => {
    const own = parts.flatMap(each => ("column" in each ? [each.column] : placeholdersInSqlText(each.sql)));
    return [...new Set([...own, ...(where === undefined ? [] : placeholdersInSqlText(where)), ...include])];
  },
  "foreign key": ({ columns }) => columns,
  check: ({ rules }) => [...new Set(rules.flatMap(columnsOfRule))],
};

function columnsOfKeyed({ columns, include = [] }: Unique): readonly string[] {
  return include.length > 0 ? [...columns, ...include] : columns;
}

/** The columns a computed column is made of. */
export function columnsOfComputed(column: Column): readonly string[] {
  return column.computed ? placeholdersInSqlText(column.computed.sql) : [];
}

/** The lists of columns that an index of a table begins with: of its key, unique constraints and whole indexes. */
export function leadingLists(table: Table): (readonly string[])[] {
  return [
    ...(table.key ? [table.key.columns] : []),
    ...table.uniques.map(({ columns }) => columns),
    ...table.indexes
      .filter(({ where, method }) => where === undefined && method === undefined)
      .map(wholeColumns),
  ];
}

/** The columns an index begins with, up to one of which it holds a part only, or an expression. */
function wholeColumns({ parts }: Index): string[] {
  const end = parts.findIndex(part => !("column" in part) || part.length !== undefined);
  return parts
    .slice(0, end < 0 ? parts.length : end)
    .flatMap(part => ("column" in part ? [part.column] : []));
}

/** Whether one of some lists of columns begins with these, so that what looks for them is served by it. */
export function isServed(columns: readonly string[], lists: readonly (readonly string[])[]): boolean {
  return lists.some(list => columns.every((column, at) => list[at] === column));
}

/** The lists of columns that no two rows of a table share, by its key, a constraint or an index over all rows. */
export function uniqueLists({ key, uniques, indexes, columns }: Table): (readonly string[])[] {
  const required = new Set(columns.flatMap(({ name, nullable }) => (nullable ? [] : [name])));
  const whole = indexes.filter(
    ({ unique, where, method, parts }) =>
      unique && where === undefined && method === undefined && parts.every(isWholeColumn),
  );
  return [
    ...(key ? [key.columns] : []),
    ...[...uniques.map(unique => unique.columns), ...whole.map(wholeColumns)].filter(list =>
      list.every(name => required.has(name)),
    ),
  ];
}

function isWholeColumn(part: IndexPart): boolean {
  return "column" in part && part.length === undefined;
}
