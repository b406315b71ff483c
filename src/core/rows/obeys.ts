import type { Rule } from "../schema/types.js";

/** Whether a value keeps to a rule, as far as that can be told of the value alone: SQL of one's own is for the database. */
export function obeys(value: string | number | boolean, rule: Rule): boolean {
  const text = String(value);
  switch (rule.kind) {
    case "min":
      return typeof rule.value === "number" ? Number(value) >= rule.value : text >= rule.value;
    case "max":
      return typeof rule.value === "number" ? Number(value) <= rule.value : text <= rule.value;
    case "above":
      return Number(value) > rule.value;
    case "below":
      return Number(value) < rule.value;
    case "min length":
      return [...text].length >= rule.value;
    case "max length":
      return [...text].length <= rule.value;
    case "min bytes":
      return Buffer.byteLength(text) >= rule.value;
    case "max bytes":
      return Buffer.byteLength(text) <= rule.value;
    case "in":
      return rule.values.includes(value);
    case "not in":
      return !rule.values.includes(value);
    case "divisible":
      return Number(value) % rule.value === 0;
    case "contains":
      return text.includes(rule.value);
    case "not contains":
      return !text.includes(rule.value);
    case "lower case":
      return text === text.toLowerCase();
    case "upper case":
      return text === text.toUpperCase();
    case "decimal places":
      return (/\.(\d+)$/.exec(text)?.[1]?.length ?? 0) <= rule.value;
    case "pattern":
      return patternHolds(rule, text);
    default:
      return true;
  }
}

function patternHolds(
  { pattern, flags }: { readonly pattern: string; readonly flags: string },
  text: string,
): boolean {
  try {
    return new RegExp(pattern, flags.replace(/[gy]/g, "")).test(text);
  } catch {
    return true;
  }
}
