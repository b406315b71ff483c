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
  /** A name without quotes means the one in lower case (PostgreSQL); elsewhere case does not matter. */
  readonly folds?: boolean;
  /** `#` starts a comment (MariaDB). */
  readonly hash?: boolean;
}

/** @returns the tokens in order, spaces and comments among them */
export function tokenize(sql: string, rules: TokenRules = PLAIN): Token[] {
  const pattern = patternOf(rules);
  const tokens: Token[] = [];
  let at = 0;
  while (at < sql.length) {
    pattern.lastIndex = at;
    const match = pattern.exec(sql);
    const kind = match
      ? KINDS[match.findIndex((group, index) => index > 0 && group !== undefined) - 1]!
      : "symbol";
    const text =
      kind === "symbol" ? sql[at]! : kind === "dollar" ? dollarString(sql, at, match![0]) : match![0];
    tokens.push({ kind: kind === "dollar" ? "string" : kind, text, at });
    at += text.length;
  }
  return tokens;
}

const PLAIN: TokenRules = {};

/** What each group of the pattern finds, in their order. */
const KINDS = ["space", "comment", "string", "name", "dollar", "place", "word", "number"] as const;

const patterns = new WeakMap<TokenRules, RegExp>();

/** One pattern for all kinds, tried at one place after the other. What is never closed runs to the end. */
function patternOf(rules: TokenRules): RegExp {
  const known = patterns.get(rules);
  if (known) return known;
  const never = "(?!)";
  const quoted = (quote: string, inner: string) => `${quote}${inner}(?:${quote}|$)`;
  const kinds: Record<(typeof KINDS)[number], string> = {
    space: "\\s+",
    comment: `--[^\n]*\n?|/\\*[^]*?(?:\\*/|$)${rules.hash ? "|#[^\n]*\n?" : ""}`,
    string: quoted("'", rules.backslash ? "(?:[^'\\\\]|''|\\\\[^])*" : "(?:[^']|'')*"),
    name: [
      quoted('"', '(?:[^"]|"")*'),
      quoted("`", "(?:[^`]|``)*"),
      ...(rules.brackets ? ["\\[[^\\]]*(?:\\]|$)"] : []),
    ].join("|"),
    dollar: rules.dollar ? "\\$(?:[A-Za-z_]\\w*)?\\$" : never,
    place: "\\{(?:[^{}]|\\{\\{|\\}\\})+\\}",
    word: "[\\p{L}_\\u0080-\\uffff][\\p{L}\\p{N}_$\\u0080-\\uffff]*",
    number: "0[xX][0-9a-fA-F]+|(?:\\d+\\.?\\d*|\\.\\d+)(?:[eE][+-]?\\d+)?",
  };
  const made = new RegExp(KINDS.map(kind => `(${kinds[kind]})`).join("|"), "uy");
  patterns.set(rules, made);
  return made;
}

/** `$tag$ … $tag$` */
function dollarString(sql: string, at: number, tag: string): string {
  const end = sql.indexOf(tag, at + tag.length);
  return end < 0 ? sql.slice(at) : sql.slice(at, end + tag.length);
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
