import type { DataType, Rule } from "../schema/types.js";
import type { Validator } from "./entities.js";
import { allowedValues } from "./infer-type.js";

/** The rules of a column: those class-validator states that a row can be held to, and those its type implies. */
export function rulesOf(column: string, type: DataType, validators: readonly Validator[]): Rule[] {
  const stated = validators.flatMap(validator => (validator.each ? [] : ruleOf(column, type, validator)));
  return withoutRepeats([...stated, ...typeRules(column, type)]);
}

function ruleOf(column: string, type: DataType, validator: Validator): Rule[] {
  const [first, second] = validator.constraints;
  const number = (kind: "min" | "max" | "min length" | "max length" | "divisible", value: unknown): Rule[] =>
    typeof value === "number" && Number.isFinite(value) ? [{ kind, column, value }] : [];
  switch (validator.name) {
    case "min":
    case "max":
      return number(validator.name, first);
    case "isPositive":
      return [{ kind: "above", column, value: 0 }];
    case "isNegative":
      return [{ kind: "below", column, value: 0 }];
    case "isDivisibleBy":
      return number("divisible", first);
    case "minLength":
      return number("min length", first);
    case "maxLength":
      return number("max length", first);
    case "isLength":
      return [...number("min length", first || undefined), ...number("max length", second)];
    case "minDate":
      return first instanceof Date ? [{ kind: "min", column, value: first.toISOString() }] : [];
    case "maxDate":
      return first instanceof Date ? [{ kind: "max", column, value: first.toISOString() }] : [];
    case "isIn":
    case "isEnum": {
      const values = allowedValues(validator);
      return values ? [{ kind: "in", column, values }] : [];
    }
    case "isNotIn": {
      const values = allowedValues({ ...validator, name: "isIn" });
      return values ? [{ kind: "not in", column, values }] : [];
    }
    case "equals":
      return isPlain(first) ? [{ kind: "in", column, values: [first] }] : [];
    case "notEquals":
      return isPlain(first) ? [{ kind: "not in", column, values: [first] }] : [];
    case "isNotEmpty":
      return isText(type) ? [{ kind: "not in", column, values: [""] }] : [];
    case "contains":
      return typeof first === "string" ? [{ kind: "contains", column, value: first }] : [];
    case "notContains":
      return typeof first === "string" ? [{ kind: "not contains", column, value: first }] : [];
    case "matches":
      return first instanceof RegExp
        ? [{ kind: "pattern", column, pattern: first.source, flags: first.flags }]
        : [
            {
              kind: "pattern",
              column,
              pattern: String(first),
              flags: typeof second === "string" ? second : "",
            },
          ];
    case "isLatitude":
      return [...number("min", -90), ...number("max", 90)];
    case "isLongitude":
      return [...number("min", -180), ...number("max", 180)];
    default:
      return [];
  }
}

function isPlain(value: unknown): value is string | number | boolean {
  return ["string", "number", "boolean"].includes(typeof value);
}

function isText(type: DataType): boolean {
  return type.kind === "text" || type.kind === "varchar" || type.kind === "char";
}

/** Kept as data like any other rule: an engine that holds a type by itself leaves them out. */
function typeRules(column: string, type: DataType): Rule[] {
  switch (type.kind) {
    case "char":
    case "varchar":
      return [{ kind: "max length", column, value: type.length }];
    case "boolean":
      return [{ kind: "boolean", column }];
    case "json":
      return [{ kind: "json", column }];
    default:
      return [];
  }
}

/** Of several bounds only the tightest; a list of allowed values makes a length needless. */
function withoutRepeats(rules: readonly Rule[]): Rule[] {
  const listed = rules.some(({ kind }) => kind === "in");
  const tightest = new Map<string, Rule>();
  const others: Rule[] = [];
  for (const rule of rules) {
    if (listed && (rule.kind === "min length" || rule.kind === "max length" || rule.kind === "boolean"))
      continue;
    if (
      rule.kind === "min length" ||
      rule.kind === "max length" ||
      rule.kind === "boolean" ||
      rule.kind === "json"
    ) {
      const known = tightest.get(rule.kind);
      if (!known || isTighter(rule, known)) tightest.set(rule.kind, rule);
    } else others.push(rule);
  }
  return [...others, ...tightest.values()];
}

function isTighter(rule: Rule, than: Rule): boolean {
  if (rule.kind === "min length" && than.kind === rule.kind) return rule.value > than.value;
  return rule.kind === "max length" && than.kind === rule.kind && rule.value < than.value;
}
