import { holdsAll, type TypeWords } from "../../change/widening.js";
import { addressOf, parseAddress, quoteAddress } from "../../schema/address.js";
import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType, Definition } from "../../schema/types.js";
import type { DefinedType } from "../shared/dialect.js";
import { typeWords } from "../shared/type-words.js";
import { quote } from "./names.js";

export const NAME = "postgres";

/** A type as scripts and `describe` show it: the short spelling of https://www.postgresql.org/docs/15/datatype.html */
export function typeSql(type: DataType): string {
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
  return type && typeSql(type) === text ? type : { kind: "native", sql: { [NAME]: text } };
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

const WORDS: Readonly<Record<string, string>> = {
  int: "integer",
  int2: "smallint",
  int4: "integer",
  int8: "bigint",
  float4: "real",
  float8: "double",
  bool: "boolean",
  numeric: "decimal",
  "character varying": "varchar",
  "double precision": "double",
};

/** A type in portable words: https://www.postgresql.org/docs/15/datatype.html */
export function words(text: string): TypeWords {
  return typeWords(text, WORDS);
}

/** Whether the second type holds every value of the first, as its engine stores them. */
export function widens(before: string, after: string): boolean {
  return before === after || holdsAll(words(before), words(after));
}

/** The text of a settled column's type. */
export function typeOf({ type }: Pick<Column, "type">): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "text") : "text";
}

/** `[]` for each dimension where a column is of a type that some definitions make; undefined elsewhere. */
export function dimensionsOver(column: Column, definitions: readonly Definition[]): string | undefined {
  const [, base = "", dimensions = ""] = /^(.*?)((?:\[\])*)$/.exec(typeOf(column)) ?? [];
  const isOne = definitions.some(each =>
    [shownName(addressOf(each)), quoteAddress(addressOf(each), quote)].includes(base),
  );
  return isOne ? dimensions : undefined;
}

/** How values of a type made by definitions are asked for, an array's each. */
export function definedType(column: Column, definitions: readonly Definition[]): DefinedType | undefined {
  const dimensions = dimensionsOver(column, definitions);
  if (dimensions === undefined) return undefined;
  return {
    asText: value => `CAST(${value} AS text)`,
    holdsOneOf: (value, literals) =>
      dimensions === ""
        ? `CAST(${value} AS text) IN (${literals.join(", ")})`
        : `CAST(${value} AS text${dimensions}) && ARRAY[${literals.join(", ")}]`,
  };
}

/** As format_type writes it: quoted only where it must be. */
function shownName(address: string): string {
  const { namespace, name } = parseAddress(address);
  const plain = (word: string) => (/^[a-z_][a-z0-9_$]*$/.test(word) ? word : quote(word));
  return namespace === undefined ? plain(name) : `${plain(namespace)}.${plain(name)}`;
}
