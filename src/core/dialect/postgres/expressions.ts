import type { Column, Default, Rule } from "../../schema/types.js";
import { ruleCondition } from "../rules.js";

/** A name as PostgreSQL quotes it. */
export function quote(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

/** A value as a literal, with standard_conforming_strings on, as it is by default. */
export function literal(value: string | number | boolean): string {
  return typeof value === "string" ? `'${value.replaceAll("'", "''")}'` : String(value);
}

/** A rule as a condition, columns as places. Undefined: the type holds it by itself. */
export function ruleText(
  rule: Exclude<Rule, { kind: "sql" }>,
  column: Column | undefined,
): string | undefined {
  const { type } = column ?? {};
  const bounded = type?.kind === "varchar" || type?.kind === "char";
  if (rule.kind === "max length" && bounded && type.length <= rule.value) return undefined;
  return ruleCondition(rule, {
    literal,
    length: "char_length",
    position: (text, place) => `position(${text} in ${place})`,
    pattern: (place, pattern, caseless) => `${place} ${caseless ? "~*" : "~"} ${literal(pattern)}`,
    boolean: () => undefined,
    json: () => undefined,
  });
}

export function defaultText(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "gen_random_uuid()" : literal(value.value);
}

/** The function and the trigger that keep a `@Stamp("updated")` column. */
export function stampName(table: string, column: string): string {
  return `stamp_${table}_${column}`;
}
