import { parseDataType } from "../../schema/data-type.js";
import type { DataType } from "../../schema/types.js";

export const NAME = "postgres";

/** A type as scripts and `describe` show it: the short spelling of https://www.postgresql.org/docs/15/datatype.html */
export function typeText(type: DataType): string {
  switch (type.kind) {
    case "native":
      return type.sql[NAME] ?? "text";
    case "char":
    case "varchar":
      return `${type.kind}(${type.length})`;
    case "decimal":
      return `numeric(${type.precision},${type.scale})`;
    case "double":
      return "double precision";
    case "json":
      return "jsonb";
    case "bytes":
      return "bytea";
    default:
      return type.kind;
  }
}

const PORTABLE: Readonly<Record<string, string>> = {
  "double precision": "double",
  jsonb: "json",
  bytea: "bytes",
};

/** The portable type that a native one settles from; native when there is none. */
export function raiseType(text: string): DataType {
  const word = PORTABLE[text] ?? text.replace(/^numeric\(/, "decimal(");
  const type = parseDataType(word);
  return type && typeText(type) === text ? type : { kind: "native", sql: { [NAME]: text } };
}

/** What format_type says, in the short spelling: `character varying(20)` → `varchar(20)`. */
export function shortType(text: string): string {
  if (!text.includes(" ") && !text.startsWith("character")) return text;
  return text
    .replace(/^character varying\b/, "varchar")
    .replace(/^character\b/, "char")
    .replace(/^timestamp(\(\d\))? with time zone/, "timestamptz$1")
    .replace(/^timestamp(\(\d\))? without time zone/, "timestamp$1")
    .replace(/^time(\(\d\))? with time zone/, "timetz$1")
    .replace(/^time(\(\d\))? without time zone/, "time$1");
}
