import { holdsAll, INTEGERS, type TypeWords } from "../../change/widening.js";
import { keysOf } from "../../lists.js";
import { parseDataType } from "../../schema/data-type.js";
import type { Column, DataType, PlainTypeName } from "../../schema/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import { remembered, sizeBeyond, typeWords } from "../shared/type-words.js";

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
      return spellType(type.sql[NAME] ?? "longtext");
    case "char":
    case "varchar":
      return `${type.kind}(${type.length})`;
    case "decimal":
      return `decimal(${type.precision},${type.scale})`;
    default:
      return PLAIN[type.kind];
  }
}

/** Names of types beside the one that the server gives back: https://mariadb.com/kb/en/data-types/ */
const SYNONYMS: Readonly<Record<string, string>> = {
  integer: "int",
  int1: "tinyint",
  int2: "smallint",
  int3: "mediumint",
  middleint: "mediumint",
  int4: "int",
  int8: "bigint",
  dec: "decimal",
  numeric: "decimal",
  fixed: "decimal",
  float4: "float",
  float8: "double",
  real: "double",
  "double precision": "double",
  character: "char",
  "national char": "char",
  "national character": "char",
  nchar: "char",
  "character varying": "varchar",
  "char varying": "varchar",
  "national varchar": "varchar",
  "national character varying": "varchar",
  nvarchar: "varchar",
  varcharacter: "varchar",
  "char byte": "binary",
  long: "mediumtext",
  "long varchar": "mediumtext",
  "long varbinary": "mediumblob",
};

/** How wide whole numbers are shown where nobody says: with a sign, and without. */
const WIDTHS: Readonly<Record<string, readonly [number, number]>> = {
  tinyint: [4, 3],
  smallint: [6, 5],
  mediumint: [9, 8],
  int: [11, 10],
  bigint: [20, 20],
};

/** The sizes that the server adds. */
const USUAL_SIZES: Readonly<Record<string, string>> = {
  decimal: "(10,0)",
  char: "(1)",
  binary: "(1)",
  bit: "(1)",
  year: "(4)",
};

/** A type in anybody's words as information_schema spells it: `INT UNSIGNED` is `int(10) unsigned`. */
export const spellType = remembered(spell);

function spell(text: string): string {
  const { values, behind, name } = parseNativeType(text);
  if (values) {
    const list = values.map(value => `'${value.replaceAll("'", "''")}'`).join(",");
    return [`${name}(${list})`, behind].filter(Boolean).join(" ");
  }
  const flat = text
    .trim()
    .toLowerCase()
    .replace(/\s+/g, " ")
    .replace(/ ?([(),]) ?/g, "$1");
  const [, words = flat, sizes, rest = ""] =
    /^([a-z0-9_ ]+?)(?:\(([\d,]+)\))?( ?(?:(?:un)?signed| ?zerofill)*)$/.exec(flat) ?? [];
  if (/^bool(?:ean)?$/.test(words)) return "tinyint(1)";
  const word = SYNONYMS[words] ?? words;
  const zerofill = rest.includes("zerofill");
  const unsigned = zerofill || rest.includes("unsigned");
  const widths = WIDTHS[word];
  const size =
    sizes !== undefined
      ? word === "decimal" && !sizes.includes(",")
        ? `(${sizes},0)`
        : /^(?:datetime|timestamp|time)$/.test(word) && sizes === "0"
          ? ""
          : `(${sizes})`
      : widths
        ? `(${unsigned ? widths[1] : widths[0]})`
        : (USUAL_SIZES[word] ?? "");
  return [`${word}${size}`, unsigned && "unsigned", zerofill && "zerofill"].filter(Boolean).join(" ");
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

/** https://mariadb.com/kb/en/char/, varchar (of one byte a character: how many a character has, its table says) and decimal. */
const MOST: Readonly<Record<string, readonly number[]>> = {
  char: [255],
  varchar: [65_532],
  decimal: [65, 38],
};

/** Why a table cannot have a column: its type says a size that there is not. */
export function cannotHoldColumn(column: Column): string | undefined {
  const beyond = sizeBeyond(words(typeOf(column)), MOST);
  return beyond && `MariaDB's ${beyond}, not to ${typeOf(column)}`;
}

/** The text of a settled column's type. */
export function typeOf({ type }: Pick<Column, "type">): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "longtext") : "longtext";
}

/** Whether a column holds texts, which are compared by a collation. */
export function isTextual(column: Pick<Column, "type">): boolean {
  return /^(?:char|varchar|(?:tiny|medium|long)?text|enum|set)\b/.test(typeOf(column));
}
