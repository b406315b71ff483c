import pluralize from "pluralize";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { addressOf } from "../../schema/address.js";
import type { Column, DataType, Definition, PlainTypeName, Schema, Table } from "../../schema/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import { classNameFor, isIdentifier } from "./code.js";

/**
 * TypeScript interfaces of rows as the usual driver of a dialect gives them: pg, mysql2, libsql.
 * @param schema in portable words
 */
export function writeRowTypes(schema: Schema, dialect: Dialect): string {
  const taken = new Set<string>();
  const blocks = schema.tables.map(table => {
    const name = `${classNameFor(table.name, taken, pluralize.singular)}Row`;
    taken.add(name.slice(0, -"Row".length));
    return interfaceOf(name, table, dialect, schema.definitions ?? []);
  });
  const head = `// Rows as ${dialect.rows.driver.name} gives them. Written by Emberset.\n`;
  return [head, ...blocks].join("\n");
}

function interfaceOf(
  name: string,
  table: Table,
  dialect: Dialect,
  definitions: readonly Definition[],
): string {
  const lines = table.columns.map(column => {
    const type = valuesOf(column, table) ?? typeOf(column.type, dialect, definitions);
    const key = isIdentifier(column.name) ? column.name : JSON.stringify(column.name);
    const note = column.note === undefined ? "" : `  /** ${commentOf(column.note)} */\n`;
    return `${note}  ${key}: ${column.nullable ? `${type} | null` : type};\n`;
  });
  const note = table.note === undefined ? "" : ` ${commentOf(table.note)}`;
  return `/** \`${commentOf(addressOf(table))}\`${note && `:${note}`} */\nexport interface ${name} {\n${lines.join("")}}\n`;
}

/** Nothing in a comment can end it. */
function commentOf(text: string): string {
  return text.replaceAll("*/", "* /").replace(/\s+/g, " ");
}

/** The values a column is limited to, as a union. */
function valuesOf({ name, type }: Column, table: Table): string | undefined {
  const rules = table.checks.flatMap(check => check.rules);
  const list = rules.find(rule => rule.kind === "in" && rule.column === name);
  // A number may come as a text, and a truth as a number: those stay what the driver gives.
  if (list?.kind !== "in" || !["text", "varchar", "char"].includes(type.kind)) return undefined;
  return list.values.map(value => JSON.stringify(value)).join(" | ");
}

const USUAL: Readonly<Record<PlainTypeName | "char" | "varchar" | "decimal", string>> = {
  boolean: "0 | 1",
  smallint: "number",
  integer: "number",
  bigint: "number",
  real: "number",
  double: "number",
  decimal: "number",
  text: "string",
  char: "string",
  varchar: "string",
  date: "string",
  time: "string",
  timestamp: "string",
  timestamptz: "string",
  uuid: "string",
  json: "string",
  bytes: "Uint8Array",
};

function typeOf(type: DataType, dialect: Dialect, definitions: readonly Definition[]): string {
  if (type.kind !== "native") return dialect.rows.driver.types[type.kind] ?? USUAL[type.kind];
  const text = type.sql[dialect.name] ?? "";
  const listed = definitions.find(
    each => each.kind === "enum" && addressOf(each) === text.replaceAll('"', ""),
  );
  if (listed?.kind === "enum") return listed.values.map(value => JSON.stringify(value)).join(" | ");
  const { name, values, dimensions } = parseNativeType(text);
  if (name === "enum" && values) return values.map(value => JSON.stringify(value)).join(" | ");
  if (dimensions !== "") return "unknown[]";
  if (/^(?:tiny|small|medium)?int/i.test(text)) return "number";
  if (/char|text|clob|enum|inet|citext|uuid/i.test(text)) return "string";
  if (/blob|binary/i.test(text)) return typeOf({ kind: "bytes" }, dialect, definitions);
  return "unknown";
}
