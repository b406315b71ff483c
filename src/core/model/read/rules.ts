import { equal } from "../../schema/canonical.js";
import type { Column, DataType, Rule } from "../../schema/types.js";
import type { Validator } from "./descriptions.js";
import { allowedValues } from "./infer-type.js";

/** The rules of a column: those class-validator states that a row can be held to, and those its type implies. */
export function rulesOf(column: Column, validators: readonly Validator[]): Rule[] {
  const { name, type, identity, stamp } = column;
  const stated = validators.flatMap(validator => (validator.each ? [] : ruleOf(name, type, validator)));
  // What the database makes itself is of its type.
  return withoutRepeats(identity || stamp ? stated : [...stated, ...typeRules(name, type)]);
}

type NumberRuleKind =
  | "min"
  | "max"
  | "min length"
  | "max length"
  | "min bytes"
  | "max bytes"
  | "min items"
  | "max items"
  | "divisible";

/** A validator on a column, with what most of them ask. */
interface Asked {
  readonly column: string;
  readonly type: DataType;
  readonly validator: Validator;
  readonly first: unknown;
  readonly second: unknown;
  /** A rule about a number, if one is given. */
  readonly number: (kind: NumberRuleKind, value: unknown) => Rule[];
}

function ruleOf(column: string, type: DataType, validator: Validator): Rule[] {
  const [first, second] = validator.constraints;
  const number = (kind: NumberRuleKind, value: unknown): Rule[] =>
    typeof value === "number" && Number.isFinite(value) ? [{ kind, column, value }] : [];
  const asked: Asked = { column, type, validator, first, second, number };
  const say = Object.hasOwn(RULES, validator.name) ? RULES[validator.name] : undefined;
  if (say) return say(asked);
  const pattern = patternOf(validator);
  return pattern && isText(type) ? [{ kind: "pattern", column, ...pattern }] : [];
}

const ofDate =
  (kind: "min" | "max") =>
  ({ first, column }: Asked): Rule[] =>
    first instanceof Date ? [{ kind, column, value: first.toISOString() }] : [];

const ofList =
  (kind: "in" | "not in") =>
  ({ validator, column }: Asked): Rule[] => {
    const { name } = validator;
    const values = allowedValues({ ...validator, name: name === "isNotIn" ? "isIn" : name });
    return values ? [{ kind, column, values }] : [];
  };

const ofValue =
  (kind: "in" | "not in") =>
  ({ first, column }: Asked): Rule[] =>
    isPlain(first) ? [{ kind, column, values: [first] }] : [];

const ofPart =
  (kind: "contains" | "not contains") =>
  ({ first, column }: Asked): Rule[] =>
    typeof first === "string" ? [{ kind, column, value: first }] : [];

/** What only JSON can be held to. */
const ofJson =
  (say: (asked: Asked) => Rule[]) =>
  (asked: Asked): Rule[] =>
    asked.type.kind === "json" ? say(asked) : [];

const object = ofJson(({ column }) => [{ kind: "object", column }]);

/** By class-validator's own names for its rules. */
const RULES: Readonly<Record<string, (asked: Asked) => Rule[]>> = {
  min: ({ number, first }) => number("min", first),
  max: ({ number, first }) => number("max", first),
  isPositive: ({ column }) => [{ kind: "above", column, value: 0 }],
  isNegative: ({ column }) => [{ kind: "below", column, value: 0 }],
  isDivisibleBy: ({ number, first }) => number("divisible", first),
  minLength: ({ number, first }) => number("min length", first),
  maxLength: ({ number, first }) => number("max length", first),
  isLength: ({ number, first, second }) => [
    ...number("min length", first || undefined),
    ...number("max length", second),
  ],
  minDate: ofDate("min"),
  maxDate: ofDate("max"),
  isIn: ofList("in"),
  isEnum: ofList("in"),
  isNotIn: ofList("not in"),
  equals: ofValue("in"),
  notEquals: ofValue("not in"),
  isNotEmpty: ({ type, column }) => (isText(type) ? [{ kind: "not in", column, values: [""] }] : []),
  contains: ofPart("contains"),
  notContains: ofPart("not contains"),
  matches: ({ first, second, column }) => {
    const [pattern, flags] = first instanceof RegExp ? [first.source, first.flags] : [String(first), second];
    return [{ kind: "pattern", column, pattern, flags: typeof flags === "string" ? flags : "" }];
  },
  isLowercase: ({ column }) => [{ kind: "lower case", column }],
  isUppercase: ({ column }) => [{ kind: "upper case", column }],
  isByteLength: ({ number, first, second }) => [
    ...number("min bytes", first || undefined),
    ...number("max bytes", second),
  ],
  isBooleanString: ({ column }) => [{ kind: "in", column, values: ["true", "false", "1", "0"] }],
  isJson: ofJson(({ column }) => [{ kind: "structure", column }]),
  isArray: ofJson(({ column }) => [{ kind: "array", column }]),
  arrayNotEmpty: ofJson(({ column, number }) => [{ kind: "array", column }, ...number("min items", 1)]),
  arrayMinSize: ofJson(({ column, number, first }) => [
    { kind: "array", column },
    ...number("min items", first),
  ]),
  arrayMaxSize: ofJson(({ column, number, first }) => [
    { kind: "array", column },
    ...number("max items", first),
  ]),
  isObject: object,
  isNotEmptyObject: object,
  isLatitude: ({ number }) => [...number("min", -90), ...number("max", 90)],
  isLongitude: ({ number }) => [...number("min", -180), ...number("max", 180)],
};

/** Digits of each kind of hash that class-validator knows. */
const HASH_DIGITS: Readonly<Record<string, number>> = {
  md5: 32,
  md4: 32,
  sha1: 40,
  sha256: 64,
  sha384: 96,
  sha512: 128,
  ripemd128: 32,
  ripemd160: 40,
  tiger128: 32,
  tiger160: 40,
  tiger192: 48,
  crc32: 8,
  crc32b: 8,
};

/** Rules that are one pattern and no more, as class-validator's own library of texts spells them. */
const PATTERNS: Readonly<Record<string, readonly [pattern: string, flags: string]>> = {
  isAlpha: ["^[A-Z]+$", "i"],
  isAlphanumeric: ["^[0-9A-Z]+$", "i"],
  isHexadecimal: ["^(0x|0h)?[0-9A-F]+$", "i"],
  isHexColor: ["^#?([0-9A-F]{3}|[0-9A-F]{4}|[0-9A-F]{6}|[0-9A-F]{8})$", "i"],
  isOctal: ["^(0o)?[0-7]+$", "i"],
  isMongoId: ["^[0-9A-F]{24}$", "i"],
  isBase58: ["^[A-HJ-NP-Za-km-z1-9]*$", ""],
  isEthereumAddress: ["^(0x)[0-9a-f]{40}$", "i"],
  isNumberString: ["^[+-]?([0-9]*[.])?[0-9]+$", ""],
  isMilitaryTime: ["^([01][0-9]|2[0-3]):?([0-5][0-9])$", ""],
  IsFirebasePushId: ["^[a-zA-Z0-9_-]{20}$", ""],
};

/** The pattern of such a rule, unless it was given a locale or options of its own. */
function patternOf({ name, constraints }: Validator): { pattern: string; flags: string } | undefined {
  const [first] = constraints;
  if (name === "isHash") {
    const digits = HASH_DIGITS[String(first)];
    return digits === undefined ? undefined : { pattern: `^[a-fA-F0-9]{${digits}}$`, flags: "" };
  }
  const found = PATTERNS[name];
  return found && (first === undefined || first === "en-US")
    ? { pattern: found[0], flags: found[1] }
    : undefined;
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
];

/** What a list of allowed values says by itself. */
const IN_LIST: readonly Rule["kind"][] = [
  "min length",
  "max length",
  "boolean",
  "whole",
  "number",
  "decimal places",
  "uuid",
];

/** Of several bounds only the tightest, and nothing twice; a list of allowed values makes a length needless. */
function withoutRepeats(rules: readonly Rule[]): Rule[] {
  const listed = rules.some(({ kind }) => kind === "in");
  const kept: Rule[] = [];
  for (const rule of rules) {
    if (listed && IN_LIST.includes(rule.kind)) continue;
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
