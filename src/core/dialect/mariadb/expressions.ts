import type { Column, DataType, Default, Rule, TypeRuleKind } from "../../schema/types.js";
import { escapedCharacter, translatePattern, type PatternWords } from "../../lower/pattern.js";
import { portableRuleSql, uuidVersionPattern } from "../../lower/rules.js";
import { parseNativeType } from "../../sql/native-type.js";
import { NAME } from "./types.js";

/** A value as a literal; a backslash is an escape there, as it is by default. */
export function literalSql(value: string | number | boolean): string {
  if (typeof value === "string") return `'${value.replaceAll("\\", "\\\\").replaceAll("'", "''")}'`;
  return typeof value === "boolean" ? (value ? "1" : "0") : String(value);
}

/** A rule as a condition, columns as placeholders. Undefined: the type holds it by itself. */
export function ruleSql(
  rule: Exclude<Rule, { kind: "sql" }>,
  column: Column | undefined,
): string | undefined {
  const { type } = column ?? {};
  const bounded = type?.kind === "varchar" || type?.kind === "char";
  if (rule.kind === "max length" && bounded && type.length <= rule.value) return undefined;
  // A list as a type holds its values by itself.
  if (rule.kind === "in" && type?.kind === "native" && isList(type.sql[NAME])) return undefined;
  return portableRuleSql(rule, {
    literal: literalSql,
    moment: (column, moment) =>
      type?.kind === "timestamptz"
        ? // Anything else would be read in the time zone of the session.
          [`unix_timestamp(${column})`, String(moment.getTime() / 1000)]
        : [column, literalSql(moment.toISOString().slice(0, -1).replace("T", " "))],
    length: "char_length",
    bytes: column => `octet_length(${column})`,
    // Else the column's collation would decide on capitals, accents and spaces at the end.
    exact: column => `BINARY ${column}`,
    position: (text, column) => `locate(BINARY ${text}, ${column})`,
    // Without flags, the column's collation would decide on capitals, and the session on the others.
    pattern: (column, pattern, flags) => {
      const { text } = translatePattern(pattern, flags, PATTERNS);
      return text === undefined ? undefined : `${column} REGEXP ${literalSql(`(?-imsx)${text}`)}`;
    },
    ...(type?.kind === "real" && { asHeld: floatSql }),
    without: (column, letters) => `${column} NOT REGEXP '(?-imsx)[${letters}]'`,
    // Without its sign: −6.00 leaves −0.00, which is not 0.
    divisible: (column, by) => `${type?.kind === "decimal" ? `abs(${column})` : column} % ${by} = 0`,
    uuidVersions: (column, versions) => `${column} REGEXP ${literalSql(uuidVersionPattern(versions))}`,
    type: (column, kind) => typeRuleSql(column, kind, type),
    decimalPlaces: (column, places) => {
      if (type?.kind === "real") return `${column} = cast(round(${column}, ${places}) AS float)`;
      // A number is rounded to its places before any check.
      if (type?.kind === "decimal")
        return type.scale <= places ? undefined : `${column} = round(${column}, ${places})`;
      // Where nothing is left behind so many places, rounding would multiply beyond what is exact.
      const end = Number((2 ** 53 / 10 ** places).toPrecision(6));
      return `abs(${column}) >= ${end} OR ${column} = round(${column}, ${places})`;
    },
    filled: column => `json_length(${column}) > 0`,
    shape: (column, shapes) =>
      `json_type(${column}) IN (${shapes.map(shape => literalSql(shape.toUpperCase())).join(", ")})`,
    items: column => `json_length(${column})`,
    set: columns => columns.map(column => `(${column} IS NOT NULL)`).join(" + "),
  });
}

/** A number is rounded to the type it is written to: one that is compared with it must be. */
function floatSql(value: number): string {
  return Math.abs(value) > MOST_FLOAT ? literalSql(value) : `cast(${literalSql(value)} AS float)`;
}

/** https://mariadb.com/kb/en/float/ */
const MOST_FLOAT = 3.4028234e38;

/**
 * Types are held to by the server, but for days that are none, which it takes from sessions that are not strict:
 * https://mariadb.com/kb/en/sql-mode/
 */
function typeRuleSql(column: string, kind: TypeRuleKind, type: DataType | undefined): string | undefined {
  switch (kind) {
    case "boolean":
      return `${column} IN (0, 1)`;
    case "json":
      return `json_valid(${column})`;
    case "whole":
      return type && ["decimal", "real", "double"].includes(type.kind)
        ? `${column} = floor(${column})`
        : undefined;
    case "date":
      return dayRuleSql(column);
    case "moment":
      // In a zone, there is no moment that would be day 0.
      return type?.kind === "timestamptz" ? `unix_timestamp(${column}) > 0` : dayRuleSql(column);
    default:
      return undefined;
  }
}

function dayRuleSql(column: string): string {
  return `coalesce(to_days(${column}) <= to_days(last_day(${column})), ${column} IS NULL)`;
}

/** https://mariadb.com/kb/en/pcre/ */
const PATTERNS: PatternWords = {
  start: "\\A",
  end: "\\z",
  any: "(?s:.)",
  character: (codePoint, inSet) => escapedCharacter(codePoint, inSet, hex => `\\x{${hex}}`),
  // Its library says that `a` does not fit `(?=a)a*a`: it looks for the last letter behind the first.
  looksAhead: false,
  mostTimes: 65_535,
};

/** Why a pattern is not held; undefined: it is. */
export function unheldPattern(pattern: string, flags: string): string | undefined {
  return translatePattern(pattern, flags, PATTERNS).reason;
}

/** A portable default in MariaDB's words. */
export function defaultSql(value: Exclude<Default, { kind: "sql" }>, column?: Column): string {
  if (value.kind === "uuid") return "uuid()";
  const isMoment = column?.type.kind === "timestamptz" || column?.type.kind === "timestamp";
  return literalSql(isMoment && typeof value.value === "string" ? momentText(value.value) : value.value);
}

/** `2026-03-04T05:06:07+02:00` as the server takes it, in UTC; anything else as it is. */
function momentText(text: string): string {
  const zoned = /^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:\.\d{1,3})?)?(?:Z|[-+]\d\d(?::?\d\d)?)$/i.test(text);
  const moment = zoned ? new Date(text) : undefined;
  if (!moment || Number.isNaN(moment.getTime())) return text.replace(/^(\d{4}-\d\d-\d\d)T/i, "$1 ");
  return moment.toISOString().slice(0, -1).replace("T", " ");
}

function isList(text = ""): boolean {
  const { name, values } = parseNativeType(text);
  return name === "enum" && values !== undefined;
}

/** A moment to the microsecond, as precise as the types of moments. */
export const NOW = "current_timestamp(6)";
