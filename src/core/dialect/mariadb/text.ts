import { addressOf, quoteAddress } from "../../schema/address.js";
import { textFor } from "../../schema/sql-text.js";
import {
  partsOf,
  type Column,
  type Default,
  type ForeignKey,
  type Index,
  type Options,
  type PartKind,
  type Parts,
  type Table,
} from "../../schema/types.js";
import { renderExpression } from "../settle.js";
import { defaultText, literal, NOW, quote } from "./expressions.js";
import { NAME } from "./types.js";

export function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

export function alterText(address: string, clauses: readonly string[]): string {
  const name = `ALTER TABLE ${quoteTable(address)}`;
  return clauses.length === 1 ? `${name} ${clauses[0]}` : `${name}\n  ${clauses.join(",\n  ")}`;
}

export function tableText(table: Table): string {
  const lines = [
    ...table.columns.map(column => columnText(column, table)),
    ...(["key", "unique", "index", "check"] as const).flatMap(kind =>
      partsOf(table, kind)
        .filter(part => !("column" in part && part.column !== undefined))
        .map(part => partText(kind, part)),
    ),
  ];
  const { engine, collation, with: settings } = table.options?.[NAME] ?? {};
  const behind = [
    engine && `ENGINE = ${engine}`,
    collation && `COLLATE = ${collation}`,
    settings,
    table.note !== undefined && `COMMENT = ${literal(table.note)}`,
  ];
  const text = `CREATE TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`;
  return [text, ...behind].filter(Boolean).join(" ");
}

/** A column that follows its table in how texts are compared says so: an ALTER TABLE may change the table's too. */
export function columnText(column: Column, table?: Table): string {
  const own = column.options?.[NAME] ?? {};
  const textual = /^(?:char|varchar|(?:tiny|medium|long)?text|enum|set)\b/.test(typeOf(column));
  const stated = column.collation === undefined ? undefined : textFor(column.collation, NAME);
  const collation = stated ?? (textual ? table?.options?.[NAME]?.["collation"] : undefined);
  const check = table?.checks.find(each => each.column === column.name);
  const rule = check?.rules[0];
  return [
    quote(column.name),
    typeOf(column),
    collation && `COLLATE ${collation}`,
    column.computed
      ? `GENERATED ALWAYS AS (${renderExpression(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`
      : column.nullable
        ? "NULL"
        : "NOT NULL",
    column.default && `DEFAULT ${defaultOf(column)}`,
    column.identity && "AUTO_INCREMENT",
    own["invisible"] && "INVISIBLE",
    column.stamp === "updated" && `ON UPDATE ${NOW}`,
    own["on update"] && `ON UPDATE ${own["on update"]}`,
    column.note !== undefined && `COMMENT ${literal(column.note)}`,
    rule?.kind === "sql" && `CHECK (${renderExpression(rule.sql, NAME, quote)})`,
  ]
    .filter(Boolean)
    .join(" ");
}

export function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "longtext") : "longtext";
}

function defaultOf({ default: value }: Column): string {
  return value?.kind === "sql" ? renderExpression(value.sql, NAME, quote) : "NULL";
}

export function fillText(fill: Default): string {
  return fill.kind === "sql" ? renderExpression(fill.sql, NAME, quote) : defaultText(fill);
}

export function partText(kind: PartKind, part: Parts[PartKind]): string {
  switch (kind) {
    case "key": {
      const { columns, options } = part as Parts["key"];
      const terms = JSON.parse(options?.[NAME]?.["terms"] ?? "[]") as string[];
      return `PRIMARY KEY (${columns.map((column, at) => `${quote(column)}${terms[at] ?? ""}`).join(", ")})`;
    }
    case "unique": {
      const unique = part as Parts["unique"];
      return `CONSTRAINT ${quote(part.name)} UNIQUE (${list(unique.columns)})${indexOptions(unique.options)}`;
    }
    case "index":
      return indexText(part as Index);
    case "check": {
      const rule = (part as Parts["check"]).rules[0]!;
      return `CONSTRAINT ${quote(part.name)} CHECK (${rule.kind === "sql" ? renderExpression(rule.sql, NAME, quote) : ""})`;
    }
    case "foreign key":
      return referenceText(part as ForeignKey);
    default:
      return kind satisfies never;
  }
}

export function dropText(kind: Exclude<PartKind, "foreign key">, part: Parts[PartKind]): string {
  if (kind === "key") return "DROP PRIMARY KEY";
  return kind === "check" ? `DROP CONSTRAINT ${quote(part.name)}` : `DROP INDEX ${quote(part.name)}`;
}

function referenceText({ name, columns, references, onDelete, onUpdate }: ForeignKey): string {
  return [
    `CONSTRAINT ${quote(name)} FOREIGN KEY (${list(columns)})`,
    `REFERENCES ${quoteTable(references.table)} (${list(references.columns)})`,
    `ON DELETE ${onDelete.toUpperCase()}`,
    `ON UPDATE ${onUpdate.toUpperCase()}`,
  ].join(" ");
}

function indexOptions(options: Options | undefined): string {
  const { comment, ignored } = options?.[NAME] ?? {};
  return `${comment === undefined ? "" : ` COMMENT ${literal(comment)}`}${ignored ? " IGNORED" : ""}`;
}

export function indexText({ name, parts, unique, method, options }: Index): string {
  const columns = parts.map(part => {
    const column = "column" in part ? quote(part.column) : "";
    return `${column}${part.length === undefined ? "" : `(${part.length})`}${part.descending ? " DESC" : ""}`;
  });
  const kind = unique ? "UNIQUE INDEX" : method === undefined ? "INDEX" : `${method.toUpperCase()} INDEX`;
  return `${kind} ${quote(name)} (${columns.join(", ")})${indexOptions(options)}`;
}

function list(names: readonly string[]): string {
  return names.map(quote).join(", ");
}
