import { spellExpression } from "../../../lower/expressions.js";
import type { Column, Index, IndexPart } from "../../../schema/types.js";
import { parenthesizedSql } from "../expressions.js";
import { TOKENS } from "../settle.js";
import { columnCalled } from "./names.js";
import { Reader, readIndexedColumns, type IndexedColumn } from "./reader.js";

/** Reads a CREATE INDEX (https://sqlite.org/lang_createindex.html). */
export function parseIndex(sql: string, name: string, columns: readonly Column[]): Index {
  const reader = new Reader(sql);
  reader.skip();
  const unique = reader.takeWords("UNIQUE");
  skipToParenthesis(reader);
  const parts = readIndexedColumns(reader).map(part => indexPart(part, columns));
  const where = reader.takeWords("WHERE") ? reader.textToEnd() : undefined;
  return {
    name,
    parts,
    ...(unique && { unique }),
    ...(where !== undefined && { where: spellExpression(where, columns, TOKENS) }),
  };
}

function skipToParenthesis(reader: Reader): void {
  while (!reader.isSymbol("(") && !reader.isAtEnd()) reader.skip();
}

function indexPart(
  { text, name, collation, descending }: IndexedColumn,
  columns: readonly Column[],
): IndexPart {
  const known = name === undefined ? undefined : columnCalled(name, columns);
  const what = known
    ? { column: known.name }
    : { sql: spellExpression(stripParentheses(text), columns, TOKENS) };
  return { ...what, ...(descending && { descending }), ...(collation !== undefined && { collation }) };
}

function stripParentheses(text: string): string {
  return text.startsWith("(") && parenthesizedSql(text) === text ? text.slice(1, -1) : text;
}
