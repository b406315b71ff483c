import type { TypeWords } from "../../change/widening.js";
import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType, Table } from "../../schema/types.js";
import { typeWords } from "../shared/type-words.js";

export const NAME = "sqlite";

/**
 * The declared type of a column. SQLite goes by a type's words (https://sqlite.org/datatype3.html#affname), so the
 * portable words stay readable there, but for json: "json" alone would have NUMERIC affinity and turn the text
 * `1.0` into a number; "json text" has TEXT affinity.
 */
export function typeSql(type: DataType, column: Pick<Column, "identity">): string {
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
  return type && typeSql(type, {}) === text ? type : { kind: "native", sql: { [NAME]: text } };
}

/** The words of a native type; SQLite knows no other names for its types. */
export function words(text: string): TypeWords {
  return typeWords(text, {});
}

/** A column takes any value and turns it to the affinity of its type, whatever else the type says. */
export function widens(before: string, after: string): boolean {
  return affinityOf(before) === affinityOf(after);
}

/** https://sqlite.org/datatype3.html#determination_of_column_affinity */
export function affinityOf(text: string): string {
  const type = text.toUpperCase();
  if (type.includes("INT")) return "integer";
  if (/CHAR|CLOB|TEXT/.test(type)) return "text";
  if (type.includes("BLOB") || type === "") return "blob";
  return /REAL|FLOA|DOUB/.test(type) ? "real" : "numeric";
}

/** The types of https://sqlite.org/stricttables.html */
const STRICT = ["int", "integer", "real", "text", "blob", "any"];

/** Why a strict table cannot have a column. */
export function cannotHoldColumn(column: Column, { options }: Table): string | undefined {
  const type = typeOf(column);
  if (options?.[NAME]?.["strict"] === undefined || STRICT.includes(type.toLowerCase())) return undefined;
  return `A strict table of SQLite takes ${STRICT.join(", ")}, not ${type}`;
}

/** The text of a settled column's type. */
export function typeOf({ type }: Pick<Column, "type">): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "") : "";
}
