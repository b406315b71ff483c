import type { Column, Default, Rule } from "../../schema/types.js";
import { placeOf } from "../tokens.js";

/** A name as MariaDB quotes it. */
export function quote(name: string): string {
  return `\`${name.replaceAll("`", "``")}\``;
}

/** A value as a literal; a backslash is an escape there, as it is by default. */
export function literal(value: string | number | boolean): string {
  if (typeof value === "string") return `'${value.replaceAll("\\", "\\\\").replaceAll("'", "''")}'`;
  return typeof value === "boolean" ? (value ? "1" : "0") : String(value);
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
      return `locate(${literal(rule.value)}, ${place}) > 0`;
    case "not contains":
      return `locate(${literal(rule.value)}, ${place}) = 0`;
    case "pattern":
      // Without a flag, the column's collation would decide on capitals: https://mariadb.com/kb/en/pcre/
      return `${place} REGEXP ${literal(`(?${rule.flags.includes("i") ? "i" : "-i"})${rule.pattern}`)}`;
    case "boolean":
      return `${place} IN (0, 1)`;
    case "json":
      return `json_valid(${place})`;
    default:
      return rule satisfies never;
  }
}

export function defaultText(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "uuid()" : literal(value.value);
}

/** A moment to the microsecond, as precise as the types of moments. */
export const NOW = "current_timestamp(6)";
