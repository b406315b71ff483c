import { nameInPlaceholder, tokenize } from "./tokens.js";
import type { SqlText } from "../../modelling/facts.js";

/** The text meant for a dialect; undefined when the developer gave texts for other dialects only. */
export function textFor(sql: SqlText, dialect: string): string | undefined {
  return typeof sql === "string" ? sql : sql[dialect];
}

/**
 * Replaces every `{name}` that stands outside of string literals, quoted names and comments.
 * `{weight} < 40000` → `"weight" < 40000`
 */
export function fillPlaceholders(text: string, replace: (name: string) => string): string {
  if (!text.includes("{")) return text;
  let filled = "";
  for (const { kind, text: each } of tokenize(text))
    filled += kind === "placeholder" ? replace(nameInPlaceholder(each)) : each;
  return filled;
}

/** The names that stand in placeholders of a text, each once. */
export function placeholdersIn(text: string): string[] {
  const names = tokenize(text).flatMap(token =>
    token.kind === "placeholder" ? [nameInPlaceholder(token.text)] : [],
  );
  return [...new Set(names)];
}

/** The same change made to every dialect's text. */
export function mapSqlText(sql: SqlText, change: (text: string) => string): SqlText {
  if (typeof sql === "string") return change(sql);
  return Object.fromEntries(Object.entries(sql).map(([dialect, text]) => [dialect, change(text)]));
}

/** The names in placeholders of any dialect's text. */
export function placeholdersInSqlText(sql: SqlText): string[] {
  return [...new Set((typeof sql === "string" ? [sql] : Object.values(sql)).flatMap(placeholdersIn))];
}
