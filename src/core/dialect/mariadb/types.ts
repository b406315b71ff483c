import { holdsAll, INTEGERS, type TypeWords } from "../../change/widening.js";
import { keysOf } from "../../lists.js";
import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType, PlainTypeName } from "../../schema/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import { typeWords } from "../shared/type-words.js";

export const NAME = "mariadb";

/** Plain types as information_schema spells them: https://mariadb.com/kb/en/data-types/ */
const PLAIN: Readonly<Record<PlainTypeName, string>> = {
  boolean: "tinyint(1)",
  smallint: "smallint(6)",
  integer: "int(11)",
  bigint: "bigint(20)",
  real: "float",
  double: "double",
  text: "longtext",
  date: "date",
  time: "time",
  timestamp: "datetime(6)",
  // Kept in UTC and shown in the session's zone, as a moment is; from 1970 to 2038.
  timestamptz: "timestamp(6)",
  uuid: "uuid",
  // The alias json would be read back as longtext with a check of the server's own.
  json: "longtext",
  bytes: "longblob",
};

/** A type as the catalog spells it. */
export function typeSql(type: DataType): string {
  switch (type.kind) {
    case "native":
      return type.sql[NAME] ?? "longtext";
    case "char":
    case "varchar":
      return `${type.kind}(${type.length})`;
    case "decimal":
      return `decimal(${type.precision},${type.scale})`;
    default:
      return PLAIN[type.kind];
  }
}

/** The portable type that a native one settles from; native when there is none. */
export function raiseType(text: string): DataType {
  const plain = keysOf(PLAIN).find(kind => PLAIN[kind] === text);
  if (plain) return { kind: plain };
  const type = parseDataType(text);
  return type && typeSql(type) === text ? type : { kind: "native", sql: { [NAME]: text } };
}

/** Texts and bytes of any length, of which an index holds only the beginning. */
export function isUnbounded(type: DataType): boolean {
  return UNBOUNDED.test(parseNativeType(typeSql(type)).name);
}

const UNBOUNDED = /^(?:tiny|medium|long)?(?:text|blob)\b/;

const WORDS: Readonly<Record<string, string>> = {
  int: "integer",
  numeric: "decimal",
  "character varying": "varchar",
  "double precision": "double",
  float: "real",
  longtext: "text",
};

/** A type in portable words: https://mariadb.com/kb/en/data-types/ */
export function words(text: string): TypeWords {
  const found = typeWords(text, WORDS);
  // int(11) says how wide it is shown, and is no other type.
  return INTEGERS.includes(found.name) ? { name: found.name, numbers: [] } : found;
}

/** Whether the second type holds every value of the first, as its engine stores them. */
export function widens(before: string, after: string): boolean {
  return before === after || holdsAll(words(before), words(after));
}

/** The text of a settled column's type. */
export function typeOf({ type }: Pick<Column, "type">): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "longtext") : "longtext";
}

/** Whether a column holds texts, which are compared by a collation. */
export function isTextual(column: Pick<Column, "type">): boolean {
  return /^(?:char|varchar|(?:tiny|medium|long)?text|enum|set)\b/.test(typeOf(column));
}
