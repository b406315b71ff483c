/**
 * SQL cut into tokens, loosely: enough to find statements, names, places and the parts of a CREATE TABLE,
 * never enough to judge an expression. Nothing is lost: the texts of all tokens joined give the input back.
 */
export interface Token {
  readonly kind: "word" | "name" | "string" | "number" | "place" | "symbol" | "space" | "comment";
  /** As written, quotes included. */
  readonly text: string;
  readonly at: number;
}

export interface TokenRules {
  /** `\'` inside a string is a quote (MariaDB). */
  readonly backslash?: boolean;
  /** `$tag$ … $tag$` is a string (PostgreSQL). */
  readonly dollar?: boolean;
  /** `[name]` is a quoted name (SQLite). */
  readonly brackets?: boolean;
  /** `#` starts a comment (MariaDB). */
  readonly hash?: boolean;
}

const WORD = /[\p{L}_\u0080-\uffff][\p{L}\p{N}_$\u0080-\uffff]*/uy;
const NUMBER = /0x[0-9a-f]+|(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?/iy;
const PLACE = /\{(?:[^{}]|\{\{|\}\})+\}/y;
const SPACE = /\s+/y;
const DOLLAR = /\$(?:[A-Za-z_]\w*)?\$/y;

/** @returns the tokens in order, spaces and comments among them */
export function tokenize(sql: string, rules: TokenRules = {}): Token[] {
  const tokens: Token[] = [];
  let at = 0;
  while (at < sql.length) {
    const token = next(sql, at, rules);
    tokens.push(token);
    at += token.text.length;
  }
  return tokens;
}

function next(sql: string, at: number, rules: TokenRules): Token {
  const make = (kind: Token["kind"], end: number): Token => ({ kind, text: sql.slice(at, end), at });
  const char = sql[at]!;
  const pair = sql.slice(at, at + 2);
  const space = match(SPACE, sql, at);
  if (space) return make("space", space);
  if (pair === "--" || (rules.hash && char === "#")) return make("comment", endOf(sql, "\n", at));
  if (pair === "/*") return make("comment", endOf(sql, "*/", at + 2));
  if (char === "'") return make("string", endOfQuoted(sql, at, "'", rules.backslash ?? false));
  if (char === '"' || char === "`") return make("name", endOfQuoted(sql, at, char, false));
  if (char === "[" && rules.brackets) return make("name", endOf(sql, "]", at));
  if (char === "$" && rules.dollar) {
    const open = match(DOLLAR, sql, at);
    if (open) return make("string", endOf(sql, sql.slice(at, open), open));
  }
  const place = match(PLACE, sql, at);
  if (place) return make("place", place);
  const word = match(WORD, sql, at);
  if (word) return make("word", word);
  const number = match(NUMBER, sql, at);
  if (number) return make("number", number);
  return make("symbol", at + 1);
}

function match(pattern: RegExp, sql: string, at: number): number | undefined {
  pattern.lastIndex = at;
  return pattern.test(sql) ? pattern.lastIndex : undefined;
}

/** Where a text that runs up to `mark` ends; at the end of the input when it is never closed. */
function endOf(sql: string, mark: string, from: number): number {
  const found = sql.indexOf(mark, from);
  return found < 0 ? sql.length : found + mark.length;
}

function endOfQuoted(sql: string, from: number, quote: string, backslash: boolean): number {
  let at = from + 1;
  while (at < sql.length) {
    if (backslash && sql[at] === "\\") at += 2;
    else if (sql[at] !== quote) at += 1;
    else if (sql[at + 1] === quote) at += 2;
    else return at + 1;
  }
  return sql.length;
}

/** The name a `word` or `name` token stands for. */
export function nameOf(token: Token): string {
  if (token.kind === "word") return token.text;
  const inner = token.text.slice(1, -1);
  const quote = token.text[0]!;
  return quote === "[" ? inner : inner.replaceAll(quote + quote, quote);
}

/** Whether a token means something to the database. */
export function matters(token: Token): boolean {
  return token.kind !== "space" && token.kind !== "comment";
}

/** A column's place in an expression; braces in its name are doubled. */
export function placeOf(name: string): string {
  return `{${name.replace(/[{}]/g, "$&$&")}}`;
}

/** The inverse of placeOf. */
export function nameInPlace(place: string): string {
  return place.slice(1, -1).replace(/([{}])\1/g, "$1");
}
