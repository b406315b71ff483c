import type { AlterColumn } from "../../change/types.js";
import { addressOf, parseAddress, quoteAddress } from "../../schema/address.js";
import type {
  Column,
  Default,
  ForeignKey,
  Index,
  PartKind,
  Parts,
  Schema,
  Table,
} from "../../schema/types.js";
import { renderByAlter, type AlterSyntax, type Clauses } from "../alter.js";
import type { Block, RenderPlan } from "../dialect.js";
import { renderExpression } from "../settle.js";
import { defaultText, literal, quote, stampName } from "./expressions.js";
import { NAME } from "./types.js";

/** The statements of a plan: https://www.postgresql.org/docs/15/sql-altertable.html */
export function render(plan: RenderPlan): Block[] {
  return renderByAlter(plan, SYNTAX);
}

/** PostgreSQL never takes anything along unasked. */
export function attachments(_schema: Schema): string[] {
  return [];
}

export function scriptNotes(_blocks: readonly Block[]): string[] {
  return [];
}

const SYNTAX: AlterSyntax = {
  table: quoteTable,
  createTable: table => [tableText(table)],
  addColumn,
  dropColumn: column => `DROP COLUMN ${quote(column.name)}`,
  alterColumn,
  addPart: (kind, part) => `ADD ${constraintText(kind, part)}`,
  dropPart: (_, part) => `DROP CONSTRAINT ${quote(part.name)}`,
  createIndex,
  dropIndex: (table, index) => `DROP INDEX ${quoteBeside(table, index.name)}`,
  renameTable: (from, to) => `ALTER TABLE ${quoteTable(from)} RENAME TO ${quote(parseAddress(to).name)}`,
  renameColumn: (table, from, to) =>
    `ALTER TABLE ${quoteTable(table)} RENAME COLUMN ${quote(from)} TO ${quote(to)}`,
  renamePart: (table, kind, from, to) =>
    kind === "index"
      ? `ALTER INDEX ${quoteBeside(table, from)} RENAME TO ${quote(to)}`
      : `ALTER TABLE ${quoteTable(addressOf(table))} RENAME CONSTRAINT ${quote(from)} TO ${quote(to)}`,
  notes,
  createStamp,
  dropStamp: (table, column) => {
    const name = stampName(table.name, column.name);
    return [
      `DROP TRIGGER ${quote(name)} ON ${quoteTable(addressOf(table))}`,
      `DROP FUNCTION ${quoteBeside(table, name)}()`,
    ];
  },
};

function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

/** Indexes and functions live in the namespace of their table. */
function quoteBeside({ namespace }: Table, name: string): string {
  return namespace === undefined ? quote(name) : `${quote(namespace)}.${quote(name)}`;
}

/** References come at the end, when all tables are there. */
function tableText(table: Table): string {
  const lines = [
    ...table.columns.map(columnText),
    ...(table.key ? [constraintText("key", table.key)] : []),
    ...table.uniques.map(unique => constraintText("unique", unique)),
    ...table.checks.map(check => constraintText("check", check)),
  ];
  return `CREATE TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`;
}

function columnText(column: Column): string {
  return [
    quote(column.name),
    typeOf(column),
    column.collation && `COLLATE ${quote(column.collation)}`,
    !column.nullable && "NOT NULL",
    column.default && `DEFAULT ${defaultOf(column)}`,
    column.identity && identityText(column),
    column.computed && `GENERATED ALWAYS AS (${renderExpression(column.computed.sql, NAME, quote)}) STORED`,
  ]
    .filter(Boolean)
    .join(" ");
}

function identityText({ identity }: Column): string {
  return `GENERATED ${identity === "always" ? "ALWAYS" : "BY DEFAULT"} AS IDENTITY`;
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "text") : "text";
}

function defaultOf({ default: value }: Column): string {
  return value?.kind === "sql" ? renderExpression(value.sql, NAME, quote) : "NULL";
}

function fillText(fill: Default): string {
  return fill.kind === "sql" ? renderExpression(fill.sql, NAME, quote) : defaultText(fill);
}

/** Old rows get their value by way of a default, which costs no pass over them when it is constant. */
function addColumn(column: Column, fill: Default | undefined): Clauses {
  if (!fill || column.nullable || column.computed) return { clauses: [`ADD COLUMN ${columnText(column)}`] };
  const name = quote(column.name);
  const filled: Column = { ...column, default: { kind: "sql", sql: { [NAME]: fillText(fill) } } };
  const settled = column.default ? `SET DEFAULT ${defaultOf(column)}` : "DROP DEFAULT";
  return {
    clauses: [`ADD COLUMN ${columnText(filled)}`],
    afterwards: [`ALTER COLUMN ${name} ${settled}`],
  };
}

function alterColumn(change: AlterColumn): Clauses {
  const { before, after, fill } = change;
  const name = quote(after.name);
  const retyped = typeOf(before) !== typeOf(after) || before.collation !== after.collation;
  const redefaulted = JSON.stringify(before.default) !== JSON.stringify(after.default);
  const collate = after.collation ? ` COLLATE ${quote(after.collation)}` : "";
  const fills = fill && before.nullable && !after.nullable;
  const column = `ALTER COLUMN ${name}`;
  const owner = `ALTER TABLE ${quoteTable(change.table)}`;
  return {
    before: [
      ...(fills
        ? [`UPDATE ${quoteTable(change.table)} SET ${name} = ${castFill(before, fill)} WHERE ${name} IS NULL`]
        : []),
      // It keeps the values it was computed to; a column that becomes computed is dropped and made anew instead.
      ...(before.computed && !after.computed ? [`${owner} ${column} DROP EXPRESSION`] : []),
      // The type of an identity column must count, so it stops being one first.
      ...(before.identity && !after.identity ? [`${owner} ${column} DROP IDENTITY`] : []),
    ],
    clauses: [
      // A default of the old type may not fit the new one while it changes.
      ...(before.default && (redefaulted || retyped) ? [`${column} DROP DEFAULT`] : []),
      ...(retyped ? [`${column} TYPE ${typeOf(after)}${collate} USING ${castText(before, after)}`] : []),
      ...(after.default && (redefaulted || retyped) ? [`${column} SET DEFAULT ${defaultOf(after)}`] : []),
      ...(before.nullable && !after.nullable ? [`${column} SET NOT NULL`] : []),
      ...(!before.nullable && after.nullable ? [`${column} DROP NOT NULL`] : []),
      ...(after.identity && before.identity && after.identity !== before.identity
        ? [`${column} SET GENERATED ${after.identity === "always" ? "ALWAYS" : "BY DEFAULT"}`]
        : []),
    ],
    ...(after.identity && !before.identity
      ? { afterwards: [`${column} ADD ${identityText(after)}`], after: [countOn(change.table, after)] }
      : {}),
  };
}

/** The counter of a new identity goes on behind the rows that are there. */
function countOn(table: string, column: Column): string {
  const [owner, name] = [literal(quoteTable(table)), literal(column.name)];
  const next = `(SELECT coalesce(max(${quote(column.name)}), 0) + 1 FROM ${quoteTable(table)})`;
  return `SELECT setval(pg_get_serial_sequence(${owner}, ${name}), ${next}, false)`;
}

/** The fill is a value of the column as it is before its type changes. */
function castFill(before: Column, fill: Default): string {
  return `CAST(${fillText(fill)} AS ${typeOf(before)})`;
}

/** Types that no cast leads between go by way of text. */
function castText(before: Column, after: Column): string {
  const name = quote(after.name);
  const [from, to] = [typeOf(before), typeOf(after)];
  if (/^bytea$/.test(from) !== /^bytea$/.test(to)) {
    return to === "bytea" ? `convert_to(${name}::text, 'UTF8')::${to}` : `encode(${name}, 'escape')::${to}`;
  }
  const textual = /^(?:text|varchar|char)/;
  const number = /^(?:smallint|integer|bigint|real|double precision|numeric)/;
  const direct = textual.test(from) || textual.test(to) || (number.test(from) && number.test(to));
  return direct ? `${name}::${to}` : `${name}::text::${to}`;
}

function constraintText(kind: Exclude<PartKind, "index">, part: Parts[PartKind]): string {
  const named = `CONSTRAINT ${quote(part.name)} `;
  switch (kind) {
    case "key":
      return `${named}PRIMARY KEY (${list((part as Parts["key"]).columns)})`;
    case "unique":
      return `${named}UNIQUE (${list((part as Parts["unique"]).columns)})`;
    case "check": {
      const rule = (part as Parts["check"]).rules[0]!;
      return `${named}CHECK (${rule.kind === "sql" ? renderExpression(rule.sql, NAME, quote) : ""})`;
    }
    case "foreign key":
      return named + referenceText(part as ForeignKey);
    default:
      return kind satisfies never;
  }
}

function referenceText({ columns, references, onDelete, onUpdate, deferrable }: ForeignKey): string {
  return [
    `FOREIGN KEY (${list(columns)}) REFERENCES ${quoteTable(references.table)} (${list(references.columns)})`,
    onDelete !== "no action" && `ON DELETE ${onDelete.toUpperCase()}`,
    onUpdate !== "no action" && `ON UPDATE ${onUpdate.toUpperCase()}`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
  ]
    .filter(Boolean)
    .join(" ");
}

function createIndex(table: Table, index: Index): string {
  const parts = index.parts.map(part =>
    [
      "column" in part ? quote(part.column) : `(${renderExpression(part.sql, NAME, quote)})`,
      part.collation && `COLLATE ${quote(part.collation)}`,
      part.operatorClass,
      part.descending && "DESC",
      part.nulls && `NULLS ${part.nulls.toUpperCase()}`,
    ]
      .filter(Boolean)
      .join(" "),
  );
  const method = index.method === undefined ? "" : ` USING ${index.method}`;
  const where = index.where === undefined ? "" : ` WHERE ${renderExpression(index.where, NAME, quote)}`;
  const unique = index.unique ? "UNIQUE " : "";
  return `CREATE ${unique}INDEX ${quote(index.name)} ON ${quoteTable(addressOf(table))}${method} (${parts.join(", ")})${where}`;
}

function notes(table: Table, columns: readonly Column[], self: boolean): string[] {
  const name = quoteTable(addressOf(table));
  const text = (note: string | undefined) => (note === undefined ? "NULL" : literal(note));
  const arriving = columns.length === table.columns.length && self;
  const wanted = arriving ? columns.filter(({ note }) => note !== undefined) : columns;
  return [
    ...(self && (!arriving || table.note !== undefined)
      ? [`COMMENT ON TABLE ${name} IS ${text(table.note)}`]
      : []),
    ...wanted.map(column => `COMMENT ON COLUMN ${name}.${quote(column.name)} IS ${text(column.note)}`),
  ];
}

function createStamp(table: Table, column: Column): string[] {
  const name = stampName(table.name, column.name);
  const stamp = quote(column.name);
  return [
    `CREATE FUNCTION ${quoteBeside(table, name)}() RETURNS trigger LANGUAGE plpgsql AS ${dollarQuoted(
      `\nBEGIN\n  IF NEW.${stamp} IS NOT DISTINCT FROM OLD.${stamp} THEN\n    NEW.${stamp} := now();\n  END IF;\n  RETURN NEW;\nEND\n`,
    )}`,
    `CREATE TRIGGER ${quote(name)} BEFORE UPDATE ON ${quoteTable(addressOf(table))} FOR EACH ROW EXECUTE FUNCTION ${quoteBeside(table, name)}()`,
  ];
}

/** A tag that the text does not hold: a name may be anything. */
function dollarQuoted(text: string): string {
  let tag = "$stamp$";
  while (text.includes(tag)) tag = `$${tag.slice(1, -1)}_$`;
  return `${tag}${text}${tag}`;
}

function list(names: readonly string[]): string {
  return names.map(quote).join(", ");
}
