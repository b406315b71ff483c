/**
 * SQL cut into tokens, loosely: enough to find statements, names, placeholders and the parts of a CREATE TABLE,
 * never enough to judge an expression. Nothing is lost: the texts of all tokens joined give the input back.
 */
export interface Token {
  readonly kind: "word" | "name" | "string" | "number" | "placeholder" | "symbol" | "space" | "comment";
  /** As written, quotes included. */
  readonly text: string;
  readonly at: number;
}

export interface TokenRules {
  /** `\'` inside a string is a quote (MariaDB). */
  readonly backslash?: boolean;
  /** `$tag$ … $tag$` is a string, in `E'it\'s'` a backslash escapes, and comments stand within comments (PostgreSQL). */
  readonly dollar?: boolean;
  /** `[name]` is a quoted name (SQLite). */
  readonly brackets?: boolean;
  /** A name without quotes means the one in lower case (PostgreSQL); elsewhere case does not matter. */
  readonly folds?: boolean;
  /** `#` starts a comment, `--` only with a blank behind it, and what stands in a comment that begins with an exclamation mark is run (MariaDB). */
  readonly hash?: boolean;
  /** Words that are names only in quotes, in small letters. */
  readonly reserved?: ReadonlySet<string>;
  /** Its client takes `DELIMITER //` on a line of its own (MariaDB). */
  readonly delimiters?: boolean;
}

/** @returns the tokens in order, spaces and comments among them */
export function tokenize(sql: string, rules: TokenRules = PLAIN): Token[] {
  let at = 0;
  return textsOf(sql, rules).map(text => {
    const token = { kind: kindOf(text, rules), text, at };
    at += text.length;
    return token;
  });
}

/** The tokens of a text that mean something, column by column: a catalog has them by the hundred thousand. */
export interface TokenColumns {
  readonly texts: readonly string[];
  /** Where each begins. */
  readonly starts: readonly number[];
}

/** The tokens of SQL without blanks and comments, as two lists side by side: an object each would take longer. */
export function meaningfulTokens(sql: string, rules: TokenRules): TokenColumns {
  const [texts, starts]: [string[], number[]] = [[], []];
  let at = 0;
  for (const text of textsOf(sql, rules)) {
    if (!saysNothing(kindOf(text, rules))) {
      texts.push(text);
      starts.push(at);
    }
    at += text.length;
  }
  return { texts, starts };
}

const PLAIN: TokenRules = {};

const patterns = new WeakMap<TokenRules, RegExp>();

/** One search for all tokens: in a program that has just begun it is faster than a walk over the characters. */
function textsOf(sql: string, rules: TokenRules): readonly string[] {
  let pattern = patterns.get(rules);
  if (!pattern) patterns.set(rules, (pattern = patternOf(rules)));
  return sql.match(pattern) ?? [];
}

/** What no other kind takes is a symbol of one character. What is never closed runs to the end. */
function patternOf(rules: TokenRules): RegExp {
  // Whatever is not ASCII may stand in a word: SQLite and PostgreSQL take each byte from 0x80 on for a letter, MariaDB
  // U+0080 to U+FFFF.
  const letter = "A-Za-z_\\u0080-\\uffff";
  const quoted = (quote: string, escapes = "") => {
    const inner = escapes ? `[^${quote}\\\\]*` : `[^${quote}]*`;
    return `${quote}${inner}(?:(?:${quote}${quote}${escapes})${inner})*(?:${quote}|$)`;
  };
  return new RegExp(
    [
      "[ \\t\\n\\r\\f\\v]+",
      // https://mariadb.com/kb/en/comment-syntax/
      rules.hash ? "--(?=[\\x00-\\x20]|$)[^\n]*\n?" : "--[^\n]*\n?",
      rules.dollar ? nestedComment(NESTED) : "/\\*[^]*?(?:\\*/|$)",
      ...(rules.hash ? ["#[^\n]*\n?"] : []),
      quoted("'", rules.backslash ? "|\\\\[^]" : ""),
      ...(rules.dollar ? [`[eE]${quoted("'", "|\\\\[^]")}`] : []),
      quoted('"', rules.backslash ? "|\\\\[^]" : ""),
      quoted("`"),
      ...(rules.brackets ? ["\\[[^\\]]*(?:\\]|$)"] : []),
      ...(rules.dollar ? ["(?<tag>\\$(?:[A-Za-z_]\\w*)?\\$)[^]*?(?:\\k<tag>|$)"] : []),
      "\\{(?:[^{}]|\\{\\{|\\}\\})+\\}",
      `[${letter}][${letter}0-9$]*`,
      "0[xX][0-9a-fA-F]+|(?:\\d+\\.?\\d*|\\.\\d+)(?:[eE][+-]?\\d+)?",
      "[^]",
    ].join("|"),
    "g",
  );
}

/** How deep comments may stand within comments; what is deeper ends the outermost one earlier. */
const NESTED = 20;

/** https://www.postgresql.org/docs/15/sql-syntax-lexical.html#SQL-SYNTAX-COMMENTS */
function nestedComment(depth: number): string {
  const inner = depth === 0 ? "" : `|${nestedComment(depth - 1)}`;
  return `/\\*(?:[^*/]+|\\*(?!/)|/(?!\\*)${inner})*(?:\\*/|$)`;
}

/** The kind of a token, told by its first character, and by whether another follows it. */
export function kindOf(text: string, rules: TokenRules): Token["kind"] {
  const code = text.charCodeAt(0);
  const kind = code < 0x80 ? KINDS[code]! : "word";
  if (kind === "word" && rules.dollar && text.charCodeAt(1) === QUOTE) return "string";
  if (kind !== "symbol") return kind;
  const first = text[0]!;
  if (first === "[") return rules.brackets ? "name" : "symbol";
  if (first === "#") return rules.hash ? "comment" : "symbol";
  if (first === "/" && rules.hash && /^\/\*M?!/.test(text)) return "symbol";
  return text.length === 1 ? "symbol" : LONGER[first]!;
}

const QUOTE = 0x27;

/** By ASCII code. */
const KINDS = new Array<Token["kind"]>(0x80).fill("symbol");
for (const [kind, characters] of [
  ["space", " \t\n\r\f\v"],
  ["string", "'"],
  ["name", '"`'],
  ["word", "ABCDEFGHIJKLMNOPQRSTUVWXYZ_abcdefghijklmnopqrstuvwxyz"],
  ["number", "0123456789"],
] as const) {
  for (const character of characters) KINDS[character.charCodeAt(0)] = kind;
}

/** What begins with the character of a symbol and goes on. */
const LONGER: Readonly<Record<string, Token["kind"]>> = {
  "-": "comment",
  "/": "comment",
  "{": "placeholder",
  $: "string",
  ".": "number",
};

/** The name a `word` or `name` token stands for. */
export function nameOf(token: Pick<Token, "kind" | "text">): string {
  if (token.kind === "word") return token.text;
  const inner = token.text.slice(1, -1);
  const quote = token.text[0]!;
  return quote === "[" || !inner.includes(quote) ? inner : inner.replaceAll(quote + quote, quote);
}

/** Whether a token means something to the database. */
export function matters(token: Token): boolean {
  return !saysNothing(token.kind);
}

function saysNothing(kind: Token["kind"]): boolean {
  return kind === "space" || kind === "comment";
}

/** A column's placeholder in an expression; braces in its name are doubled. */
export function placeholderOf(name: string): string {
  return `{${name.replace(/[{}]/g, "$&$&")}}`;
}

/** The inverse of placeholderOf. */
export function nameInPlaceholder(placeholder: string): string {
  return placeholder.slice(1, -1).replace(/([{}])\1/g, "$1");
}
