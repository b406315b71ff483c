import type { Column, Default, Rule } from "../../schema/types.js";
import { ruleCondition } from "../../lower/rules.js";
import { parseNativeType } from "../../sql/native-type.js";
import { NAME } from "./types.js";

/** A value as a literal; a backslash is an escape there, as it is by default. */
export function literal(value: string | number | boolean): string {
  if (typeof value === "string") return `'${value.replaceAll("\\", "\\\\").replaceAll("'", "''")}'`;
  return typeof value === "boolean" ? (value ? "1" : "0") : String(value);
}

/** A rule as a condition, columns as places. Undefined: the type holds it by itself. */
export function ruleSql(
  rule: Exclude<Rule, { kind: "sql" }>,
  column: Column | undefined,
): string | undefined {
  const { type } = column ?? {};
  const bounded = type?.kind === "varchar" || type?.kind === "char";
  if (rule.kind === "max length" && bounded && type.length <= rule.value) return undefined;
  // A list as a type holds its values by itself.
  if (rule.kind === "in" && type?.kind === "native" && isList(type.sql[NAME])) return undefined;
  return ruleCondition(rule, {
    literal,
    moment: (place, moment) =>
      type?.kind === "timestamptz"
        ? // Anything else would be read in the time zone of the session.
          [`unix_timestamp(${place})`, String(moment.getTime() / 1000)]
        : [place, literal(moment.toISOString().slice(0, -1).replace("T", " "))],
    length: "char_length",
    bytes: place => `octet_length(${place})`,
    // Else the column's collation would decide on capitals, accents and spaces at the end.
    exact: place => `BINARY ${place}`,
    position: (text, place) => `locate(BINARY ${text}, ${place})`,
    // Without a flag, the column's collation would decide on capitals: https://mariadb.com/kb/en/pcre/
    pattern: (place, pattern, caseless) =>
      `${place} REGEXP ${literal(`(?${caseless ? "i" : "-i"})${pattern}`)}`,
    letters: (place, which) => `BINARY ${place} = ${which}(${place})`,
    type: (place, kind) =>
      kind === "boolean" ? `${place} IN (0, 1)` : kind === "json" ? `json_valid(${place})` : undefined,
    // A number is rounded to its places before any check.
    decimalPlaces: () => undefined,
    shape: (place, shapes) =>
      `json_type(${place}) IN (${shapes.map(shape => literal(shape.toUpperCase())).join(", ")})`,
    items: place => `json_length(${place})`,
    set: places => places.map(place => `(${place} IS NOT NULL)`).join(" + "),
  });
}

export function defaultSql(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "uuid()" : literal(value.value);
}

function isList(text = ""): boolean {
  const { name, values } = parseNativeType(text);
  return name === "enum" && values !== undefined;
}

/** A moment to the microsecond, as precise as the types of moments. */
export const NOW = "current_timestamp(6)";
