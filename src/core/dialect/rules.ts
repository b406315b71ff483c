import type { Rule } from "../schema/types.js";
import { placeOf } from "./tokens.js";

/** How a dialect says what dialects say differently. Undefined: it holds the rule in another way, or cannot. */
export interface RuleWords {
  readonly literal: (value: string | number | boolean) => string;
  /** The function that counts a text's characters. */
  readonly length: string;
  /** Where in a column a text begins, from 1; 0 when nowhere. */
  readonly position: (text: string, column: string) => string;
  readonly pattern: (column: string, pattern: string, caseless: boolean) => string | undefined;
  readonly boolean: (column: string) => string | undefined;
  readonly json: (column: string) => string | undefined;
}

/** A rule as a condition, columns as places. */
export function ruleCondition(rule: Exclude<Rule, { kind: "sql" }>, words: RuleWords): string | undefined {
  const column = placeOf(rule.column);
  const { literal } = words;
  switch (rule.kind) {
    case "min":
      return `${column} >= ${literal(rule.value)}`;
    case "max":
      return `${column} <= ${literal(rule.value)}`;
    case "above":
      return `${column} > ${rule.value}`;
    case "below":
      return `${column} < ${rule.value}`;
    case "min length":
      return `${words.length}(${column}) >= ${rule.value}`;
    case "max length":
      return `${words.length}(${column}) <= ${rule.value}`;
    case "in":
      return `${column} IN (${rule.values.map(literal).join(", ")})`;
    case "not in":
      return `${column} NOT IN (${rule.values.map(literal).join(", ")})`;
    case "divisible":
      return `${column} % ${rule.value} = 0`;
    case "contains":
      return `${words.position(literal(rule.value), column)} > 0`;
    case "not contains":
      return `${words.position(literal(rule.value), column)} = 0`;
    case "pattern":
      return words.pattern(column, rule.pattern, rule.flags.includes("i"));
    case "boolean":
      return words.boolean(column);
    case "json":
      return words.json(column);
    default:
      return rule satisfies never;
  }
}
