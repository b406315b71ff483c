import { equal } from "../../schema/canonical.js";
import type { Column, DataType, Rule } from "../../schema/types.js";
import type { Validator } from "./validator.js";
import { ABOUT_TYPES, isText, STATED, type About, type Held } from "./stated.js";

/** The rules of a column: those class-validator states that a row can be held to, and those its type implies. */
export function rulesOf(column: Column, validators: readonly Validator[]): Rule[] {
  const { name, type, identity, stamp } = column;
  const stated = validators.flatMap(validator => heldBy(column, validator).rules);
  // What the database makes itself is of its type.
  return withoutRepeats(identity || stamp ? stated : [...stated, ...typeRules(name, type)]);
}

/** How a validator's decorator is written. */
export function writtenAs({ name }: Pick<Validator, "name">): string {
  return (Object.hasOwn(STATED, name) ? STATED[name] : undefined)?.written ?? name;
}

/** Rules that say how an engine's own type is to be read are its engine's to hold. */
const ANY_TYPE: readonly string[] = [
  ..."min max isPositive isNegative isDivisibleBy minLength maxLength isLength isByteLength contains".split(
    " ",
  ),
  ..."notContains matches isLowercase isUppercase isIn isNotIn isEnum equals notEquals minDate maxDate".split(
    " ",
  ),
  ..."isLatitude isLongitude isBooleanString".split(" "),
];

/** Rules that say of a value what any value of an engine's own type may be. */
const NO_MORE_THAN_TYPES: readonly string[] =
  "isString isInt isNumber isBoolean isDate isDefined isNotEmpty isEmpty isObject isArray isUuid isJson".split(
    " ",
  );

/** What is said beside the rules of a property: how validate() goes about it. */
const NO_RULES: readonly string[] = ["whitelistValidation", "nestedValidation", "promiseValidation"];

/** Whether a rule lets nothing at all pass. */
export function letsBeMissing({ name }: Validator): boolean {
  return ["notEquals", "isNotIn", "isEmpty", ...NO_RULES].includes(name);
}

/** What of a validator the database is held to. */
export function heldBy({ name: column, type }: Column, { name, constraints, each }: Validator): Held {
  if (NO_RULES.includes(name)) return { rules: [] };
  if (each) return { rules: [], left: "it is about the items of a list" };
  const rule = Object.hasOwn(STATED, name) ? STATED[name] : undefined;
  if (!rule) return { rules: [], left: "it is a rule of your own" };
  if (type.kind === "native") {
    if (NO_MORE_THAN_TYPES.includes(name)) return { rules: [] };
    if (!ANY_TYPE.includes(name)) return { rules: [], left: "its column is of an engine's own type" };
  } else if (!standsOn(rule.about, name, type)) {
    return {
      rules: [],
      left: `it is about ${rule.about}, and the column holds ${called(type)}`,
      fault: true,
    };
  }
  return rule.holds({ column, type, constraints });
}

/** Types that some rules about texts stand for, as drivers take and give them. */
const AS_TEXTS: Readonly<Record<string, readonly DataType["kind"][]>> = {
  isUuid: ["uuid"],
  isDecimal: ["decimal"],
  isNumberString: ["decimal"],
  isMilitaryTime: ["time"],
  isRFC3339: ["date", "timestamp", "timestamptz"],
  isDateString: ["date", "timestamp", "timestamptz"],
  isIso8601: ["date", "timestamp", "timestamptz"],
  isJson: ["json"],
  // Any text: which ones there are, the type says.
  isString: ["uuid", "decimal", "date", "time", "timestamp", "timestamptz", "json"],
};

function standsOn(about: About, name: string, type: DataType): boolean {
  if (about === "anything") return true;
  if (AS_TEXTS[name]?.includes(type.kind)) return true;
  if (about === "texts") return isText(type);
  if (about === "moments") return type.kind !== "time" && ABOUT_TYPES[type.kind] === "moments";
  return ABOUT_TYPES[type.kind] === about;
}

/** A type's values in words. */
function called({ kind }: DataType): string {
  switch (kind) {
    case "date":
      return "days";
    case "time":
      return "times of day";
    case "uuid":
      return "UUIDs";
    case "bytes":
      return "bytes";
    default:
      return ABOUT_TYPES[kind];
  }
}

/** Kept as data like any other rule: an engine that holds a type by itself leaves them out. */
function typeRules(column: string, type: DataType): Rule[] {
  switch (type.kind) {
    case "char":
    case "varchar":
      return [{ kind: "max length", column, value: type.length }];
    case "smallint":
    case "integer":
    case "bigint":
      return [{ kind: "whole", column }];
    case "real":
    case "double":
      return [{ kind: "number", column }];
    case "decimal":
      return [
        { kind: "decimal places", column, value: type.scale },
        { kind: "number", column },
      ];
    case "timestamp":
    case "timestamptz":
      return [{ kind: "moment", column }];
    case "boolean":
    case "json":
    case "date":
    case "time":
    case "uuid":
      return [{ kind: type.kind, column }];
    default:
      return [];
  }
}

const BOUNDS: readonly Rule["kind"][] = [
  "min",
  "max",
  "min length",
  "max length",
  "min bytes",
  "max bytes",
  "min items",
  "max items",
  "decimal places",
];

/** What a list of allowed values says by itself. */
const IN_LIST: readonly Rule["kind"][] = [
  "boolean",
  "whole",
  "number",
  "decimal places",
  "uuid",
  "date",
  "time",
  "moment",
];

/** Of several bounds only the tightest, and nothing twice; a list of allowed values says what each of them is. */
function withoutRepeats(rules: readonly Rule[]): Rule[] {
  const listed = rules.flatMap(rule => (rule.kind === "in" ? [rule.values] : []))[0];
  const lengths = listed && [...listed].map(value => [...String(value)].length);
  const kept: Rule[] = [];
  for (const rule of rules) {
    if (listed && IN_LIST.includes(rule.kind)) continue;
    if (lengths && rule.kind === "max length" && lengths.every(length => length <= rule.value)) continue;
    if (lengths && rule.kind === "min length" && lengths.every(length => length >= rule.value)) continue;
    const at = kept.findIndex(
      each => equal(each, rule) || (BOUNDS.includes(rule.kind) && each.kind === rule.kind),
    );
    if (at < 0) kept.push(rule);
    else if (isTighter(rule, kept[at]!)) kept[at] = rule;
  }
  return kept;
}

function isTighter(rule: Rule, than: Rule): boolean {
  if (!("value" in rule && "value" in than)) return false;
  return rule.kind.startsWith("min") ? rule.value > than.value : rule.value < than.value;
}
