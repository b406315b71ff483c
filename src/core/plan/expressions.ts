import type { Change } from "../change/types.js";
import { isOfDefinition } from "../change/types.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { problems } from "../problems.js";
import { isObject } from "../schema/types.js";
import { textFor } from "../sql/placeholders.js";
import { kindOf, meaningfulTokens, tokenize, type Token } from "../sql/tokens.js";
import type { SqlText } from "../../modelling/facts.js";

/**
 * Refuses expressions and types that would end what they stand in, in a statement or in a query that counts rows: those of a record
 * of a migration may be anybody's. @throws Problem E306
 */
export function assertExpressions(changes: readonly Change[], dialect: Dialect): void {
  for (const change of changes) {
    // An object is a statement of its own.
    if (isOfDefinition(change) && isObject("before" in change ? change.before : change.definition)) continue;
    for (const text of expressionsIn(change, dialect.name))
      if (!standsAlone(text, dialect)) throw problems.brokenExpression({ expression: text });
  }
}

/** The texts of SQL in plain data, wherever they stand. */
function expressionsIn(value: unknown, dialect: string, key = ""): string[] {
  if (typeof value === "string") return SQL_KEYS.has(key) ? [value] : [];
  if (typeof value !== "object" || value === null) return [];
  if (SQL_KEYS.has(key) && !Array.isArray(value)) return [textFor(value as SqlText, dialect) ?? ""];
  if (Array.isArray(value)) return value.flatMap(each => expressionsIn(each, dialect, key));
  return Object.entries(value).flatMap(([name, each]) => expressionsIn(each, dialect, name));
}

const SQL_KEYS: ReadonlySet<string> = new Set(["sql", "where"]);

/** Whether brackets close only what they open, quotes and comments end, and no semicolon stands outside of them. */
function standsAlone(text: string, { tokens: rules }: Dialect): boolean {
  const { texts } = meaningfulTokens(`${text}\n`, rules);
  let depth = 0;
  for (const token of texts) {
    if (token === "(") depth += 1;
    if (token === ")") depth -= 1;
    if (token === ";" || depth < 0) return false;
    const kind = kindOf(token, rules);
    if ((kind === "string" || kind === "name") && !isClosed(token)) return false;
  }
  // What is behind a comment that never ends would be part of it.
  return depth === 0 && !tokenize(text, rules).some(isOpenComment);
}

function isOpenComment({ kind, text }: Token): boolean {
  return kind === "comment" && (text.startsWith("/*") ? !/^\/\*[^]*\*\/$/.test(text) : !text.endsWith("\n"));
}

/** Whether a string or a quoted name ends as it began. */
function isClosed(token: string): boolean {
  const opening = /^[eE](?=')/.test(token) ? token.slice(1) : token;
  const tag = /^\$\w*\$/.exec(opening)?.[0];
  const quote = tag ?? (opening[0] === "[" ? "]" : opening[0]!);
  return (
    opening.length >= quote.length * (opening[0] === "[" ? 1 : 2) &&
    opening.endsWith(quote) &&
    !opening.endsWith("\n")
  );
}
