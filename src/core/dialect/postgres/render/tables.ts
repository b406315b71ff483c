import { expressionSql } from "../../../lower/expressions.js";
import { addressOf, parseAddress } from "../../../schema/address.js";
import { handlePart } from "../../../schema/types.js";
import type {
  Column,
  ForeignKey,
  Index,
  Options,
  PartKind,
  Parts,
  Table,
  Unique,
} from "../../../schema/types.js";
import { textFor } from "../../../sql/placeholders.js";
import { literalSql } from "../expressions.js";
import { dollarQuoted, quote, quoteBeside, quoteList, quoteTable } from "../names.js";
import { NAME } from "../types.js";
import { alterTableSql } from "./clauses.js";
import { columnSql, storageSql } from "./columns.js";
import { createSequenceSql, ownSequenceSql, renameSequenceSql } from "./sequences.js";

/** A table with its indexes and notes; references and stamps come when all tables are there. */
export function wholeTableSql(table: Table): string[] {
  return [
    ...createTableSql(table),
    ...table.indexes.map(index => createIndexSql(table, index)),
    ...notesSql(table, table.columns, true),
  ];
}

/** A sequence of a column's own is made before the column, and owned by it as soon as it is there. */
export function createTableSql(table: Table): string[] {
  const address = addressOf(table);
  return [
    ...table.columns.flatMap(createSequenceSql),
    bareTableSql(table),
    ...table.columns.flatMap(column => ownSequenceSql(address, column)),
    ...table.checks
      .filter(isUnproven)
      .map(check => alterTableSql(address, `ADD ${constraintSql("check", check)}`)),
    ...table.columns.flatMap(column => storageSql({}, column)).map(clause => alterTableSql(address, clause)),
  ];
}

function bareTableSql(table: Table): string {
  const lines = [
    ...table.columns.map(columnSql),
    ...(table.key ? [constraintSql("key", table.key)] : []),
    ...table.uniques.map(unique => constraintSql("unique", unique)),
    ...table.checks.filter(check => !isUnproven(check)).map(check => constraintSql("check", check)),
  ];
  const { unlogged, using, with: settings } = table.options?.[NAME] ?? {};
  return [
    `CREATE ${unlogged ? "UNLOGGED " : ""}TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`,
    using && `USING ${quote(using)}`,
    settings && `WITH (${settings})`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** A check that old rows may break; stated with its table, it would count as proven. */
function isUnproven({ options }: Parts["check"]): boolean {
  return options?.[NAME]?.["not valid"] !== undefined;
}

/** @param table as it was before */
export function renameTableSql(from: string, to: string, table: Table): string[] {
  const [old, now] = [parseAddress(from), parseAddress(to)];
  const moved = addressOf({ ...now, name: old.name });
  return [
    ...(old.namespace === now.namespace ? [] : [moveSql(from, now.namespace)]),
    ...(old.name === now.name ? [] : [alterTableSql(moved, `RENAME TO ${quote(now.name)}`)]),
    ...table.columns.flatMap(column =>
      renameSequenceSql(column, now, [from, column.name], [to, column.name]),
    ),
  ];
}

function moveSql(from: string, namespace: string | undefined): string {
  if (namespace !== undefined) return alterTableSql(from, `SET SCHEMA ${quote(namespace)}`);
  const usual = "(SELECT quote_ident(current_schema()))";
  const move = `EXECUTE ${literalSql(`ALTER TABLE ${quoteTable(from)} SET SCHEMA `)} || ${usual};`;
  return `DO ${dollarQuoted(` BEGIN ${move} END `, "move")}`;
}

/** @param table as it was before */
export function renameColumnSql(address: string, from: string, to: string, table: Table): string[] {
  return [
    alterTableSql(address, `RENAME COLUMN ${quote(from)} TO ${quote(to)}`),
    ...table.columns
      .filter(column => column.name === from)
      .flatMap(column => renameSequenceSql(column, parseAddress(address), [address, from], [address, to])),
  ];
}

/** Gives a part another name; indexes stand beside tables, constraints in them. */
export function renamePartSql(table: Table, kind: PartKind, from: string, to: string): string {
  return kind === "index"
    ? `ALTER INDEX ${quoteBeside(table, from)} RENAME TO ${quote(to)}`
    : alterTableSql(addressOf(table), `RENAME CONSTRAINT ${quote(from)} TO ${quote(to)}`);
}

/** Facts of a table that differ, its note aside. */
export function alterOptionsSql(
  table: string,
  before: Options | undefined,
  after: Options | undefined,
): string[] {
  const [was, now] = [before?.[NAME] ?? {}, after?.[NAME] ?? {}];
  const names = (settings = "") =>
    settings
      .split(/,\s*/)
      .filter(Boolean)
      .map(each => each.replace(/=[^]*$/, "").trim());
  const gone = names(was["with"]).filter(name => !names(now["with"]).includes(name));
  return [
    ...(was["unlogged"] !== now["unlogged"] ? [now["unlogged"] ? "SET UNLOGGED" : "SET LOGGED"] : []),
    ...(was["using"] !== now["using"] ? [`SET ACCESS METHOD ${quote(now["using"] ?? "heap")}`] : []),
    ...(gone.length > 0 ? [`RESET (${gone.join(", ")})`] : []),
    ...(now["with"] && was["with"] !== now["with"] ? [`SET (${now["with"]})`] : []),
  ].map(clause => alterTableSql(table, clause));
}

type ConstraintKind = Exclude<PartKind, "index">;

/** A constraint as a line of CREATE TABLE, or after ADD. */
export function constraintSql(kind: ConstraintKind, part: Parts[ConstraintKind]): string {
  const named = `CONSTRAINT ${quote(part.name)} `;
  return handlePart(kind, part, {
    key: key => `${named}PRIMARY KEY (${quoteList(key.columns)})${indexedSql(key)}`,
    unique: unique => {
      const nulls = unique.options?.[NAME]?.["nulls"];
      return `${named}UNIQUE ${nulls ? `NULLS ${nulls.toUpperCase()} ` : ""}(${quoteList(unique.columns)})${indexedSql(unique)}`;
    },
    "foreign key": foreignKey => named + referenceSql(foreignKey),
    check: check => named + checkSql(check),
  });
}

function checkSql({ rules: [rule], options }: Parts["check"]): string {
  const own = options?.[NAME] ?? {};
  return [
    `CHECK (${rule?.kind === "sql" ? expressionSql(rule.sql, NAME, quote) : ""})`,
    own["no inherit"] && "NO INHERIT",
    own["not valid"] && "NOT VALID",
  ]
    .filter(Boolean)
    .join(" ");
}

/** What stands behind the columns of a key or a unique constraint. */
function indexedSql({ include, deferrable, options }: Parts["unique"]): string {
  const settings = options?.[NAME]?.["with"];
  return [
    include && `INCLUDE (${quoteList(include)})`,
    settings && `WITH (${settings})`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
  ]
    .flatMap(word => (word ? [` ${word}`] : []))
    .join("");
}

function referenceSql({ columns, references, onDelete, onUpdate, deferrable, options }: ForeignKey): string {
  const own = options?.[NAME] ?? {};
  const set = own["set columns"] ? ` (${own["set columns"]})` : "";
  return [
    `FOREIGN KEY (${quoteList(columns)}) REFERENCES ${quoteTable(references.table)} (${quoteList(references.columns)})`,
    own["match"] && `MATCH ${own["match"].toUpperCase()}`,
    onDelete !== "no action" && `ON DELETE ${onDelete.toUpperCase()}${set}`,
    onUpdate !== "no action" && `ON UPDATE ${onUpdate.toUpperCase()}`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
    own["not valid"] && "NOT VALID",
  ]
    .filter(Boolean)
    .join(" ");
}

/** CREATE INDEX with all that the index says. @param how beside whom it is built: without it, nobody writes meanwhile */
export function createIndexSql(table: Table, index: Index, how?: "CONCURRENTLY"): string {
  const parts = index.parts.map(part =>
    [
      "column" in part ? quote(part.column) : `(${expressionSql(part.sql, NAME, quote)})`,
      part.collation && `COLLATE ${quote(textFor(part.collation, NAME) ?? "")}`,
      part.operatorClass,
      part.descending && "DESC",
      part.nulls && `NULLS ${part.nulls.toUpperCase()}`,
    ]
      .filter(Boolean)
      .join(" "),
  );
  const method = index.method === undefined ? "" : ` USING ${index.method}`;
  const where = index.where === undefined ? "" : ` WHERE ${expressionSql(index.where, NAME, quote)}`;
  const unique = index.unique ? "UNIQUE " : "";
  const { nulls, with: settings } = index.options?.[NAME] ?? {};
  const behind = [
    index.include && ` INCLUDE (${quoteList(index.include)})`,
    nulls && ` NULLS ${nulls.toUpperCase()}`,
    settings && ` WITH (${settings})`,
  ];
  const columns = `(${parts.join(", ")})${behind.filter(Boolean).join("")}`;
  const apart = how ? `${how} ` : "";
  return `CREATE ${unique}INDEX ${apart}${quote(index.name)} ON ${quoteTable(addressOf(table))}${method} ${columns}${where}`;
}

/** The index that a unique constraint is made of, where it is built before, under a name of its own. */
export function indexOfUnique({ columns, include, options }: Unique, name: string): Index {
  return {
    ...{ name, unique: true, parts: columns.map(column => ({ column })) },
    ...(include && { include }),
    ...(options && { options }),
  };
}

/** The clause that makes a unique constraint of it, which gets the constraint's name. */
export function attachUniqueSql({ name, deferrable }: Unique, index: string): string {
  const late = deferrable ? ` DEFERRABLE INITIALLY ${deferrable.toUpperCase()}` : "";
  return `ADD CONSTRAINT ${quote(name)} UNIQUE USING INDEX ${quote(index)}${late}`;
}

/** Drops an index, which stands in the namespace of its table. */
export function dropIndexSql(table: Table, { name }: Index, how?: "CONCURRENTLY"): string {
  return `DROP INDEX ${how ? `${how} ` : ""}${quoteBeside(table, name)}`;
}

/** @param self whether the table's own note is meant too */
export function notesSql(table: Table, columns: readonly Column[], self: boolean): string[] {
  const name = quoteTable(addressOf(table));
  const text = (note: string | undefined) => (note === undefined ? "NULL" : literalSql(note));
  const arriving = columns.length === table.columns.length && self;
  const wanted = arriving ? columns.filter(({ note }) => note !== undefined) : columns;
  return [
    ...(self && (!arriving || table.note !== undefined)
      ? [`COMMENT ON TABLE ${name} IS ${text(table.note)}`]
      : []),
    ...wanted.map(column => `COMMENT ON COLUMN ${name}.${quote(column.name)} IS ${text(column.note)}`),
  ];
}
