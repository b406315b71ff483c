import { reserved } from "./names.js";
import type { Index, Rule, Schema } from "../../schema/types.js";
import { settleSchema, type SettleRules } from "../../lower/settle.js";
import { parenthesizedSql, defaultSql, nowSql, ruleSql } from "./expressions.js";
import { NAME, typeSql } from "./types.js";

export const TOKENS = { brackets: true, reserved } as const;

const RULES: SettleRules = {
  dialect: NAME,
  tokens: TOKENS,
  keepsNotes: false,
  roles: false,
  namespaces: false,
  unnamed: true,
  cannotHoldIndex,
  unheld: { part: ["deferrable", "include"], term: ["nulls", "operatorClass", "length"] },
  identity: identity => (identity === "always" ? "serial" : identity),
  type: typeSql,
  rule: ruleSql,
  default: defaultSql,
  defaultSql: parenthesizedSql,
  now: nowSql,
};

/** The schema as SQLite holds it. */
export function settle(schema: Schema): Schema {
  return settleSchema(schema, RULES);
}

/** Why SQLite cannot hold an index. */
export function cannotHoldIndex({ method }: Index): string | undefined {
  return method === undefined ? undefined : `SQLite has no indexes of the kind ${method}`;
}

/** Why SQLite cannot hold a rule. */
export function cannotHold(rule: Rule): string | undefined {
  return rule.kind === "pattern" && ruleSql(rule) === undefined
    ? "SQLite has no regular expressions, and GLOB cannot say this one"
    : undefined;
}
