import { spellExpression } from "../../../lower/expressions.js";
import type { Column, Key, Table } from "../../../schema/types.js";
import { TOKENS } from "../settle.js";
import { NAME, typeOf } from "../types.js";
import { cutBody } from "./cut-body.js";
import { NO_OPTIONS, optionsOf, withOptions, withSpelled } from "./names.js";
import { append, CONSTRAINT_WORDS, emptyPiece, readPiece, type Piece } from "./read-piece.js";
import { Reader } from "./reader.js";

/** What the columns between tables' commas say, by their texts: tables of one hand repeat many to the letter. */
export type Pieces = Map<string, Piece>;

/**
 * Reads a CREATE TABLE as SQLite keeps it (https://sqlite.org/lang_createtable.html). Expressions are cut out whole,
 * never judged. References keep the words they were written in.
 * @param known columns of tables read before; those of this one are added
 */
export function parseTable(sql: string, known: Pieces = new Map()): Table {
  const { pieces, rest } = cutBody(sql);
  const written = emptyPiece();
  for (const text of pieces) {
    const before = known.get(text);
    if (before) {
      append(before, written);
      continue;
    }
    const reader = new Reader(text);
    // Constraints have names of their own in each table: to keep them would only take room.
    if (reader.isWord(CONSTRAINT_WORDS)) readPiece(reader, written);
    else {
      const piece = emptyPiece();
      readPiece(reader, piece);
      known.set(text, piece);
      append(piece, written);
    }
  }
  return complete(written, rest === "" ? NO_OPTIONS : readOptions(new Reader(rest)));
}

/** The table once all its columns are known, which expressions and names are spelled by. */
function complete(written: Piece, options: Readonly<Record<string, string>>): Table {
  const capitals = areCapitals(written.columns);
  const spell = (text: string) => spellExpression(text, written.columns, TOKENS);
  const spelledKey = written.key && withSpelled(written.key, written.columns);
  const mayCount = options["without rowid"] === undefined && !written.descendingKey;
  const rowid = mayCount ? rowidOf(spelledKey, written.columns) : undefined;
  // How it is sorted means nothing for the rowid, and would mean something where the column itself says so.
  const key = rowid === undefined ? spelledKey : spelledKey && withoutTerms(spelledKey);
  const columns = written.columns.map(column => {
    const { computed } = column;
    const plain = capitals ? inSmallLetters(column) : column;
    if (computed) return { ...plain, computed: { ...computed, sql: spell(computed.sql as string) } };
    return column.name === rowid ? asRowid(plain) : plain;
  });
  return {
    name: "",
    columns,
    ...(key && { key }),
    uniques: written.uniques.map(unique => withSpelled(unique, written.columns)),
    indexes: [],
    foreignKeys: written.foreignKeys.map(foreignKey => withSpelled(foreignKey, written.columns)),
    checks: written.checks.map(({ name, text }) => ({ name, rules: [{ kind: "sql", sql: spell(text) }] })),
    ...withOptions(capitals ? { ...options, types: "capitals" } : options),
  };
}

/** Many write all types in capitals: kept as a habit of the table, so that a type reads the same everywhere. */
function areCapitals(columns: readonly Column[]): boolean {
  let found = false;
  for (const column of columns) {
    const type = typeOf(column);
    if (type !== type.toUpperCase()) return false;
    found ||= type !== type.toLowerCase();
  }
  return found;
}

/** The column that is the rowid, if any. */
function rowidOf(key: Key | undefined, columns: readonly Column[]): string | undefined {
  const only = key?.columns.length === 1 ? key.columns[0] : undefined;
  return columns.some(column => column.name === only && isInteger(column)) ? only : undefined;
}

function withoutTerms({ options, ...key }: Key): Key {
  const { terms: _, ...rest } = options?.[NAME] ?? {};
  return { ...key, ...withOptions(rest) };
}

function isInteger(column: Column): boolean {
  return typeOf(column).toUpperCase() === "INTEGER";
}

/**
 * The one column of an INTEGER key is the rowid, counted up and never null (https://sqlite.org/rowidtable.html),
 * whether its text says so or not.
 */
function asRowid(column: Column): Column {
  if (column.nullable) return { ...column, nullable: false, identity: column.identity ?? "rowid" };
  return column.identity === undefined ? column : { ...column, options: optionsOf({ "not null": "stated" }) };
}

/** A column whose type is written in capitals; the same one for the same one. */
function inSmallLetters(column: Column): Column {
  const known = smallLetters.get(column);
  if (known) return known;
  const type = { kind: "native", sql: { [NAME]: typeOf(column).toLowerCase() } } as const;
  const changed = { ...column, type };
  smallLetters.set(column, changed);
  return changed;
}

const smallLetters = new WeakMap<Column, Column>();

function readOptions(reader: Reader): Record<string, string> {
  const options: Record<string, string> = {};
  while (!reader.isAtEnd()) {
    if (reader.takeWords("WITHOUT", "ROWID")) options["without rowid"] = "yes";
    else if (reader.takeWords("STRICT")) options["strict"] = "yes";
    else reader.skip();
  }
  return options;
}
