import type { Column, Default, Rule } from "../../schema/types.js";
import { ruleCondition } from "../../lower/rules.js";

/** A value as a literal, with standard_conforming_strings on, as it is by default. */
export function literal(value: string | number | boolean): string {
  return typeof value === "string" ? `'${value.replaceAll("'", "''")}'` : String(value);
}

/** A rule as a condition, columns as places. Undefined: the type holds it by itself. */
export function ruleSql(
  rule: Exclude<Rule, { kind: "sql" }>,
  column: Column | undefined,
): string | undefined {
  const { type } = column ?? {};
  const bounded = type?.kind === "varchar" || type?.kind === "char";
  if (rule.kind === "max length" && bounded && type.length <= rule.value) return undefined;
  return ruleCondition(rule, {
    literal,
    moment: (place, moment) => [place, literal(moment.toISOString())],
    length: "char_length",
    bytes: place => `octet_length(${place})`,
    exact: place => place,
    position: (text, place) => `position(${text} in ${place})`,
    pattern: (place, pattern, caseless) => `${place} ${caseless ? "~*" : "~"} ${literal(pattern)}`,
    letters: (place, which) => `${place} = ${which}(${place})`,
    // Types are held to by the server; a number is rounded to its places before any check.
    type: () => undefined,
    decimalPlaces: () => undefined,
    shape: (place, shapes) => `jsonb_typeof(${place}) IN (${shapes.map(literal).join(", ")})`,
    items: place => `jsonb_array_length(${place})`,
    set: places => `num_nonnulls(${places.join(", ")})`,
  });
}

export function defaultSql(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "gen_random_uuid()" : literal(value.value);
}
