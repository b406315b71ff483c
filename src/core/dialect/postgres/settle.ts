import type { Rule, Schema } from "../../schema/types.js";
import { settleSchema, type SettleRules } from "../settle.js";
import { defaultText, ruleText } from "./expressions.js";
import { NAME, typeText } from "./types.js";

export const TOKENS = { dollar: true } as const;

/** NAMEDATALEN - 1: https://www.postgresql.org/docs/15/limits.html */
const NAME_LIMIT = 63;

const RULES: SettleRules = {
  dialect: NAME,
  tokens: TOKENS,
  nameLimit: NAME_LIMIT,
  keepsNotes: true,
  type: typeText,
  rule: ruleText,
  default: defaultText,
  defaultSql: text => text,
  now: () => "now()",
};

/** The schema as PostgreSQL holds it, expressions as they are sent; the server spells them its own way. */
export function settle(schema: Schema): Schema {
  return settleSchema(schema, RULES);
}

/** Parts of regular expressions that JavaScript reads otherwise than https://www.postgresql.org/docs/15/functions-matching.html */
const FOREIGN_PATTERN = /\(\?<[=!a-z]|\\[pPkbBc]|\\u/i;

/** Why PostgreSQL cannot hold a rule. */
export function cannotHold(rule: Rule): string | undefined {
  return rule.kind === "pattern" && FOREIGN_PATTERN.test(rule.pattern)
    ? "PostgreSQL reads parts of this pattern differently"
    : undefined;
}
