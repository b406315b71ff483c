import { portableRuleSql } from "../../lower/rules.js";
import { globSql } from "./pattern.js";
import { quote, stampTriggerName } from "./names.js";
import type { Column, DataType, Default, Rule, TypeRuleKind } from "../../schema/types.js";

/** A value as a literal; true and false are 1 and 0. */
export function literalSql(value: string | number | boolean): string {
  if (typeof value === "string") return `'${value.replaceAll("'", "''")}'`;
  return typeof value === "boolean" ? (value ? "1" : "0") : String(value);
}

/** The moment as ISO 8601 in UTC with milliseconds, as JavaScript's Date writes it. */
export const NOW = "strftime('%Y-%m-%dT%H:%M:%fZ', 'now')";

/** A version 4 UUID (RFC 9562) from random bytes. */
const UUID =
  "lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' || " +
  "substr('89AB', 1 + (random() & 3), 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))";

/** A rule as a condition, columns as placeholders. Undefined: SQLite has no way to hold it. */
export function ruleSql(rule: Exclude<Rule, { kind: "sql" }>, column?: Column): string | undefined {
  const { type, collation } = column ?? {};
  return portableRuleSql(rule, {
    literal: literalSql,
    // However the text of a moment is written: https://sqlite.org/lang_datefunc.html
    moment: (column, moment) => [`julianday(${column})`, `julianday(${literalSql(moment.toISOString())})`],
    length: "length",
    bytes: column => `length(CAST(${column} AS BLOB))`,
    // Some collations take texts for the same that are not.
    exact: text => (collation === undefined ? text : `${text} COLLATE BINARY`),
    position: (text, column) => `instr(${column}, ${text})`,
    pattern: globSql,
    without: (column, letters) => `${column} NOT GLOB '*[${letters}]*'`,
    // The operator % cuts both sides to whole numbers first.
    divisible: (column, by) =>
      isFraction(type)
        ? `${column} = ${by}.0 * CAST(${column} / ${by}.0 AS INTEGER)`
        : `${column} % ${by} = 0`,
    uuidVersions: uuidVersionsSql,
    type: (column, kind) => typeRuleSql(column, kind, type),
    filled: column => `json(${column}) <> '{}'`,
    decimalPlaces: (column, places) => `${column} = round(${column}, ${places})`,
    shape: (column, shapes) => `json_type(${column}) IN (${shapes.map(literalSql).join(", ")})`,
    items: column => `json_array_length(${column})`,
    set: columns => columns.map(column => `(${column} IS NOT NULL)`).join(" + "),
  });
}

/**
 * A column takes values of any kind, whatever type it declares (https://sqlite.org/flextypegood.html), so these say
 * what it may hold. Each is true of null.
 */
function typeRuleSql(column: string, kind: TypeRuleKind, type: DataType | undefined): string {
  switch (kind) {
    case "boolean":
      return `${column} IN (0, 1)`;
    case "json":
      // Before 3.45, json_valid says of null that it is none.
      return `${column} IS NULL OR json_valid(${column})`;
    case "whole":
      return isFraction(type) ? `${column} = round(${column})` : `typeof(${column}) IN ('integer', 'null')`;
    case "number":
      return `typeof(${column}) IN ('integer', 'real', 'null') AND ${column} > -9e999 AND ${column} < 9e999`;
    // Numbers would be Julian days, and `now` what it is now.
    case "date":
      return `(date(${column}) IS NULL) = (${column} IS NULL) AND ${column} LIKE '____-__-__%'`;
    case "time":
      return `(time(${column}) IS NULL) = (${column} IS NULL) AND ${column} LIKE '__:__%'`;
    case "moment":
      return `(datetime(${column}) IS NULL) = (${column} IS NULL) AND ${column} LIKE '____-__-__%'`;
    case "uuid":
      return `${column} LIKE '________-____-____-____-____________' AND ${column} NOT GLOB '*[^0-9A-Fa-f-]*'`;
    default:
      return kind satisfies never;
  }
}

/** Whether a type holds more than whole numbers. */
function isFraction(type: DataType | undefined): boolean {
  return type?.kind === "real" || type?.kind === "double" || type?.kind === "decimal";
}

/** The version stands in one place and the variant in another: RFC 9562, 4.1 and 4.2. */
function uuidVersionsSql(column: string, versions: readonly string[]): string {
  const digits = versions.filter(version => /^\d$/.test(version)).join("");
  return [
    digits && `(substr(${column}, 15, 1) GLOB '[${digits}]' AND substr(${column}, 20, 1) GLOB '[89ABab]')`,
    versions.includes("nil") && `${column} NOT GLOB '*[^0-]*'`,
    versions.includes("max") && `${column} NOT GLOB '*[^Ff-]*'`,
  ]
    .filter(Boolean)
    .join(" OR ");
}

/** A portable default in SQLite's words. */
export function defaultSql(value: Exclude<Default, { kind: "sql" }>): string {
  return value.kind === "uuid" ? `(${UUID})` : literalSql(value.value);
}

/** Anything but a plain value must stand in parentheses: https://sqlite.org/lang_createtable.html#dfltval */
export function parenthesizedSql(text: string): string {
  const plain =
    /^(?:[+-]?[\d.]+(?:e[+-]?\d+)?|0x[0-9a-f]+|x?'(?:[^']|'')*'|null|true|false|current_(?:date|time|timestamp))$/i;
  return plain.test(text) || isInParentheses(text) ? text : `(${text})`;
}

/** Whether one pair of parentheses spans the whole text. */
function isInParentheses(text: string): boolean {
  if (!text.startsWith("(") || !text.endsWith(")")) return false;
  let depth = 0;
  for (const [at, char] of [
    ...text.replace(/'(?:[^']|'')*'/g, quoted => "x".repeat(quoted.length)),
  ].entries()) {
    if (char === "(") depth += 1;
    if (char === ")") depth -= 1;
    if (depth === 0 && at < text.length - 1) return false;
  }
  return true;
}

/** The moment a row is written, as a default: ISO 8601 in UTC, to the millisecond. */
export function nowSql(_column: Column): string {
  return `(${NOW})`;
}

/** The trigger that keeps a `@Stamp("updated")` column. A table without rowids is found by its key. */
export function stampTriggerSql(
  table: string,
  column: string,
  key: readonly string[],
  withoutRowid: boolean,
): string {
  const [name, stamp] = [quote(table), quote(column)];
  const same = withoutRowid
    ? key.map(each => `${quote(each)} = NEW.${quote(each)}`).join(" AND ")
    : "rowid = NEW.rowid";
  // The second condition ends the recursion that `PRAGMA recursive_triggers` would start within one moment.
  return [
    `CREATE TRIGGER ${quote(stampTriggerName(table, column))} AFTER UPDATE ON ${name} FOR EACH ROW`,
    `WHEN NEW.${stamp} IS OLD.${stamp} AND OLD.${stamp} IS NOT ${NOW}`,
    "BEGIN",
    `  UPDATE ${name} SET ${stamp} = ${NOW} WHERE ${same};`,
    "END",
  ].join("\n");
}
