import { columnsOfRule } from "./rules.js";
import { placeholdersInSqlText } from "../sql/placeholders.js";
import type { Check, Column, ForeignKey, Index, PartKind, Parts, Table } from "./types.js";

/** The columns of its own table that a part is about. */
export function columnsOfPart(kind: PartKind, part: Parts[PartKind]): readonly string[] {
  switch (kind) {
    case "key":
    case "unique": {
      const { columns, include = [] } = part as Parts["key"];
      return include.length > 0 ? [...columns, ...include] : columns;
    }
    case "foreign key":
      return (part as ForeignKey).columns;
    case "index": {
      const index = part as Index;
      const parts = index.parts.flatMap(each =>
        "column" in each ? [each.column] : placeholdersInSqlText(each.sql),
      );
      const where = index.where === undefined ? [] : placeholdersInSqlText(index.where);
      return [...new Set([...parts, ...where, ...(index.include ?? [])])];
    }
    case "check":
      return [...new Set((part as Check).rules.flatMap(columnsOfRule))];
    default:
      return kind satisfies never;
  }
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

/** The lists of columns that no two rows of a table share. */
export function uniqueLists({ key, uniques, columns }: Table): (readonly string[])[] {
  const required = new Set(columns.flatMap(({ name, nullable }) => (nullable ? [] : [name])));
  return [
    ...(key ? [key.columns] : []),
    ...uniques.map(unique => unique.columns).filter(list => list.every(name => required.has(name))),
  ];
}
