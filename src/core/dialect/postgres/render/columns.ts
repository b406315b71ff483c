import type { AddColumn, AlterColumn } from "../../../change/types.js";
import { expressionSql } from "../../../lower/expressions.js";
import { equal } from "../../../schema/canonical.js";
import type { Column, Default } from "../../../schema/types.js";
import { textFor } from "../../../sql/placeholders.js";
import { defaultSql as valueSql, literalSql } from "../expressions.js";
import { quote, quoteTable } from "../names.js";
import { castSql, IN_UTC, keepsMoments } from "../retyping.js";
import { NAME, typeOf } from "../types.js";
import type { Clauses } from "./clauses.js";
import {
  changesSequence,
  createSequenceSql,
  followSerialSql,
  goOnSql,
  identitySql,
  isGenerated,
  ownedSequenceOf,
  ownSequenceSql,
  resetIdentitySql,
  resetOwnedSql,
  serialFollowsSql,
} from "./sequences.js";
import { quietlySql } from "./stamps.js";

/** A column as a line of CREATE TABLE, or after ADD COLUMN. */
export function columnSql(column: Column): string {
  return [
    quote(column.name),
    typeOf(column),
    collateSql(column),
    !column.nullable && "NOT NULL",
    defaultSql(column) !== undefined && `DEFAULT ${defaultSql(column)}`,
    isGenerated(column) && identitySql(column),
    column.computed &&
      `GENERATED ALWAYS AS (${expressionSql(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`,
  ]
    .filter(Boolean)
    .join(" ");
}

function collateSql({ collation }: Column): string | undefined {
  return collation && `COLLATE ${quote(textFor(collation, NAME) ?? "")}`;
}

/** What stands after DEFAULT; undefined where a column has none. */
export function defaultSql(column: Column): string | undefined {
  const owned = ownedSequenceOf(column);
  if (owned) return `nextval(${literalSql(quoteTable(owned.sequence))}::regclass)`;
  const { default: value } = column;
  return value?.kind === "sql" ? expressionSql(value.sql, NAME, quote) : undefined;
}

/** What rows that exist get. @param row what stands before the columns of the row */
export function fillSql(fill: Default, row: "" | "NEW." = ""): string {
  return fill.kind === "sql" ? expressionSql(fill.sql, NAME, name => `${row}${quote(name)}`) : valueSql(fill);
}

/** Old rows get their value by way of a default, which costs no pass over them when it is constant. */
export function addColumnSql({ column, fill, table }: AddColumn): Clauses {
  const around = { before: createSequenceSql(column), after: ownSequenceSql(table, column) };
  const storage = storageSql({}, column);
  if (!fill || column.nullable || column.computed || column.identity)
    return { ...around, clauses: [`ADD COLUMN ${columnSql(column)}`], afterwards: storage };
  const filled: Column = { ...column, default: { kind: "sql", sql: { [NAME]: fillSql(fill) } } };
  const settled = column.default ? `SET DEFAULT ${defaultSql(column) ?? "NULL"}` : "DROP DEFAULT";
  return {
    clauses: [`ADD COLUMN ${columnSql(filled)}`],
    afterwards: [`ALTER COLUMN ${quote(column.name)} ${settled}`, ...storage],
  };
}

/** A column that stays, altered in steps. */
export function alterColumnSql(change: AlterColumn): Clauses {
  const { before, after } = change;
  const counting = alterCounting(change);
  const retyped = isRetyped(change);
  return {
    before: [
      ...(retyped && convertsMoments(change) ? [IN_UTC] : []),
      ...dropExpressionSql(change),
      ...(retyped ? [] : fillOldRowsSql(change)),
      ...counting.before,
    ],
    clauses: [
      ...alterTypeSql(change),
      ...alterNullableSql(change),
      ...counting.clauses,
      ...storageSql(before, after),
    ],
    afterwards: counting.afterwards,
    after: counting.after,
  };
}

function convertsMoments({ before, after, convert }: AlterColumn): boolean {
  return convert === undefined && keepsMoments(typeOf(before), typeOf(after));
}

function isRetyped({ before, after, convert }: AlterColumn): boolean {
  return typeOf(before) !== typeOf(after) || before.collation !== after.collation || convert !== undefined;
}

/** It keeps the values it was computed to; a column that becomes computed is dropped and made anew instead. */
function dropExpressionSql({ table, before, after }: AlterColumn): string[] {
  return before.computed && !after.computed
    ? [`ALTER TABLE ${quoteTable(table)} ALTER COLUMN ${quote(after.name)} DROP EXPRESSION`]
    : [];
}

function fillOldRowsSql(change: AlterColumn): string[] {
  const fill = fillOf(change);
  if (!fill) return [];
  const name = quote(change.after.name);
  const update = `UPDATE ${quoteTable(change.table)} SET ${name} = ${fillSql(fill)} WHERE ${name} IS NULL`;
  return quietlySql(change.table, update);
}

/** What null becomes because it is no longer allowed. */
function fillOf({ before, after, fill }: AlterColumn): Default | undefined {
  return before.nullable && !after.nullable ? fill : undefined;
}

/** Its type and its default: one of the old type may not fit the new one while it changes. */
function alterTypeSql(change: AlterColumn): string[] {
  const { before, after, convert } = change;
  const column = `ALTER COLUMN ${quote(after.name)}`;
  const retyped = isRetyped(change);
  const [had, has] = [defaultSql(before), defaultSql(after)];
  const redefaulted = had !== has || retyped;
  const converted =
    convert === undefined
      ? castSql(before, after, quote(after.name))
      : `(${expressionSql(convert, NAME, quote)})::${typeOf(after)}`;
  const fill = fillOf(change);
  const value = fill ? `coalesce(${converted}, ${fillSql(fill)})` : converted;
  const type = [typeOf(after), collateSql(after)].filter(Boolean).join(" ");
  return [
    ...(had !== undefined && redefaulted ? [`${column} DROP DEFAULT`] : []),
    ...(retyped ? [`${column} TYPE ${type} USING ${value}`] : []),
    ...(has !== undefined && redefaulted ? [`${column} SET DEFAULT ${has}`] : []),
  ];
}

function alterNullableSql({ before, after }: AlterColumn): string[] {
  if (before.nullable === after.nullable) return [];
  return [`ALTER COLUMN ${quote(after.name)} ${after.nullable ? "DROP" : "SET"} NOT NULL`];
}

/** How it counts: the type of an identity column must count, so it stops being one first. */
function alterCounting(change: AlterColumn): Required<Omit<Clauses, "first">> {
  const { table, before, after } = change;
  const column = `ALTER COLUMN ${quote(after.name)}`;
  const [was, is] = [isGenerated(before), isGenerated(after)];
  const [owned, owns] = [ownedSequenceOf(before), ownedSequenceOf(after)];
  const moved = changesSequence(change);
  const otherwise = !equal(before.options, after.options);
  // What counts on in another way begins where it stood.
  const carries = before.identity !== undefined && after.identity !== undefined && (was !== is || moved);
  return {
    before: [
      ...(moved ? createSequenceSql(after) : []),
      ...(carries && was && owns ? [followSerialSql(owns.sequence, table, after)] : []),
      ...(was && !is ? [`ALTER TABLE ${quoteTable(table)} ${column} DROP IDENTITY`] : []),
    ],
    clauses: [
      ...(was && is && after.identity !== before.identity
        ? [`${column} SET GENERATED ${after.identity === "always" ? "ALWAYS" : "BY DEFAULT"}`]
        : []),
      ...(was && is && otherwise ? [resetIdentitySql(after)] : []),
    ],
    afterwards: is && !was ? [`${column} ADD ${identitySql(after)}`] : [],
    after: [
      // A column's own sequence is found by its column: there must be but one.
      ...(carries && owned ? [`ALTER SEQUENCE ${quoteTable(owned.sequence)} OWNED BY NONE`] : []),
      ...(moved ? ownSequenceSql(table, after) : []),
      ...(carries && owned ? [serialFollowsSql(table, after, owned.sequence)] : []),
      ...(moved && owned ? [`DROP SEQUENCE ${quoteTable(owned.sequence)}`] : []),
      ...(!moved && owns && (isRetyped(change) || otherwise) ? [resetOwnedSql(owns, after)] : []),
      ...(!carries && ((is && !was) || (moved && owns)) ? [goOnSql(table, after)] : []),
    ],
  };
}

/** Where and how a column's values are kept. */
export function storageSql(before: Pick<Column, "options">, after: Column): string[] {
  const [was, now] = [before.options?.[NAME] ?? {}, after.options?.[NAME] ?? {}];
  const column = `ALTER COLUMN ${quote(after.name)}`;
  return [
    ...(was["storage"] !== now["storage"]
      ? [`${column} SET STORAGE ${(now["storage"] ?? "default").toUpperCase()}`]
      : []),
    ...(was["compression"] !== now["compression"]
      ? [`${column} SET COMPRESSION ${now["compression"] ?? "default"}`]
      : []),
    ...(was["statistics"] !== now["statistics"]
      ? [`${column} SET STATISTICS ${now["statistics"] ?? "-1"}`]
      : []),
  ];
}
