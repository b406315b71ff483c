import type { Rule, TypeRuleKind } from "../schema/types.js";
import { placeholderOf } from "../sql/tokens.js";

/** How a dialect says what dialects say differently. Undefined: its types hold the rule, or it cannot. */
interface RuleWords {
  readonly literal: (value: string | number | boolean) => string;
  /** A number as a column's type has it, where that is not as it is written. */
  readonly asHeld?: (value: number) => string;
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
  /** Whether a text has none of some letters, `A-Z`. */
  readonly without: (column: string, letters: string) => string;
  readonly divisible: (column: string, by: number) => string;
  readonly uuidVersions: (column: string, versions: readonly string[]) => string;
  readonly type: (column: string, kind: TypeRuleKind) => string | undefined;
  readonly decimalPlaces: (column: string, places: number) => string | undefined;
  /** Whether JSON is one of these. */
  readonly shape: (column: string, shapes: readonly ("array" | "object")[]) => string;
  readonly filled: (column: string) => string;
  readonly items: (column: string) => string;
  /** How many of some columns are set. */
  readonly set: (columns: readonly string[]) => string;
}

/** A rule as a condition, columns as placeholders. */
export function portableRuleSql(rule: Exclude<Rule, { kind: "sql" }>, words: RuleWords): string | undefined {
  if ("columns" in rule) return severalSql(rule, words);
  const column = placeholderOf(rule.column);
  const { literal } = words;
  const held = (value: string | number | boolean) =>
    typeof value === "number" ? (words.asHeld ?? literal)(value) : literal(value);
  switch (rule.kind) {
    case "min":
    case "max":
      return (
        typeof rule.value === "string"
          ? words.moment(column, new Date(rule.value))
          : [column, held(rule.value)]
      ).join(rule.kind === "min" ? " >= " : " <= ");
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
      // No value is none of none.
      if (rule.values.length === 0) return `${column} IS NULL`;
      const texts = rule.values.some(value => typeof value === "string");
      const list = rule.values.map(held).join(", ");
      return `${texts ? words.exact(column) : column} ${rule.kind === "in" ? "IN" : "NOT IN"} (${list})`;
    }
    case "divisible":
      return words.divisible(column, rule.value);
    case "contains":
      return `${words.position(literal(rule.value), column)} > 0`;
    case "not contains":
      return `${words.position(literal(rule.value), column)} = 0`;
    case "pattern":
      return words.pattern(column, rule.pattern, rule.flags);
    case "lower case":
      return words.without(column, "A-Z");
    case "upper case":
      return words.without(column, "a-z");
    case "uuid version":
      return words.uuidVersions(column, rule.values);
    case "array":
    case "object":
      return words.shape(column, [rule.kind]);
    case "filled object":
      return words.filled(column);
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

function severalSql(rule: Extract<Rule, { columns: readonly string[] }>, { set }: RuleWords): string {
  const columns = rule.columns.map(placeholderOf);
  if (rule.kind === "one of") return `${set(columns)} ${rule.optional ? "<=" : "="} 1`;
  return columns
    .slice(1)
    .map(column => `(${column} IS NULL) = (${columns[0]!} IS NULL)`)
    .join(" AND ");
}

/** A pattern for UUIDs of some versions, spelled as servers do: in small letters, with hyphens. */
export function uuidVersionPattern(versions: readonly string[]): string {
  const digits = versions.filter(version => /^\d$/.test(version)).join("");
  return [
    digits && `^.{14}[${digits}].{4}[89ab]`,
    versions.includes("nil") && "^[0-]*$",
    versions.includes("max") && "^[f-]*$",
  ]
    .filter(Boolean)
    .join("|");
}
