import type { Dialect } from "../../dialect/shared/dialect.js";
import { addressOf } from "../../schema/address.js";
import { parseNativeType } from "../../sql/native-type.js";
import { showDataType } from "../../schema/data-type.js";
import type { DataType, Definition, Rule } from "../../schema/types.js";
import { codeInLines, codeOf, LINE, type CodeValue } from "./code.js";
import type { Validator } from "../rules/validator.js";

/** How one model file names another in an import. */
export function importPath(from: string, to: string): string {
  const up = from.includes("/") ? "../" : "./";
  const sameFolder = from.includes("/") && from.split("/")[0] === to.split("/")[0];
  return `${sameFolder ? `./${to.split("/").slice(1).join("/")}` : `${up}${to}`}`.replace(/\.ts$/, ".js");
}

export interface Decorator {
  readonly name: string;
  readonly values: readonly CodeValue[];
}

/** A property with its decorators, on one line where it fits. */
export function declared(decorators: readonly Decorator[], property: string): string {
  const short = decorators.map(({ name, values }) => `@${name}(${values.map(codeOf).join(", ")})`);
  const line = [...short, property].join(" ");
  if (line.length + 2 <= LINE) return line;
  const long = decorators.map(({ name, values }, at) => {
    if (short[at]!.length + 2 <= LINE) return short[at];
    const rest = values
      .slice(0, -1)
      .map(value => `${codeOf(value)}, `)
      .join("");
    return `@${name}(${rest}${codeInLines(values.at(-1), "  ", LINE - name.length - rest.length - 5)})`;
  });
  return [...long, property].join("\n  ");
}

/** How a type is said on a field. */
export interface FieldType {
  readonly ts: string;
  /** Names and values of class-validator's decorators that say it. */
  readonly validators: readonly (readonly [string, ...CodeValue[]])[];
  /** What those validators are called in the rules' words. */
  readonly rules: readonly Validator[];
  /** What @Field must add. */
  readonly type?: CodeValue;
}

/** How a type is said on a field. @param dialect whose native types are meant; absent: none are */
export function fieldTypeOf(
  type: DataType,
  dialect?: Dialect,
  definitions: readonly Definition[] = [],
): FieldType {
  const plain = (ts: string, validator: string, typed?: CodeValue): FieldType => ({
    ts,
    validators: [[validator]],
    rules: [],
    ...(typed !== undefined && { type: typed }),
  });
  switch (type.kind) {
    case "boolean":
      return plain("boolean", "IsBoolean");
    case "integer":
      return plain("number", "IsInt");
    case "smallint":
    case "bigint":
      return plain("number", "IsInt", type.kind);
    case "double":
      return plain("number", "IsNumber");
    case "real":
      return plain("number", "IsNumber", "real");
    case "decimal":
      return plain("string", "IsDecimal", showDataType(type));
    case "text":
      return plain("string", "IsString");
    case "varchar":
      // Where a length is not held by itself, what is there may be longer.
      return (dialect?.types.holdsSizes ?? true)
        ? { ts: "string", validators: [["IsString"], ["MaxLength", type.length]], rules: [] }
        : plain("string", "IsString", showDataType(type));
    case "char":
      return {
        ts: "string",
        validators: [["IsString"], ["MaxLength", type.length]],
        rules: [],
        type: showDataType(type),
      };
    case "time":
      return plain("string", "IsString", "time");
    case "date":
    case "timestamp":
      return plain("string", "IsDateString", type.kind);
    case "timestamptz":
      return plain("Date", "IsDate");
    case "uuid":
      // What is there may be of any version.
      return dialect
        ? { ts: "string", validators: [["IsUUID", "loose"]], rules: [] }
        : plain("string", "IsUUID");
    case "json":
      return { ts: "unknown", validators: [], rules: [], type: "json" };
    case "bytes":
      return { ts: "Uint8Array", validators: [], rules: [], type: "bytes" };
    case "native":
      return definedType(type.sql[dialect?.name ?? ""] ?? "", type.sql, definitions);
    default:
      return type satisfies never;
  }
}

const COUNTING = /^(?:tiny|small|medium|big|unsigned big )?int(?:eger|\d)?\b/i;
const MEASURING = /^(?:float|double|real|double precision)\b/i;
const DECIMAL = /^(?:decimal|numeric|money|dec)\b/i;
const WRITING = /char|text|clob|enum|inet|cidr|macaddr|citext|xml|interval|uuid|date|time|bit|set|money/i;

/** What the words of a type that stands by itself come to. */
function definedType(text: string, type: CodeValue, definitions: readonly Definition[]): FieldType {
  const bare = (name: string) => name.replaceAll('"', "");
  const found = definitions.find(each => bare(addressOf(each)) === bare(text));
  if (found?.kind === "domain") return definedType(found.type, type, definitions);
  return found?.kind === "enum" ? listType(found.values, type) : nativeType(text, type);
}

function listType(values: readonly string[], type: CodeValue): FieldType {
  return {
    ts: values.map(value => JSON.stringify(value)).join(" | "),
    validators: [["IsIn", values]],
    rules: validatorsFor([{ kind: "in", column: "", values }]),
    type,
  };
}

function nativeType(text: string, type: CodeValue): FieldType {
  const { name, values, dimensions } = parseNativeType(text);
  const typed = (ts: string, ...validators: (readonly [string, ...CodeValue[]])[]): FieldType => ({
    ts,
    validators,
    rules: [],
    type,
  });
  if (dimensions !== "") return typed("unknown[]");
  if (name === "enum" && values) return listType(values, type);
  if (COUNTING.test(text)) return typed("number", ["IsInt"]);
  if (MEASURING.test(text)) return typed("number", ["IsNumber"]);
  if (DECIMAL.test(text)) return typed("string");
  if (/^(?:long|medium|tiny|n?var)?(?:text|char|clob)\b/i.test(text)) return typed("string", ["IsString"]);
  if (/blob|binary|bytea/i.test(text)) return typed("Uint8Array");
  if (/json/i.test(text)) return typed("unknown");
  if (/^bool/i.test(text)) return typed("boolean");
  return WRITING.test(text) ? typed("string") : typed("unknown");
}

/** class-validator's decorators by its own names for the rules. */
export const VALIDATORS: Readonly<Record<string, string>> = {
  min: "Min",
  max: "Max",
  isPositive: "IsPositive",
  isNegative: "IsNegative",
  minLength: "MinLength",
  maxLength: "MaxLength",
  isIn: "IsIn",
};

/** The validators that say some rules; rules that none says are left out. */
export function validatorsFor(rules: readonly Rule[]): Validator[] {
  return rules.flatMap((rule): Validator[] => {
    const one = (name: string, ...constraints: unknown[]): Validator[] => [
      { name, constraints, each: false },
    ];
    switch (rule.kind) {
      case "min":
      case "max":
        return typeof rule.value === "number" ? one(rule.kind, rule.value) : [];
      case "above":
        return rule.value === 0 ? one("isPositive") : [];
      case "below":
        return rule.value === 0 ? one("isNegative") : [];
      case "min length":
        return one("minLength", rule.value);
      case "max length":
        return one("maxLength", rule.value);
      case "in":
        return one("isIn", rule.values);
      default:
        return [];
    }
  });
}
