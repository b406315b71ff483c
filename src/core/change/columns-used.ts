import { columnsOfRule } from "../schema/rules.js";
import { placesInSqlText } from "../schema/sql-text.js";
import type { Check, Column, ForeignKey, Index, PartKind, Parts } from "../schema/types.js";

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
        "column" in each ? [each.column] : placesInSqlText(each.sql),
      );
      const where = index.where === undefined ? [] : placesInSqlText(index.where);
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
  return column.computed ? placesInSqlText(column.computed.sql) : [];
}
