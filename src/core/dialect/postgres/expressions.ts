import type { Column, Default, Rule } from "../../schema/types.js";
import { escapedCharacter, translatePattern, type PatternWords } from "../../lower/pattern.js";
import { portableRuleSql } from "../../lower/rules.js";

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
  return portableRuleSql(rule, {
    literal: literalSql,
    moment: (column, moment) => [column, literalSql(moment.toISOString())],
    length: "char_length",
    bytes: column => `octet_length(${column})`,
    exact: column => column,
    position: (text, column) => `position(${text} in ${column})`,
    pattern: (column, pattern, flags) => {
      const { text } = translatePattern(pattern, flags, PATTERNS);
      return text === undefined ? undefined : `${column} ~ ${literalSql(text)}`;
    },
    letters: (column, which) => `${column} = ${which}(${column})`,
    // Types are held to by the server; a number is rounded to its places before any check.
    type: () => undefined,
    decimalPlaces: () => undefined,
    shape: (column, shapes) => `jsonb_typeof(${column}) IN (${shapes.map(literalSql).join(", ")})`,
    items: column => `jsonb_array_length(${column})`,
    set: columns => `num_nonnulls(${columns.join(", ")})`,
  });
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
