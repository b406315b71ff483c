import { placesInSqlText } from "../schema/sql-text.js";
import type { Check, Column, ForeignKey, Index, PartKind, Parts } from "../schema/types.js";

/** The columns of its own table that a part is about. */
export function columnsOfPart(kind: PartKind, part: Parts[PartKind]): readonly string[] {
  switch (kind) {
    case "key":
    case "unique":
    case "foreign key":
      return (part as Parts["key"] | ForeignKey).columns;
    case "index": {
      const index = part as Index;
      const parts = index.parts.flatMap(each =>
        "column" in each ? [each.column] : placesInSqlText(each.sql),
      );
      return [...new Set([...parts, ...(index.where === undefined ? [] : placesInSqlText(index.where))])];
    }
    case "check": {
      const rules = (part as Check).rules;
      return [
        ...new Set(rules.flatMap(rule => (rule.kind === "sql" ? placesInSqlText(rule.sql) : [rule.column]))),
      ];
    }
    default:
      return kind satisfies never;
  }
}

/** The columns a computed column is made of. */
export function columnsOfComputed(column: Column): readonly string[] {
  return column.computed ? placesInSqlText(column.computed.sql) : [];
}
