import type { Change } from "../change/types.js";
import { isOfDefinition } from "../change/types.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { problems } from "../problems.js";
import { isObject } from "../schema/types.js";
import { textFor } from "../sql/placeholders.js";
import { tokenize, type Token } from "../sql/tokens.js";
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
  let depth = 0;
  // What is never closed runs to the end, and takes the blank along.
  for (const { kind, text: token } of tokenize(`${text} `, rules)) {
    if (token === "(") depth += 1;
    if (token === ")") depth -= 1;
    if (token === ";" || depth < 0) return false;
    if (RUNNING.has(kind) && token.endsWith(" ")) return false;
  }
  return depth === 0;
}

/** Tokens that go on until something closes them. */
const RUNNING: ReadonlySet<Token["kind"]> = new Set(["string", "name", "comment"]);
