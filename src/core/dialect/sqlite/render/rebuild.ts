import type { AddColumn, AlterColumn, Change } from "../../../change/types.js";
import { titleOf } from "../../../change/words.js";
import { expressionSql } from "../../../lower/expressions.js";
import { addressOf } from "../../../schema/address.js";
import type { Column, Table } from "../../../schema/types.js";
import type { KeptBesideKey } from "../../shared/kept.js";
import type { Block } from "../../shared/render-plan.js";
import { quote, quoteTable } from "../names.js";
import { NAME } from "../types.js";
import { renameColumns } from "./in-place.js";
import {
  copySequenceSql,
  createIndexSql,
  createTableSql,
  createTriggerSql,
  defaultSql,
  fillSql,
  REBUILD_END,
  REBUILD_START,
} from "./tables.js";
import { isRowNumber, type Work } from "./works.js";
import { rowidOf } from "../attic.js";

/**
 * The table built anew, its rows moved: https://sqlite.org/lang_altertable.html#otheralter. legacy_alter_table keeps
 * the last rename from reading views that speak of the table, and from touching references to it.
 */
export function rebuildTable(work: Work): Block[] {
  const { to, changes, was, now } = work;
  const table = quoteTable(to);
  const scratch: Table = { ...now, name: `emberset_new_${now.name}` };
  const done = changes.filter(({ kind }) => kind !== "rename column");
  const counts = hasCounter(now) && hasCounter(was);
  return [
    ...renameColumns(work),
    {
      title: `rebuild table ${to}`,
      details: done.map(titleOf),
      statements: [
        REBUILD_START,
        createTableSql(scratch, addressOf(now)),
        moveRowsSql(work, scratch.name),
        ...(counts ? copySequenceSql(now.name, scratch.name) : []),
        `DROP TABLE ${table}`,
        `ALTER TABLE ${quote(scratch.name)} RENAME TO ${table}`,
        REBUILD_END,
        ...now.indexes.map(index => createIndexSql(now, index)),
        ...now.columns.filter(({ stamp }) => stamp).map(column => createTriggerSql(now, column)),
      ],
    },
  ];
}

function hasCounter({ columns }: Table): boolean {
  return columns.some(({ identity }) => identity === "serial");
}

/** Where the old rows' values come from, column by column; what is left to defaults is not named. */
function moveRowsSql(work: Work, scratch: string): string {
  const { to, was, now, restored } = work;
  const number = work.number ?? rowNumberOf(was, now);
  const named = now.columns.flatMap(column => {
    const value = column.computed ? undefined : valueSql(column, work);
    return value === undefined ? [] : [{ name: quote(column.name), value }];
  });
  const own =
    number === undefined ? [] : [{ name: quote(number), value: `${quoteTable(to)}.${quote(number)}` }];
  const moved = [...own, ...named];
  const names = moved.map(({ name }) => name).join(", ");
  const values = moved.map(({ value }) => value).join(", ");
  const from = [quoteTable(to), ...restored.map((kept, at) => atticJoinSql(kept, at, quoteTable(to)))].join(
    "\n  ",
  );
  return `INSERT INTO ${quote(scratch)} (${names})\n  SELECT ${values} FROM ${from}`;
}

/**
 * How the number of a row is called that it must keep, since others may go by it, as a full-text index over the table does
 * (https://sqlite.org/fts5.html#external_content_tables). The rows of an integer key are their own numbers.
 */
function rowNumberOf(was: Table, now: Table): string | undefined {
  return isRowNumber(now) ? undefined : rowidOf(was, now, () => false);
}

/** What a row gets in a column: the value of the attic where that has the row, else its own; undefined: the default. */
function valueSql(column: Column, { changes, restored }: Work): string | undefined {
  const change = changeOf(column, changes);
  const fill = change?.fill && !column.nullable ? fillSql(change.fill) : undefined;
  const kept = keptIn(restored, column);
  if (change?.kind === "add column" && fill === undefined && !kept) return undefined;
  const own = change?.kind === "add column" ? (fill ?? ownValueSql(column)) : movedSql(column, change, fill);
  return kept ? `CASE WHEN emberset_found${kept.at} IS NULL THEN ${own} ELSE ${keptName(kept)} END` : own;
}

/** The change that brings a column, or else the one that alters it. */
function changeOf({ name }: Column, changes: readonly Change[]): AddColumn | AlterColumn | undefined {
  return (
    changes.find(
      (change): change is AddColumn => change.kind === "add column" && change.column.name === name,
    ) ??
    changes.find(
      (change): change is AlterColumn => change.kind === "alter column" && change.after.name === name,
    )
  );
}

function movedSql(column: Column, change: AlterColumn | undefined, fill: string | undefined): string {
  const converted =
    change?.convert === undefined ? quote(column.name) : expressionSql(change.convert, NAME, quote);
  return fill === undefined ? converted : `coalesce(${converted}, ${fill})`;
}

/** What a row gets in a column that arrives and about which nothing is said. */
function ownValueSql(column: Column): string {
  const value = defaultSql(column);
  return column.identity || value === undefined ? "NULL" : value;
}

/** A column among all that are kept: of which part of the attic, and which of its columns. */
interface KeptAt {
  readonly at: number;
  readonly of: number;
}

/** Where the attic has a column; the last part counts. */
function keptIn(restored: readonly KeptBesideKey[], { name }: Column): KeptAt | undefined {
  const found = restored.flatMap(({ columns }, at): KeptAt[] => {
    const of = columns.findIndex(each => each.name === name);
    return of < 0 ? [] : [{ at, of }];
  });
  return found.at(-1);
}

/** Brings the rows of the attic beside those of the table, under names that no column has. */
function atticJoinSql({ key, columns, address }: KeptBesideKey, at: number, table: string): string {
  const named = [
    `1 AS emberset_found${at}`,
    ...key.map(({ was }, of) => `${quote(was)} AS emberset_key${at}_${of}`),
    ...columns.map(({ name }, of) => `${quote(name)} AS ${keptName({ at, of })}`),
  ];
  const match = key.map(({ was }, of) => `emberset_key${at}_${of} = ${table}.${quote(was)}`);
  return `LEFT JOIN (SELECT ${named.join(", ")} FROM ${quoteTable(address)}) ON ${match.join(" AND ")}`;
}

function keptName({ at, of }: KeptAt): string {
  return `emberset_kept${at}_${of}`;
}
