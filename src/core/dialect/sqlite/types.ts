import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType } from "../../schema/types.js";

export const NAME = "sqlite";

/**
 * The declared type of a column. SQLite goes by a type's words (https://sqlite.org/datatype3.html#affname), so the
 * portable words stay readable there, but for json: "json" alone would have NUMERIC affinity and turn the text
 * `1.0` into a number; "json text" has TEXT affinity.
 */
export function typeText(type: DataType, column: Pick<Column, "identity">): string {
  // Only a column declared exactly INTEGER can count up: https://sqlite.org/autoinc.html
  if (column.identity && type.kind !== "native") return "integer";
  switch (type.kind) {
    case "native":
      return type.sql[NAME] ?? "";
    case "char":
    case "varchar":
      return `${type.kind}(${type.length})`;
    case "decimal":
      return `decimal(${type.precision},${type.scale})`;
    case "json":
      return "json text";
    case "bytes":
      return "blob";
    default:
      return type.kind;
  }
}

/** The portable type that a declared type settles from; native when there is none. */
export function raiseType(text: string): DataType {
  const word = text === "json text" ? "json" : text === "blob" ? "bytes" : text;
  const type = parseDataType(word);
  return type && typeText(type, {}) === text ? type : { kind: "native", sql: { [NAME]: text } };
}
