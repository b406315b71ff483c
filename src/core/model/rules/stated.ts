import type { DifferenceOfRule } from "../../lower/differences.js";
import { TEXTS, WHOLE_NUMBERS } from "../../schema/data-type.js";
import { misfit } from "../../schema/fits.js";
import type { DataType, Rule } from "../../schema/types.js";
import { allowedValues } from "./allowed.js";
import { decimalPatterns, optionsOf, PATTERNS, uuidPattern, type Pattern } from "./patterns.js";

/** What a rule's values are in the program. */
export type About = "texts" | "numbers" | "truths" | "moments" | "JSON" | "anything";

/** A validator on a column of a type. */
export interface Asked {
  readonly column: string;
  readonly type: DataType;
  readonly constraints: readonly unknown[];
}

/** What of a rule the database is held to. */
export interface Held {
  readonly rules: readonly Rule[];
  /** Why the program alone holds it, or a part of it. */
  readonly left?: string;
  /** That is for the developer to mend. */
  readonly fault?: true;
  /** Where what holds it differs from it. */
  readonly differs?: DifferenceOfRule;
}

/** A rule of class-validator: what it is about, and what a column that holds such values is held to. */
export interface StatedRule {
  /** As its decorator is written. */
  readonly written: string;
  readonly about: About;
  readonly holds: (asked: Asked) => Held;
}

const hold = (...rules: readonly Rule[]): Held => ({ rules });
const nearly = (differs: DifferenceOfRule, ...rules: readonly Rule[]): Held => ({ rules, differs });
const leave = (left: string, ...rules: readonly Rule[]): Held => ({ rules, left });

const fault = (left: string): Held => ({ rules: [], left, fault: true });

const OWN_LIST = "it is a list or a reckoning of class-validator's own";
const NO_NUMBER = "what it is given is no number that a database can compare with";

/** Whether a type holds texts. */
export function isText({ kind }: DataType): boolean {
  return TEXTS.includes(kind);
}

function isWhole({ kind }: DataType): boolean {
  return WHOLE_NUMBERS.includes(kind);
}

/** Nothing but null. */
const nothing = (column: string): Rule => ({ kind: "in", column, values: [] });

type Bound = "min" | "max";
type Count = "min length" | "max length" | "min bytes" | "max bytes" | "min items" | "max items";

const bound =
  (kind: Bound) =>
  ({ column, constraints: [value] }: Asked): Held => {
    if (typeof value !== "number" || Number.isNaN(value)) return fault(NO_NUMBER);
    if (Number.isFinite(value)) return hold({ kind, column, value });
    // At least −∞ asks nothing, and at least ∞ leaves nothing that a column holds.
    return value > 0 === (kind === "max") ? hold() : hold(nothing(column));
  };

/** Texts are counted whole: at least 2.5 characters are 3. */
function counted(kind: Count, column: string, value: unknown): Held {
  if (value === undefined || value === null) return hold();
  if (typeof value !== "number" || Number.isNaN(value)) return fault(NO_NUMBER);
  if (kind.startsWith("min")) {
    if (value === Infinity) return hold(nothing(column));
    return value <= 0 ? hold() : hold({ kind, column, value: Math.ceil(value) });
  }
  if (value === Infinity) return hold();
  return value < 0 ? hold(nothing(column)) : hold({ kind, column, value: Math.floor(value) });
}

const count =
  (kind: Count) =>
  ({ column, constraints: [value] }: Asked): Held =>
    value === undefined ? fault(NO_NUMBER) : counted(kind, column, value);

const between =
  (least: Count, most: Count) =>
  ({ column, constraints: [first, second] }: Asked): Held =>
    together(counted(least, column, first || undefined), counted(most, column, second));

function together(...parts: readonly Held[]): Held {
  const left = parts.find(part => part.left !== undefined)?.left;
  return { rules: parts.flatMap(({ rules }) => rules), ...(left !== undefined && { left }) };
}

const ofDate =
  (kind: Bound) =>
  ({ column, constraints: [value] }: Asked): Held => {
    if (typeof value === "function") return leave("its moment is worked out anew each time");
    if (!(value instanceof Date)) return fault("what it is given is no moment");
    if (Number.isNaN(value.getTime())) return hold(nothing(column));
    const year = value.getUTCFullYear();
    if (year < 1 || year > 9999) return leave("its moment is beyond the years that every database can name");
    return hold({ kind, column, value: value.toISOString() });
  };

/** Values of the column's type: it holds no others. */
function list(kind: "in" | "not in", { column, type }: Asked, values: readonly unknown[] | undefined): Held {
  if (!values) return fault("what it is given is no list");
  const plain = values.filter(isPlain).filter(value => isOf(type, value));
  return kind === "not in" && plain.length === 0
    ? hold()
    : hold({ kind, column, values: [...new Set(plain)] });
}

function isPlain(value: unknown): value is string | number | boolean {
  return (
    typeof value === "string" ||
    typeof value === "boolean" ||
    (typeof value === "number" && Number.isFinite(value))
  );
}

/** Whether a column of a type may hold a value, as the program has it. */
export function isOf(type: DataType, value: string | number | boolean): boolean {
  if (type.kind === "native") return true;
  const about = ABOUT_TYPES[type.kind];
  if (about !== (typeof value === "string" ? "texts" : typeof value === "number" ? "numbers" : "truths"))
    return false;
  return misfit(value, type) === undefined && !(isText(type) && String(value).includes("\0"));
}

/** What the program has of columns, by their types. */
export const ABOUT_TYPES: Readonly<Record<DataType["kind"], About>> = {
  boolean: "truths",
  smallint: "numbers",
  integer: "numbers",
  bigint: "numbers",
  real: "numbers",
  double: "numbers",
  decimal: "numbers",
  text: "texts",
  varchar: "texts",
  char: "texts",
  date: "moments",
  time: "moments",
  timestamp: "moments",
  timestamptz: "moments",
  uuid: "texts",
  json: "JSON",
  bytes: "anything",
  native: "anything",
};

const matches = (asked: Asked, patterns: readonly Pattern[]): Held =>
  patterns.length === 0
    ? leave(OWN_LIST)
    : hold(...patterns.map(each => ({ kind: "pattern", column: asked.column, ...each }) as const));

const part =
  (kind: "contains" | "not contains") =>
  ({ column, constraints: [value] }: Asked): Held =>
    typeof value === "string" && value !== "" ? hold({ kind, column, value }) : fault("it looks for nothing");

const ALL_VERSIONS = ["1", "2", "3", "4", "5", "6", "7", "8", "nil", "max"];

function uuid({ column, type, constraints: [given] }: Asked): Held {
  const said = given === undefined || given === null ? ["all"] : Array.isArray(given) ? given : [given];
  const versions = [
    ...new Set(said.map(String).flatMap(version => (version === "all" ? ALL_VERSIONS : [version]))),
  ].filter(version => version === "loose" || ALL_VERSIONS.includes(version));
  if (versions.length === 0) return hold(nothing(column));
  if (type.kind !== "uuid") return matches({ column, type, constraints: [] }, [uuidPattern(versions)]);
  return versions.includes("loose") ? hold() : hold({ kind: "uuid version", column, values: versions });
}

function number({ column, type, constraints: [options] }: Asked): Held {
  const places = optionsOf(options)["maxDecimalPlaces"];
  if (typeof places !== "number" || isWhole(type)) return hold();
  if (places <= 0) return hold({ kind: "whole", column });
  return type.kind === "decimal" && type.scale <= places
    ? hold()
    : nearly("many digits", { kind: "decimal places", column, value: places });
}

/** Types that are floating point, if on SQLite alone. */
const FLOATING: readonly DataType["kind"][] = ["real", "double", "decimal"];

/** class-validator divides by what `parseInt` reads of a number: by 2 for 2.5. */
function divisible({ column, type, constraints: [given] }: Asked): Held {
  if (typeof given !== "number") return fault(NO_NUMBER);
  const value = parseInt(String(given), 10);
  if (Number.isNaN(value) || value === 0) return hold(nothing(column));
  if (!Number.isSafeInteger(value)) return leave("no database divides by it exactly");
  const rule: Rule = { kind: "divisible", column, value: Math.abs(value) };
  return FLOATING.includes(type.kind) ? nearly("large numbers", rule) : hold(rule);
}

const json =
  (say: (column: string, constraints: readonly unknown[]) => readonly Rule[], left?: string) =>
  ({ column, constraints }: Asked): Held =>
    left === undefined ? hold(...say(column, constraints)) : leave(left, ...say(column, constraints));

const items =
  (kind: "min items" | "max items") =>
  ({ column, constraints: [value] }: Asked): Held =>
    together(hold({ kind: "array", column }), counted(kind, column, value));

const array = (column: string): Rule[] => [{ kind: "array", column }];
const filledObject = (column: string): Rule[] => [
  { kind: "object", column },
  { kind: "filled object", column },
];

const BY_TYPE = hold();

/** A text that stands for a value of another type than a text's: the type holds it, and spells it as it likes. */
const ofType =
  (kinds: readonly DataType["kind"][], otherwise: (asked: Asked) => Held, differs?: DifferenceOfRule) =>
  (asked: Asked): Held =>
    kinds.includes(asked.type.kind) ? { rules: [], ...(differs && { differs }) } : otherwise(asked);

const DAYS_AND_MOMENTS = ["date", "timestamp", "timestamptz"] as const;

const texts = (written: string, holds: StatedRule["holds"]): StatedRule => ({
  written,
  about: "texts",
  holds,
});
const ofOwn = (written: string): StatedRule => texts(written, () => leave(OWN_LIST));

/** By class-validator's own names for its rules. */
const OTHERS: Readonly<Record<string, StatedRule>> = {
  isString: texts("IsString", () => BY_TYPE),
  minLength: texts("MinLength", count("min length")),
  maxLength: texts("MaxLength", count("max length")),
  isLength: texts("Length", between("min length", "max length")),
  isByteLength: texts("IsByteLength", between("min bytes", "max bytes")),
  contains: texts("Contains", part("contains")),
  notContains: texts("NotContains", part("not contains")),
  matches: texts("Matches", ({ column, constraints: [first, second] }) => {
    const [pattern, flags] = first instanceof RegExp ? [first.source, first.flags] : [String(first), second];
    return hold({ kind: "pattern", column, pattern, flags: typeof flags === "string" ? flags : "" });
  }),
  isLowercase: texts("IsLowercase", ({ column }) =>
    nearly("letters of ASCII", { kind: "lower case", column }),
  ),
  isUppercase: texts("IsUppercase", ({ column }) =>
    nearly("letters of ASCII", { kind: "upper case", column }),
  ),
  isMacAddress: texts("IsMACAddress", asked =>
    nearly("kinds of white space", ...matches(asked, PATTERNS["isMacAddress"]!(...asked.constraints)).rules),
  ),
  isBooleanString: texts("IsBooleanString", ({ column }) =>
    hold({ kind: "in", column, values: ["true", "false", "1", "0"] }),
  ),
  isUuid: texts("IsUUID", uuid),
  isDecimal: texts(
    "IsDecimal",
    ofType(["decimal"], asked => matches(asked, decimalPatterns(asked.constraints[0]))),
  ),
  isNumberString: texts(
    "IsNumberString",
    ofType(["decimal"], asked => matches(asked, PATTERNS["isNumberString"]!(...asked.constraints))),
  ),
  isMilitaryTime: texts(
    "IsMilitaryTime",
    ofType(["time"], asked => matches(asked, PATTERNS["isMilitaryTime"]!()), "without its colon"),
  ),
  isRFC3339: texts(
    "IsRFC3339",
    ofType(DAYS_AND_MOMENTS, asked => matches(asked, PATTERNS["isRFC3339"]!()), "dates in part"),
  ),
  isDateString: texts(
    "IsDateString",
    ofType(DAYS_AND_MOMENTS, () => leave(OWN_LIST), "dates in part"),
  ),
  isIso8601: texts(
    "IsISO8601",
    ofType(DAYS_AND_MOMENTS, () => leave(OWN_LIST), "dates in part"),
  ),
  isJson: texts("IsJSON", ({ column, type }) =>
    type.kind === "json"
      ? hold({ kind: "structure", column })
      : nearly("JSON as engines read it", { kind: "json", column }, { kind: "structure", column }),
  ),
  isInt: {
    written: "IsInt",
    about: "numbers",
    holds: ({ column, type }) => (isWhole(type) ? BY_TYPE : hold({ kind: "whole", column })),
  },
  isNumber: { written: "IsNumber", about: "numbers", holds: number },
  min: { written: "Min", about: "numbers", holds: bound("min") },
  max: { written: "Max", about: "numbers", holds: bound("max") },
  isPositive: {
    written: "IsPositive",
    about: "numbers",
    holds: ({ column }) => hold({ kind: "above", column, value: 0 }),
  },
  isNegative: {
    written: "IsNegative",
    about: "numbers",
    holds: ({ column }) => hold({ kind: "below", column, value: 0 }),
  },
  isDivisibleBy: { written: "IsDivisibleBy", about: "numbers", holds: divisible },
  isLatitude: { written: "IsLatitude", about: "numbers", holds: within(90) },
  isLongitude: { written: "IsLongitude", about: "numbers", holds: within(180) },
  isBoolean: { written: "IsBoolean", about: "truths", holds: () => BY_TYPE },
  isDate: { written: "IsDate", about: "moments", holds: () => BY_TYPE },
  minDate: { written: "MinDate", about: "moments", holds: ofDate("min") },
  maxDate: { written: "MaxDate", about: "moments", holds: ofDate("max") },
  isArray: { written: "IsArray", about: "JSON", holds: json(array) },
  arrayNotEmpty: {
    written: "ArrayNotEmpty",
    about: "JSON",
    holds: json(column => [...array(column), { kind: "min items", column, value: 1 }]),
  },
  arrayMinSize: { written: "ArrayMinSize", about: "JSON", holds: items("min items") },
  arrayMaxSize: { written: "ArrayMaxSize", about: "JSON", holds: items("max items") },
  arrayUnique: {
    written: "ArrayUnique",
    about: "JSON",
    holds: json(array, "no check compares the items of a list"),
  },
  arrayContains: {
    written: "ArrayContains",
    about: "JSON",
    holds: json(array, "no check looks for the items of a list"),
  },
  arrayNotContains: {
    written: "ArrayNotContains",
    about: "JSON",
    holds: json(array, "no check looks for the items of a list"),
  },
  isObject: { written: "IsObject", about: "JSON", holds: json(column => [{ kind: "object", column }]) },
  isNotEmptyObject: {
    written: "IsNotEmptyObject",
    about: "JSON",
    holds: asked =>
      optionsOf(asked.constraints[0])["nullable"] === false
        ? leave("no check looks at all values of an object", ...filledObject(asked.column))
        : hold(...filledObject(asked.column)),
  },
  isInstance: {
    written: "IsInstance",
    about: "JSON",
    holds: json(() => [], "a database knows no classes"),
  },
  isIn: {
    written: "IsIn",
    about: "anything",
    holds: asked => list("in", asked, allowedValues("isIn", asked.constraints)),
  },
  isNotIn: {
    written: "IsNotIn",
    about: "anything",
    holds: asked => list("not in", asked, allowedValues("isIn", asked.constraints)),
  },
  isEnum: {
    written: "IsEnum",
    about: "anything",
    holds: asked => list("in", asked, allowedValues("isEnum", asked.constraints)),
  },
  equals: { written: "Equals", about: "anything", holds: asked => list("in", asked, [asked.constraints[0]]) },
  notEquals: {
    written: "NotEquals",
    about: "anything",
    holds: asked => list("not in", asked, [asked.constraints[0]]),
  },
  isEmpty: {
    written: "IsEmpty",
    about: "anything",
    holds: ({ column, type }) => hold({ kind: "in", column, values: isText(type) ? [""] : [] }),
  },
  isNotEmpty: {
    written: "IsNotEmpty",
    about: "anything",
    holds: ({ column, type }) => (isText(type) ? hold({ kind: "not in", column, values: [""] }) : BY_TYPE),
  },
  isDefined: { written: "IsDefined", about: "anything", holds: () => BY_TYPE },
  isEmail: ofOwn("IsEmail"),
  isUrl: ofOwn("IsUrl"),
  isFqdn: ofOwn("IsFQDN"),
  isBIC: ofOwn("IsBIC"),
  isIBAN: ofOwn("IsIBAN"),
  isCreditCard: ofOwn("IsCreditCard"),
  isCurrency: ofOwn("IsCurrency"),
  isDataURI: ofOwn("IsDataURI"),
  isEAN: ofOwn("IsEAN"),
  isISIN: ofOwn("IsISIN"),
  isIsin: ofOwn("IsISIN"),
  isISBN: ofOwn("IsISBN"),
  isIsbn: ofOwn("IsISBN"),
  isISSN: ofOwn("IsISSN"),
  isIdentityCard: ofOwn("IsIdentityCard"),
  isISO31661Alpha2: ofOwn("IsISO31661Alpha2"),
  isISO31661Alpha3: ofOwn("IsISO31661Alpha3"),
  isISO31661Numeric: ofOwn("IsISO31661Numeric"),
  isISO4217CurrencyCode: ofOwn("IsISO4217CurrencyCode"),
  isISO6391: ofOwn("IsISO6391"),
  isLocale: ofOwn("IsLocale"),
  isMagnetURI: ofOwn("IsMagnetURI"),
  isMobilePhone: ofOwn("IsMobilePhone"),
  isPassportNumber: ofOwn("IsPassportNumber"),
  isPhoneNumber: ofOwn("IsPhoneNumber"),
  isPostalCode: ofOwn("IsPostalCode"),
  isStrongPassword: ofOwn("IsStrongPassword"),
  isTaxId: ofOwn("IsTaxId"),
  isTimeZone: ofOwn("IsTimeZone"),
};

function within(most: number): StatedRule["holds"] {
  return ({ column }) =>
    nearly("small fractions", { kind: "min", column, value: -most }, { kind: "max", column, value: most });
}

/** How the decorators of rules that are patterns are written, where not as their names. */
const WRITTEN: Readonly<Record<string, string>> = {
  isHSL: "IsHSL",
  isIp: "IsIP",
  isISRC: "IsISRC",
  isJwt: "IsJWT",
  isMacAddress: "IsMACAddress",
};

export const STATED: Readonly<Record<string, StatedRule>> = {
  ...Object.fromEntries(
    Object.entries(PATTERNS).map(([name, patterns]) => [
      name,
      texts(WRITTEN[name] ?? `${name[0]!.toUpperCase()}${name.slice(1)}`, asked =>
        matches(asked, patterns(...asked.constraints)),
      ),
    ]),
  ),
  ...OTHERS,
};
