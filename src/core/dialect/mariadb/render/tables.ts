import { addressOf } from "../../../schema/address.js";
import { textFor } from "../../../sql/placeholders.js";
import { handlePart, partsOf } from "../../../schema/types.js";
import type {
  Column,
  Default,
  ForeignKey,
  Index,
  Key,
  Options,
  PartKind,
  Parts,
  SqlText,
  Table,
} from "../../../schema/types.js";
import { expressionSql } from "../../../lower/expressions.js";
import { defaultSql as valueSql, literalSql, NOW } from "../expressions.js";
import { quote, quoteList, quoteTable } from "../names.js";
import { notNull, refusesNullByCheck } from "../moments.js";
import { isTextual, NAME, typeOf } from "../types.js";
import { readTerms } from "../../shared/terms.js";

/** One ALTER TABLE with all of its clauses, a line each where there are several beside how it is to be done. */
export function alterTableSql(address: string, clauses: readonly string[]): string {
  const name = `ALTER TABLE ${quoteTable(address)}`;
  const isOne = clauses.filter(clause => !clause.startsWith("ALGORITHM=")).length === 1;
  return isOne ? `${name} ${clauses.join(", ")}` : `${name}\n  ${clauses.join(",\n  ")}`;
}

/** CREATE TABLE with its key, indexes and checks; references are stated once every table is there. */
export function createTableSql(table: Table): string {
  const lines = [
    ...table.columns.map(column => columnSql(column, table)),
    ...(["key", "unique", "index", "check"] as const).flatMap(kind =>
      partsOf(table, kind)
        .filter(part => !("column" in part && part.column !== undefined))
        .map(part => partSql(kind, part)),
    ),
  ];
  const { engine, collation, with: settings } = table.options?.[NAME] ?? {};
  const behind = [
    engine && `ENGINE = ${engine}`,
    collation && `COLLATE = ${collation}`,
    settings,
    table.note !== undefined && `COMMENT = ${literalSql(table.note)}`,
  ];
  const text = `CREATE TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`;
  return [text, ...behind].filter(Boolean).join(" ");
}

/** A column that follows its table in how texts are compared says so: an ALTER TABLE may change the table's too. */
export function columnSql(column: Column, table?: Table): string {
  const own = column.options?.[NAME] ?? {};
  const stated = column.collation === undefined ? undefined : textFor(column.collation, NAME);
  const collation = stated ?? (isTextual(column) ? table?.options?.[NAME]?.["collation"] : undefined);
  const beside = table && besideSql(column, table);
  return [
    quote(column.name),
    typeOf(column),
    collation && `COLLATE ${collation}`,
    column.computed
      ? `GENERATED ALWAYS AS (${expressionSql(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`
      : column.nullable || (table && refusesNullByCheck(column, table))
        ? "NULL"
        : "NOT NULL",
    column.default && `DEFAULT ${defaultSql(column)}`,
    column.identity && "AUTO_INCREMENT",
    own["invisible"] && "INVISIBLE",
    column.stamp === "updated" && `ON UPDATE ${NOW}`,
    own["on update"] && `ON UPDATE ${own["on update"]}`,
    column.note !== undefined && `COMMENT ${literalSql(column.note)}`,
    beside !== undefined && `CHECK (${expressionSql(beside, NAME, quote)})`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** The check that stands beside a column. */
export function besideSql(column: Column, table: Table): SqlText | undefined {
  if (refusesNullByCheck(column, table)) return notNull(column);
  const [rule] = table.checks.find(each => each.column === column.name)?.rules ?? [];
  return rule?.kind === "sql" ? rule.sql : undefined;
}

function defaultSql({ default: value }: Column): string {
  return value?.kind === "sql" ? inParentheses(expressionSql(value.sql, NAME, quote)) : "NULL";
}

/** An expression that is no plain value, nor one function, stands in parentheses: https://mariadb.com/kb/en/create-table/#default-column-option */
function inParentheses(sql: string): string {
  const plain =
    /^(?:[bx]?'(?:[^'\\]|''|\\.)*'|[-+]?\d+(?:\.\d+)?(?:e[-+]?\d+)?|null|true|false|[a-z_]\w*(?:\([^()]*\))?)$/i;
  return plain.test(sql) ? sql : `(${sql})`;
}

/** What rows that exist get, as an expression. @param row what stands before the columns of the row */
export function fillSql(fill: Default, row: "" | "NEW." = ""): string {
  return fill.kind === "sql" ? expressionSql(fill.sql, NAME, name => `${row}${quote(name)}`) : valueSql(fill);
}

/** A part as a line of CREATE TABLE, or after ADD. */
export function partSql(kind: PartKind, part: Parts[PartKind]): string {
  return handlePart(kind, part, {
    key: keySql,
    unique: ({ name, columns, options }) =>
      `CONSTRAINT ${quote(name)} UNIQUE (${quoteList(columns)})${indexOptionsSql(options)}`,
    index: indexSql,
    "foreign key": reference => referenceSql(reference),
    check: ({ name, rules: [rule] }) =>
      `CONSTRAINT ${quote(name)} CHECK (${rule?.kind === "sql" ? expressionSql(rule.sql, NAME, quote) : ""})`,
  });
}

function keySql({ columns, options }: Key): string {
  const terms = readTerms(options?.[NAME]?.["terms"]);
  return `PRIMARY KEY (${columns.map((column, at) => `${quote(column)}${terms[at] ?? ""}`).join(", ")})`;
}

/** What drops a part, as a clause of ALTER TABLE. */
export function dropPartSql(kind: Exclude<PartKind, "foreign key">, part: Parts[PartKind]): string {
  if (kind === "key") return "DROP PRIMARY KEY";
  return kind === "check" ? `DROP CONSTRAINT ${quote(part.name)}` : `DROP INDEX ${quote(part.name)}`;
}

/**
 * A reference as a line of CREATE TABLE, or after ADD.
 * @param how "in place": RESTRICT, which is what a reference does that says nothing, is written down as NO ACTION where it is
 * stated, as trying it on 10.11 showed
 */
export function referenceSql(
  { name, columns, references, onDelete, onUpdate }: ForeignKey,
  how?: "in place",
): string {
  const rule = (event: string, action: string) =>
    how && action === "restrict" ? "" : `ON ${event} ${action.toUpperCase()}`;
  return [
    `CONSTRAINT ${quote(name)} FOREIGN KEY (${quoteList(columns)})`,
    `REFERENCES ${quoteTable(references.table)} (${quoteList(references.columns)})`,
    rule("DELETE", onDelete),
    rule("UPDATE", onUpdate),
  ]
    .filter(Boolean)
    .join(" ");
}

function indexOptionsSql(options: Options | undefined): string {
  const { comment, ignored } = options?.[NAME] ?? {};
  return `${comment === undefined ? "" : ` COMMENT ${literalSql(comment)}`}${ignored ? " IGNORED" : ""}`;
}

/** An index as a line of CREATE TABLE, or after ADD. */
export function indexSql({ name, parts, unique, method, options }: Index): string {
  const columns = parts.map(part => {
    const column = "column" in part ? quote(part.column) : "";
    return `${column}${part.length === undefined ? "" : `(${part.length})`}${part.descending ? " DESC" : ""}`;
  });
  const kind = unique ? "UNIQUE INDEX" : method === undefined ? "INDEX" : `${method.toUpperCase()} INDEX`;
  return `${kind} ${quote(name)} (${columns.join(", ")})${indexOptionsSql(options)}`;
}
