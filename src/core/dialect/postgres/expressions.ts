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

export function defaultText(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? "gen_random_uuid()" : literal(value.value);
}

/** NAMEDATALEN - 1: https://www.postgresql.org/docs/15/limits.html */
export const NAME_LIMIT = 63;

/** What PostgreSQL itself calls the sequence of a column, the longer name cut first: `makeObjectName` of its source. */
export function sequenceName(table: string, column: string): string {
  const bytes = [table, column].map(name => Buffer.from(name)) as [Buffer, Buffer];
  let [first, second] = bytes.map(name => name.length) as [number, number];
  while (first + second > NAME_LIMIT - "__seq".length) {
    if (first > second) first -= 1;
    else second -= 1;
  }
  return `${clip(bytes[0], first)}_${clip(bytes[1], second)}_seq`;
}

/** No character is cut in two. */
function clip(name: Buffer, length: number): string {
  let end = length;
  while (end > 0 && end < name.length && (name[end]! & 0xc0) === 0x80) end -= 1;
  return name.subarray(0, end).toString();
}

/** The function and the trigger that keep a `@Stamp("updated")` column. */
export function stampName(table: string, column: string): string {
  return `stamp_${table}_${column}`;
}
