import type { Column, Default, Rule } from "../../schema/types.js";
import { placeOf } from "../tokens.js";

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
  const place = placeOf(rule.column);
  switch (rule.kind) {
    case "min":
      return `${place} >= ${literal(rule.value)}`;
    case "max":
      return `${place} <= ${literal(rule.value)}`;
    case "above":
      return `${place} > ${rule.value}`;
    case "below":
      return `${place} < ${rule.value}`;
    case "min length":
      return `char_length(${place}) >= ${rule.value}`;
    case "max length": {
      const { type } = column ?? {};
      const held = (type?.kind === "varchar" || type?.kind === "char") && type.length <= rule.value;
      return held ? undefined : `char_length(${place}) <= ${rule.value}`;
    }
    case "in":
      return `${place} IN (${rule.values.map(literal).join(", ")})`;
    case "not in":
      return `${place} NOT IN (${rule.values.map(literal).join(", ")})`;
    case "divisible":
      return `${place} % ${rule.value} = 0`;
    case "contains":
      return `position(${literal(rule.value)} in ${place}) > 0`;
    case "not contains":
      return `position(${literal(rule.value)} in ${place}) = 0`;
    case "pattern":
      return `${place} ${rule.flags.includes("i") ? "~*" : "~"} ${literal(rule.pattern)}`;
    case "boolean":
    case "json":
      return undefined;
    default:
      return rule satisfies never;
  }
}

export function defaultText(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "gen_random_uuid()" : literal(value.value);
}

/** The function and the trigger that keep a `@Stamp("updated")` column. */
export function stampName(table: string, column: string): string {
  return `stamp_${table}_${column}`;
}
