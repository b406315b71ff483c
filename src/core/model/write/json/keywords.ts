import { equal } from "../../../schema/canonical.js";
import { escapedCharacter, translatePattern, type PatternWords } from "../../../lower/pattern.js";
import { TEXTS, WHOLE_NUMBERS } from "../../../schema/data-type.js";
import type { DataType, Rule } from "../../../schema/types.js";

/** A schema, or a part of one: https://json-schema.org/draft/2020-12/json-schema-validation */
export type JsonSchema = Readonly<Record<string, unknown>>;

/** As JavaScript reads patterns that have its flag u, and every reader of JSON Schema does in its own way. */
const PATTERNS: PatternWords = {
  start: "^",
  end: "$",
  any: "[\\s\\S]",
  character: (codePoint, inSet) => escapedCharacter(codePoint, inSet, byNumber),
  looksAhead: true,
  mostTimes: Infinity,
};

/** What the values of a type are in JSON. Formats tell a reader; they refuse nothing. */
export function keywordsOfType(type: DataType): JsonSchema {
  switch (type.kind) {
    case "boolean":
      return { type: "boolean" };
    case "smallint":
      return { type: "integer", format: "int16" };
    case "integer":
      return { type: "integer", format: "int32" };
    case "bigint":
      return { type: "integer", format: "int64" };
    case "real":
      return { type: "number", format: "float" };
    case "double":
      return { type: "number", format: "double" };
    case "decimal":
      return { type: "number" };
    case "text":
    case "varchar":
    case "char":
      return { type: "string" };
    case "date":
      return { type: "string", format: "date" };
    case "time":
      return { type: "string", format: "time" };
    case "timestamp":
    case "timestamptz":
      return { type: "string", format: "date-time" };
    case "uuid":
      return { type: "string", format: "uuid" };
    case "bytes":
      return { type: "string", contentEncoding: "base64" };
    case "json":
    case "native":
      return {};
  }
}

/** The formats of rules that no keyword holds. */
export const FORMATS: Readonly<Record<string, string>> = {
  isEmail: "email",
  isUrl: "uri",
  isFqdn: "hostname",
  isIso8601: "date-time",
  isRFC3339: "date-time",
  isDateString: "date-time",
  isTimeZone: "time-zone",
};

/** What holds a rule of one field; undefined where no keyword does. */
export function keywordsOfRule(rule: Rule, type: DataType): JsonSchema | undefined {
  switch (rule.kind) {
    case "min":
    case "max":
      return typeof rule.value === "number"
        ? { [rule.kind === "min" ? "minimum" : "maximum"]: rule.value }
        : undefined;
    case "above":
      return { exclusiveMinimum: rule.value };
    case "below":
      return { exclusiveMaximum: rule.value };
    case "min length":
      return { minLength: rule.value };
    case "max length":
      return { maxLength: rule.value };
    case "min items":
      return { minItems: rule.value };
    case "max items":
      return { maxItems: rule.value };
    case "in":
      return rule.values.length === 0 ? { not: {} } : { enum: rule.values };
    case "not in":
      return { not: { enum: rule.values } };
    case "divisible":
      return WHOLE_NUMBERS.includes(type.kind) ? { multipleOf: rule.value } : undefined;
    case "contains":
      return { pattern: literally(rule.value) };
    case "not contains":
      // Of what is no text a pattern asks nothing, and its opposite all.
      return { not: { type: "string", pattern: literally(rule.value) } };
    case "pattern": {
      const { text } = translatePattern(rule.pattern, rule.flags, PATTERNS);
      return text === undefined ? undefined : { pattern: text };
    }
    case "array":
    case "object":
    case "filled object":
    case "structure":
      // A text may hold JSON, and no keyword looks into it.
      return TEXTS.includes(type.kind) ? undefined : STRUCTURES[rule.kind];
    case "lower case":
      return { pattern: "^[^A-Z]*$" };
    case "upper case":
      return { pattern: "^[^a-z]*$" };
    case "whole":
      return { type: "integer" };
    case "json":
      return type.kind === "json" ? {} : undefined;
    case "boolean":
    case "number":
    case "date":
    case "time":
    case "moment":
    case "uuid":
      // The type says it.
      return {};
    // A multiple of 0.01 is not told from its neighbours in floating point; the others no keyword knows.
    case "decimal places":
    case "min bytes":
    case "max bytes":
    case "uuid version":
    case "sql":
    case "one of":
    case "together":
    case "only with":
      return undefined;
  }
}

const STRUCTURES = {
  array: { type: "array" },
  object: { type: "object" },
  "filled object": { minProperties: 1 },
  structure: { type: ["object", "array"] },
} as const;

function byNumber(hex: string): string {
  return hex.length > 4 ? String.fromCodePoint(parseInt(hex, 16)) : `\\u${hex.padStart(4, "0")}`;
}

function literally(text: string): string {
  return [...text].map(letter => escapedCharacter(letter.codePointAt(0)!, false, byNumber)).join("");
}

/** One that asks for all that several do. */
export function together(parts: readonly JsonSchema[]): JsonSchema {
  const merged: Record<string, unknown> = {};
  const more: JsonSchema[] = [];
  for (const part of parts)
    for (const [keyword, value] of Object.entries(part)) {
      if (keyword === "type" && merged["type"] === "number" && value === "integer") merged["type"] = value;
      else if (!Object.hasOwn(merged, keyword) || merged[keyword] === value) merged[keyword] = value;
      else if (keyword !== "format") more.push({ [keyword]: value });
    }
  return more.length === 0 ? merged : { ...merged, allOf: more };
}

/** The same, and null. */
export function orNull(schema: JsonSchema): JsonSchema {
  const { type, enum: values, allOf, not, ...rest } = schema;
  if (equal(not, {})) return { ...rest, enum: [null] };
  return {
    ...(type !== undefined && { type: [...[type].flat(), "null"] }),
    ...rest,
    ...(not !== undefined && { not }),
    ...(values !== undefined && { enum: [...(values as unknown[]), null] }),
    ...(allOf !== undefined && { allOf: (allOf as JsonSchema[]).map(orNull) }),
  };
}
