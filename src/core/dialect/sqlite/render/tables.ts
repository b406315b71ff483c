import type { AddPart } from "../../../change/types.js";
import { expressionSql } from "../../../lower/expressions.js";
import { parseAddress } from "../../../schema/address.js";
import type { Check, Column, Default, ForeignKey, Index, Table, Unique } from "../../../schema/types.js";
import { textFor } from "../../../sql/placeholders.js";
import { readTerms, termsText } from "../../shared/terms.js";
import { parenthesizedSql, literalSql, stampTriggerSql } from "../expressions.js";
import { quote, quoteList } from "../names.js";
import { NAME, typeOf } from "../types.js";

/** `CREATE TABLE`; references to the table itself go by `address`, its name in the end. */
export function createTableSql(table: Table, address: string): string {
  const inline = table.columns.find(column => isInlineKey(column, table));
  const lines = table.columns.map(column =>
    column === inline ? inlineKeySql(column, table) : columnSql(column, table),
  );
  const keyed = (unique: Unique) =>
    `${keyedSql(unique)}${conflictSql(unique.options?.[NAME]?.["on conflict"])}`;
  if (table.key && !inline) lines.push(`${constraintNameSql(table.key.name)}PRIMARY KEY ${keyed(table.key)}`);
  for (const unique of table.uniques) lines.push(`${constraintNameSql(unique.name)}UNIQUE ${keyed(unique)}`);
  for (const foreignKey of table.foreignKeys) {
    lines.push(
      `${constraintNameSql(foreignKey.name)}FOREIGN KEY (${quoteList(foreignKey.columns)}) ${referenceSql(foreignKey, address, table)}`,
    );
  }
  for (const check of table.checks) lines.push(`${constraintNameSql(check.name)}${checkSql(check)}`);
  const options = [
    ...(table.options?.[NAME]?.["without rowid"] ? ["WITHOUT ROWID"] : []),
    ...(table.options?.[NAME]?.["strict"] ? ["STRICT"] : []),
  ].join(", ");
  return `CREATE TABLE ${quote(table.name)} (\n  ${lines.join(",\n  ")}\n)${options && ` ${options}`}`;
}

/** The columns of a key or a unique constraint, each with its own terms. */
export function keyedSql({ columns, options }: Unique): string {
  const own = readTerms(options?.[NAME]?.["terms"]);
  const parts = columns.map((column, at) => [quote(column), own[at]].filter(Boolean).join(" "));
  return `(${parts.join(", ")})`;
}

function conflictSql(conflict: string | undefined): string {
  return conflict === undefined ? "" : ` ON CONFLICT ${conflict.toUpperCase()}`;
}

/** The rowid, and a descending INTEGER key, which must not become one, are told by where the key is stated. */
function isInlineKey(column: Column, table: Table): boolean {
  if (column.identity) return true;
  const { key } = table;
  const descending = key?.options?.[NAME]?.["terms"] === termsText(["DESC"]);
  return descending && key.columns[0] === column.name && typeOf(column).toLowerCase() === "integer";
}

function inlineKeySql(column: Column, { key, ...table }: Table): string {
  const { terms, "on conflict": conflict } = key?.options?.[NAME] ?? {};
  const stated = !column.identity || column.options?.[NAME]?.["not null"] !== undefined;
  return [
    columnSql({ ...column, nullable: column.nullable || !stated }, table),
    `${namedSql(key?.name).trim()} PRIMARY KEY`.trim(),
    ...readTerms(terms).slice(0, 1),
    conflictSql(conflict).trim(),
    column.identity === "serial" ? "AUTOINCREMENT" : "",
  ]
    .filter(Boolean)
    .join(" ");
}

/** A column as a line of CREATE TABLE, or after ADD COLUMN. */
export function columnSql(column: Column, table: Pick<Table, "options">): string {
  const type = typeOf(column);
  const value = column.default && defaultSql(column);
  const conflict = column.options?.[NAME]?.["not null on conflict"];
  return [
    quote(column.name),
    table.options?.[NAME]?.["types"] === "capitals" ? type.toUpperCase() : type,
    !column.nullable && `NOT NULL${conflictSql(conflict)}`,
    value !== undefined && `DEFAULT ${value}`,
    column.collation !== undefined && `COLLATE ${textFor(column.collation, NAME)}`,
    column.computed &&
      `GENERATED ALWAYS AS (${expressionSql(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** What stands after DEFAULT; undefined where a column has none. */
export function defaultSql(column: Column): string | undefined {
  return column.default?.kind === "sql" ? expressionSql(column.default.sql, NAME, quote) : undefined;
}

/** What rows that exist get, as an expression. */
export function fillSql(fill: Default): string {
  if (fill.kind === "value") return literalSql(fill.value);
  return fill.kind === "sql" ? parenthesizedSql(expressionSql(fill.sql, NAME, quote)) : "NULL";
}

/** A check or a reference as it stands with the column it arrives with. */
export function inlineSql(change: AddPart): string {
  const name = constraintNameSql(change.value.name);
  if (change.what === "check") return `${name}${checkSql(change.value)}`;
  return `${name}${referenceSql(change.value as ForeignKey)}`;
}

function referenceSql(foreignKey: ForeignKey, address?: string, table?: Table): string {
  const { references, onDelete, onUpdate, deferrable, options } = foreignKey;
  const implied = options?.[NAME]?.["columns"] === "implied";
  const target =
    references.table === address && table ? parseAddress(address).name : parseAddress(references.table).name;
  return [
    `REFERENCES ${quote(target)}${implied ? "" : ` (${quoteList(references.columns)})`}`,
    onDelete !== "no action" && `ON DELETE ${onDelete.toUpperCase()}`,
    onUpdate !== "no action" && `ON UPDATE ${onUpdate.toUpperCase()}`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** `CHECK (…)`, as it stands in what a table is said to be. */
export function checkSql({ rules: [rule] }: Check): string {
  return `CHECK (${rule?.kind === "sql" ? expressionSql(rule.sql, NAME, quote) : ""})`;
}

/** CREATE INDEX with all that the index says. */
export function createIndexSql(table: Table, index: Index): string {
  const parts = index.parts.map(part => {
    const what = "column" in part ? quote(part.column) : `(${expressionSql(part.sql, NAME, quote)})`;
    return [
      what,
      part.collation !== undefined && `COLLATE ${textFor(part.collation, NAME)}`,
      part.descending && "DESC",
    ]
      .filter(Boolean)
      .join(" ");
  });
  const where = index.where === undefined ? "" : ` WHERE ${expressionSql(index.where, NAME, quote)}`;
  return `CREATE ${index.unique ? "UNIQUE " : ""}INDEX ${quote(index.name)} ON ${quote(table.name)} (${parts.join(", ")})${where}`;
}

/** The trigger that keeps a stamp of a table. */
export function createTriggerSql(table: Table, column: Column): string {
  return stampTriggerSql(
    table.name,
    column.name,
    table.key?.columns ?? [],
    table.options?.[NAME]?.["without rowid"] !== undefined,
  );
}

function constraintNameSql(name: string): string {
  return name === "" ? "" : `CONSTRAINT ${quote(name)} `;
}

function namedSql(name: string | undefined): string {
  return name ? ` CONSTRAINT ${quote(name)}` : "";
}

/** The counter of a serial key goes on where it stood, even past rows that are gone: https://sqlite.org/autoinc.html */
export function copySequenceSql(table: string, copy: string): string[] {
  const [from, to] = [literalSql(table), literalSql(copy)];
  return [
    `DELETE FROM sqlite_sequence WHERE name = ${to}`,
    `INSERT INTO sqlite_sequence (name, seq) SELECT ${to}, seq FROM sqlite_sequence WHERE name = ${from}`,
  ];
}

/** Between these, a rename reads no views and touches no references: https://sqlite.org/pragma.html#pragma_legacy_alter_table */
export const REBUILD_START = "PRAGMA legacy_alter_table = ON";
export const REBUILD_END = "PRAGMA legacy_alter_table = OFF";

/** Between these, what tables are said to be can be written; behind them it is read anew: https://sqlite.org/pragma.html#pragma_writable_schema */
export const RESTATE_START = "PRAGMA writable_schema = ON";
export const RESTATE_END = "PRAGMA writable_schema = RESET";
