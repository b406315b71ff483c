import { holdsAll, type TypeWords } from "../../change/widening.js";
import { addressOf, parseAddress, quoteAddress } from "../../schema/address.js";
import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType, Definition } from "../../schema/types.js";
import type { DefinedType } from "../shared/dialect.js";
import { remembered, sizeBeyond, typeWords } from "../shared/type-words.js";
import { quote } from "./names.js";

export const NAME = "postgres";

/** A type as scripts and `describe` show it: the short spelling of https://www.postgresql.org/docs/15/datatype.html */
export function typeSql(type: DataType): string {
  switch (type.kind) {
    case "native":
      return spellType(type.sql[NAME] ?? "text");
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

/** Names of types beside the one that the server gives back. */
const SYNONYMS: Readonly<Record<string, string>> = {
  int: "integer",
  int4: "integer",
  int2: "smallint",
  int8: "bigint",
  float: "double precision",
  float4: "real",
  float8: "double precision",
  bool: "boolean",
  decimal: "numeric",
  dec: "numeric",
  "character varying": "varchar",
  "char varying": "varchar",
  "national character varying": "varchar",
  "nchar varying": "varchar",
  character: "char",
  "national character": "char",
  "national char": "char",
  nchar: "char",
  varbit: "bit varying",
};

/**
 * A type in anybody's words as the server gives it back: `INT4` is `integer`, `timestamp (3) with time zone` is
 * `timestamptz(3)`. A name that is quoted, or stands in a namespace, is left alone.
 */
export const spellType = remembered(spell);

function spell(text: string): string {
  const [, whole = text, dimensions = ""] = /^([^]*?)((?:\s*\[\d*\])*)\s*$/.exec(text) ?? [];
  // However many dimensions are said, an array is one.
  const array = dimensions === "" ? "" : "[]";
  if (/["'.]/.test(whole)) return `${whole.trim()}${array}`;
  const flat = whole
    .trim()
    .toLowerCase()
    .replace(/\s+/g, " ")
    .replace(/ ?([(),]) ?/g, "$1");
  const short = shortType(flat.replace(/(\))(?=[a-z])/, "$1 "));
  const [, name = short, sizes] = /^([a-z0-9_ ]+?)(?:\(([\d,]+)\))?$/.exec(short) ?? [];
  return `${sizedSpelling(SYNONYMS[name] ?? name, sizes, name) ?? short}${array}`;
}

/** With what the server adds to sizes, or takes for granted. */
function sizedSpelling(word: string, sizes: string | undefined, said: string): string | undefined {
  if (said === "float" && sizes !== undefined) return Number(sizes) < 25 ? "real" : "double precision";
  if ((word === "char" || word === "bit") && sizes === undefined) return `${word}(1)`;
  if (word === "bpchar" && sizes !== undefined) return `char(${sizes})`;
  if (word === "numeric" && sizes !== undefined && !sizes.includes(",")) return `numeric(${sizes},0)`;
  return sizes === undefined ? word : `${word}(${sizes})`;
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

/** https://www.postgresql.org/docs/15/datatype-character.html and datatype-numeric.html */
const MOST: Readonly<Record<string, readonly number[]>> = {
  char: [10_485_760],
  varchar: [10_485_760],
  decimal: [1000],
};

/** Why a table cannot have a column: its type says a size that there is not. */
export function cannotHoldColumn(column: Column): string | undefined {
  const beyond = sizeBeyond(words(typeOf(column)), MOST);
  return beyond && `PostgreSQL's ${beyond}, not to ${typeOf(column)}`;
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
