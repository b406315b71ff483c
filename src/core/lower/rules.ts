import type { Rule, TypeRuleKind } from "../schema/types.js";
import { placeholderOf } from "../sql/tokens.js";

/** How a dialect says what dialects say differently. Undefined: its types hold the rule, or it cannot. */
interface RuleWords {
  readonly literal: (value: string | number | boolean) => string;
  /** A column and a moment as they are compared. */
  readonly moment: (column: string, moment: Date) => readonly [string, string];
  /** The function that counts a text's characters. */
  readonly length: string;
  /** A text's bytes in UTF-8. */
  readonly bytes: (column: string) => string;
  /** A column whose text is compared to the letter. */
  readonly exact: (column: string) => string;
  /** Where in a column a text begins, from 1; 0 when nowhere. */
  readonly position: (text: string, column: string) => string;
  readonly pattern: (column: string, pattern: string, flags: string) => string | undefined;
  readonly letters: (column: string, which: "lower" | "upper") => string;
  readonly type: (column: string, kind: TypeRuleKind) => string | undefined;
  readonly decimalPlaces: (column: string, places: number) => string | undefined;
  /** Whether JSON is one of these. */
  readonly shape: (column: string, shapes: readonly ("array" | "object")[]) => string;
  readonly items: (column: string) => string;
  /** How many of some columns are set. */
  readonly set: (columns: readonly string[]) => string;
}

/** A rule as a condition, columns as placeholders. */
export function portableRuleSql(rule: Exclude<Rule, { kind: "sql" }>, words: RuleWords): string | undefined {
  if ("columns" in rule) {
    const columns = rule.columns.map(placeholderOf);
    if (rule.kind === "one of") return `${words.set(columns)} ${rule.optional ? "<=" : "="} 1`;
    return columns
      .slice(1)
      .map(column => `(${column} IS NULL) = (${columns[0]!} IS NULL)`)
      .join(" AND ");
  }
  const column = placeholderOf(rule.column);
  const { literal } = words;
  switch (rule.kind) {
    case "min":
    case "max": {
      const [left, right] =
        typeof rule.value === "string"
          ? words.moment(column, new Date(rule.value))
          : [column, literal(rule.value)];
      return `${left} ${rule.kind === "min" ? ">=" : "<="} ${right}`;
    }
    case "above":
      return `${column} > ${rule.value}`;
    case "below":
      return `${column} < ${rule.value}`;
    case "min length":
      return `${words.length}(${column}) >= ${rule.value}`;
    case "max length":
      return `${words.length}(${column}) <= ${rule.value}`;
    case "min bytes":
      return `${words.bytes(column)} >= ${rule.value}`;
    case "max bytes":
      return `${words.bytes(column)} <= ${rule.value}`;
    case "min items":
      return `${words.items(column)} >= ${rule.value}`;
    case "max items":
      return `${words.items(column)} <= ${rule.value}`;
    case "decimal places":
      return words.decimalPlaces(column, rule.value);
    case "in":
    case "not in": {
      const texts = rule.values.some(value => typeof value === "string");
      const list = rule.values.map(literal).join(", ");
      return `${texts ? words.exact(column) : column} ${rule.kind === "in" ? "IN" : "NOT IN"} (${list})`;
    }
    case "divisible":
      return `${column} % ${rule.value} = 0`;
    case "contains":
      return `${words.position(literal(rule.value), column)} > 0`;
    case "not contains":
      return `${words.position(literal(rule.value), column)} = 0`;
    case "pattern":
      return words.pattern(column, rule.pattern, rule.flags);
    case "lower case":
      return words.letters(column, "lower");
    case "upper case":
      return words.letters(column, "upper");
    case "array":
    case "object":
      return words.shape(column, [rule.kind]);
    case "structure":
      return words.shape(column, ["array", "object"]);
    case "only with":
      return `${column} IS NULL OR ${placeholderOf(rule.other)} IS NOT NULL`;
    case "boolean":
    case "json":
    case "whole":
    case "number":
    case "date":
    case "time":
    case "moment":
    case "uuid":
      return words.type(column, rule.kind);
    default:
      return rule satisfies never;
  }
}
