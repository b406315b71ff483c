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
  const tokens: Token[] = [];
  scan(sql, rules, (kind, at, end) => void tokens.push({ kind, text: sql.slice(at, end), at }));
  return tokens;
}

/** The tokens of a text that mean something, column by column: a catalog has them by the hundred thousand. */
export interface TokenColumns {
  readonly kinds: readonly Token["kind"][];
  readonly starts: readonly number[];
  /** Where each ends, exclusive. */
  readonly ends: readonly number[];
}

export function meaningfulTokens(sql: string, rules: TokenRules): TokenColumns {
  const [kinds, starts, ends]: [Token["kind"][], number[], number[]] = [[], [], []];
  scan(sql, rules, (kind, start, end) => {
    if (kind === "space" || kind === "comment") return;
    kinds.push(kind);
    starts.push(start);
    ends.push(end);
  });
  return { kinds, starts, ends };
}

function scan(
  sql: string,
  rules: TokenRules,
  found: (kind: Token["kind"], start: number, end: number) => void,
) {
  const pattern = patternOf(rules);
  for (let at = 0; at < sql.length;) {
    const start = at;
    const code = sql.charCodeAt(at);
    const plain = plainKind(code);
    at = plain === undefined ? start : plainEnd(sql, start, code);
    if (plain !== undefined && at > start) {
      found(plain, start, at);
      continue;
    }
    pattern.lastIndex = start;
    const match = pattern.exec(sql);
    const kind = match ? kindOf(match) : "symbol";
    const length =
      kind === "symbol" ? 1 : kind === "dollar" ? dollarLength(sql, start, match![0]) : match![0].length;
    at = start + length;
    found(kind === "dollar" ? "string" : kind, start, at);
  }
}

function kindOf(match: RegExpExecArray): (typeof KINDS)[number] {
  let group = 1;
  while (match[group] === undefined) group += 1;
  return KINDS[group - 1]!;
}

/** Most tokens are told by their first character. */
function plainKind(code: number): Token["kind"] | undefined {
  if (code === 0x20 || code === 0x0a) return "space";
  if (code === 0x28 || code === 0x29 || code === 0x2c || code === 0x3d) return "symbol";
  if (code === 0x22) return "name";
  return code < 0x80 && IN_WORD[code] === STARTS ? "word" : undefined;
}

/** Where such a token ends; its start when only the pattern can tell. */
function plainEnd(sql: string, start: number, code: number): number {
  let end = start + 1;
  if (code === 0x20 || code === 0x0a) {
    while (sql.charCodeAt(end) === 0x20 || sql.charCodeAt(end) === 0x0a) end += 1;
    return end;
  }
  if (code === 0x22) {
    const quote = sql.indexOf('"', end);
    // A doubled quote is part of the name.
    return quote < 0 || sql.charCodeAt(quote + 1) === 0x22 ? start : quote + 1;
  }
  if (code < 0x40) return end;
  while (end < sql.length && IN_WORD[sql.charCodeAt(end)]! > 0) end += 1;
  return sql.charCodeAt(end) >= 0x80 ? start : end;
}

const STARTS = 2;

/** By ASCII code: whether a word may begin with the character, go on with it (1), or neither. */
const IN_WORD = Uint8Array.from({ length: 0x80 }, (_, code) => {
  const character = String.fromCharCode(code);
  return /[A-Za-z_]/.test(character) ? STARTS : /[0-9$]/.test(character) ? 1 : 0;
});

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
function dollarLength(sql: string, at: number, tag: string): number {
  const end = sql.indexOf(tag, at + tag.length);
  return (end < 0 ? sql.length : end + tag.length) - at;
}

/** The name a `word` or `name` token stands for. */
export function nameOf(token: Pick<Token, "kind" | "text">): string {
  if (token.kind === "word") return token.text;
  const inner = token.text.slice(1, -1);
  const quote = token.text[0]!;
  return quote === "[" || !inner.includes(quote) ? inner : inner.replaceAll(quote + quote, quote);
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
