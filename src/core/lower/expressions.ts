import type { Column, SqlText } from "../schema/types.js";
import { fillPlaceholders, textFor } from "../sql/placeholders.js";
import { kindOf, meaningfulTokens, nameOf, placeholderOf, type TokenRules } from "../sql/tokens.js";

/** Words that are never a column, whatever the columns are called. */
const OPERATORS = new Set(
  (
    "AND OR NOT IN IS NULL LIKE BETWEEN CASE WHEN THEN ELSE END GLOB REGEXP MATCH ESCAPE COLLATE CAST AS EXISTS " +
    "SELECT FROM WHERE TRUE FALSE DISTINCT ISNULL NOTNULL CURRENT_DATE CURRENT_TIME CURRENT_TIMESTAMP"
  ).split(" "),
);

/**
 * One spelling for an expression: columns as `{placeholders}`, one space where there was any, no comments.
 * `weight<40000 -- grams` → `{weight}<40000`
 */
export function spellExpression(text: string, columns: readonly Column[], rules: TokenRules): string {
  const { texts, starts } = meaningfulTokens(text, rules);
  const types = /::|\bas\b/i.test(text) ? wordsOfTypes(texts, rules) : undefined;
  let spelled = "";
  let end = starts[0];
  for (let nth = 0; nth < texts.length; nth += 1) {
    const [token, start] = [texts[nth]!, starts[nth]!];
    if (start !== end) spelled += " ";
    spelled += types?.has(nth) ? token : spellName(texts, nth, columns, rules);
    end = start + token.length;
  }
  return spelled;
}

/** A column's placeholder, or the token as it is: a function, a qualified name, an operator, something unknown. */
function spellName(
  tokens: readonly string[],
  nth: number,
  columns: readonly Column[],
  rules: TokenRules,
): string {
  const token = tokens[nth]!;
  const kind = kindOf(token, rules);
  if (kind !== "word" && kind !== "name") return token;
  const before = tokens[nth - 1];
  const after = tokens[nth + 1];
  if (after === "(" || after === "." || before === "." || before?.toUpperCase() === "COLLATE") return token;
  const isWord = kind === "word";
  if (isWord && OPERATORS.has(token.toUpperCase())) return token;
  const name = rules.folds && isWord ? token.toLowerCase() : nameOf({ kind, text: token });
  if (columns.some(column => column.name === name)) return placeholderOf(name);
  const column = rules.folds ? undefined : namesInSmallLetters(columns).get(name.toLowerCase());
  return column === undefined ? token : placeholderOf(column);
}

/** The names of columns by their small letters: a table has many expressions over the same columns. */
function namesInSmallLetters(columns: readonly Column[]): ReadonlyMap<string, string> {
  const known = smallLetters.get(columns);
  if (known) return known;
  const names = new Map(columns.map(({ name }) => [name.toLowerCase(), name]));
  smallLetters.set(columns, names);
  return names;
}

const smallLetters = new WeakMap<readonly Column[], ReadonlyMap<string, string>>();

/** Words that may follow a word within the name of a type: `timestamp without time zone`. */
const TYPE_WORDS: Readonly<Record<string, readonly string[]>> = {
  character: ["varying"],
  bit: ["varying"],
  double: ["precision"],
  timestamp: ["with", "without"],
  time: ["with", "without", "zone"],
  with: ["time"],
  without: ["time"],
};

/** Where words stand that name the type of a cast, `x::text` or `CAST(x AS text)`, whatever the columns are called. */
function wordsOfTypes(tokens: readonly string[], rules: TokenRules): Set<number> {
  const found = new Set<number>();
  for (const [nth, token] of tokens.entries()) {
    const kind = kindOf(token, rules);
    if (kind !== "word" && kind !== "name") continue;
    const [before = "", second] = [tokens[nth - 1], tokens[nth - 2]];
    const casts = (before === ":" && second === ":") || before.toUpperCase() === "AS";
    // A size may stand between: `timestamp(0) without time zone`.
    const last = before === ")" && tokens[nth - 3] === "(" ? nth - 4 : nth - 1;
    const goes = found.has(last) && TYPE_WORDS[tokens[last]!.toLowerCase()]?.includes(token.toLowerCase());
    if (casts || goes) found.add(nth);
  }
  return found;
}

/** An expression with its placeholders quoted, ready to stand in a statement. */
export function expressionSql(sql: SqlText, dialect: string, quote: (name: string) => string): string {
  return fillPlaceholders(textFor(sql, dialect) ?? "", quote);
}
