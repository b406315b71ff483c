import { TEXTS } from "../../schema/data-type.js";
import type { Column, DataType, Default, Rule, TypeRuleKind } from "../../schema/types.js";
import { escapedCharacter, translatePattern, type PatternWords } from "../../lower/pattern.js";
import { portableRuleSql, uuidVersionPattern } from "../../lower/rules.js";

/** A value as a literal, with standard_conforming_strings on, as it is by default. */
export function literalSql(value: string | number | boolean): string {
  return typeof value === "string" ? `'${value.replaceAll("'", "''")}'` : String(value);
}

/** A rule as a condition, columns as placeholders. Undefined: the type holds it by itself. */
export function ruleSql(
  rule: Exclude<Rule, { kind: "sql" }>,
  column: Column | undefined,
): string | undefined {
  const { type } = column ?? {};
  const bounded = type?.kind === "varchar" || type?.kind === "char";
  if (rule.kind === "max length" && bounded && type.length <= rule.value) return undefined;
  // A text that is filled up with blanks to its length is compared with patterns as it was written.
  const unpadded = (text: string) => (type?.kind === "char" ? `${text}::text` : text);
  return portableRuleSql(rule, {
    literal: literalSql,
    moment: (column, moment) => [column, literalSql(moment.toISOString())],
    length: "char_length",
    bytes: text => `octet_length(${unpadded(text)})`,
    ...(type?.kind === "real" && { asHeld: realSql }),
    // Some collations take texts for the same that are not.
    exact: text => (column?.collation === undefined ? text : `${text} COLLATE "C"`),
    position: (text, column) => `position(${text} in ${column})`,
    pattern: (column, pattern, flags) => {
      const { text } = translatePattern(pattern, flags, PATTERNS);
      return text === undefined ? undefined : `${unpadded(column)} ~ ${literalSql(text)}`;
    },
    without: (text, letters) => `${unpadded(text)} !~ '[${letters}]'`,
    // Floating point has no remainder: beyond 2^53 it has no ones either.
    divisible: (column, by) =>
      isFloating(type) ? `${column} = ${by} * trunc(${column} / ${by})` : `${column} % ${by} = 0`,
    uuidVersions: (column, versions) => `${column}::text ~ ${literalSql(uuidVersionPattern(versions))}`,
    type: (column, kind) => typeRuleSql(column, kind, type),
    decimalPlaces: (column, places) => decimalPlacesSql(column, places, type),
    shape: (column, shapes) =>
      `jsonb_typeof(${jsonSql(column, type)}) IN (${shapes.map(literalSql).join(", ")})`,
    filled: column => `${column} <> '{}'`,
    items: column => `jsonb_array_length(${column})`,
    set: columns => `num_nonnulls(${columns.join(", ")})`,
  });
}

function isFloating(type: DataType | undefined): boolean {
  return type?.kind === "real" || type?.kind === "double";
}

/** A number is rounded to the type it is written to: one that is compared with it must be. */
function realSql(value: number): string {
  return Math.abs(value) > MOST_REAL ? literalSql(value) : `${literalSql(value)}::real`;
}

/** https://www.postgresql.org/docs/15/datatype-numeric.html#DATATYPE-FLOAT */
const MOST_REAL = 3.4028234e38;

/** Types are held to by the server, but for values that a program does not have. */
function typeRuleSql(column: string, kind: TypeRuleKind, type: DataType | undefined): string | undefined {
  switch (kind) {
    case "number":
      if (type?.kind === "decimal") return `${column} <> 'NaN'`;
      return isFloating(type) ? `${column} > '-Infinity' AND ${column} < 'Infinity'` : undefined;
    case "whole":
      return type?.kind === "decimal" || isFloating(type) ? `${column} = trunc(${column})` : undefined;
    case "date":
    case "moment":
      return type && WITHOUT_END.includes(type.kind) ? `isfinite(${column})` : undefined;
    default:
      return undefined;
  }
}

/** Types that know infinity. */
const WITHOUT_END: readonly DataType["kind"][] = ["date", "timestamp", "timestamptz"];

/** The digits that tell a floating point number from all others, as a program shows them. */
function decimalPlacesSql(column: string, places: number, type: DataType | undefined): string | undefined {
  if (isFloating(type)) return `scale(${column}::text::numeric) <= ${places}`;
  // A number is rounded to its places before any check.
  return type?.kind === "decimal" && type.scale > places
    ? `${column} = round(${column}, ${places})`
    : undefined;
}

/** JSON in a text: what is none is refused by the cast. */
function jsonSql(column: string, type: DataType | undefined): string {
  return type && TEXTS.includes(type.kind) ? `${column}::jsonb` : column;
}

/** Advanced regular expressions: https://www.postgresql.org/docs/15/functions-matching.html#POSIX-SYNTAX-DETAILS */
const PATTERNS: PatternWords = {
  start: "^",
  end: "$",
  any: ".",
  character: (codePoint, inSet) =>
    codePoint === 0 ? undefined : escapedCharacter(codePoint, inSet, hex => `\\u${hex.padStart(4, "0")}`),
  looksAhead: true,
  // RE_DUP_MAX
  mostTimes: 255,
};

/** Why a pattern is not held; undefined: it is. */
export function unheldPattern(pattern: string, flags: string): string | undefined {
  return translatePattern(pattern, flags, PATTERNS).reason;
}

/** A portable default in PostgreSQL's words. */
export function defaultSql(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "gen_random_uuid()" : literalSql(value.value);
}
