import { longestMatch } from "../../lower/pattern.js";
import { WHOLE_NUMBERS } from "../../schema/data-type.js";
import type { Column, DataType, Rule } from "../../schema/types.js";
import type { Validator } from "./validator.js";
import { allowedValues } from "./allowed.js";
import { optionsOf } from "./patterns.js";
import { ABOUT_TYPES, isOf, type About } from "./stated.js";

/** Values that validate() takes and a column does not. */
export interface Shortfall {
  /** `whole numbers beyond 2147483647` */
  readonly values: string;
  readonly remedy: string;
  /** Listed by a rule; of a form that the type does not have; or only further out than the type goes. */
  readonly how: "listed" | "near" | "far";
}

/**
 * What of the values that the validators of a field let through its column has no room for.
 * @param stated the rules that those come to
 * @param sized whether types hold numbers to the sizes that they say
 */
export function shortfallsOf(
  { type }: Column,
  validators: readonly Validator[],
  stated: readonly Rule[],
  sized: boolean,
): Shortfall[] {
  const own = validators.filter(({ each }) => !each);
  const listed = listedValues(own);
  if (listed) return unlisted(listed, type);
  const about = ABOUT_TYPES[type.kind];
  if (validators.length > 0 && own.every(({ name }) => OF_ANYTHING.includes(name)) && about !== "anything")
    return [near("values of any kind", `add ${OF_KIND[about]}`)];
  switch (ABOUT_TYPES[type.kind]) {
    case "numbers":
      if (own.some(({ name }) => name === "isString"))
        return [near("texts that are no numbers", "say @IsDecimal() or @IsNumber()")];
      return own.some(isAboutNumbers) ? numbersBeyond(type, own, stated, sized) : [];
    case "texts":
      return textsBeyond(type, own, stated);
    case "moments":
      if (!own.some(({ name }) => name === "isString")) return [];
      return type.kind === "time"
        ? [far("texts that are no times of day", "add @Matches() where such texts may come")]
        : [near("texts that are none of its", 'say @IsDate(), or @Field({ type: "text" })')];
    case "JSON":
      return own.some(({ name }) => name === "isString")
        ? [near("texts that are no JSON", "say @IsJSON()")]
        : [];
    default:
      return [];
  }
}

/** What says of values what they are. */
const OF_KIND: Readonly<Record<Exclude<About, "anything">, string>> = {
  texts: "@IsString()",
  numbers: "@IsInt() or @IsNumber()",
  truths: "@IsBoolean()",
  moments: "@IsDate()",
  JSON: "@IsObject() or @IsArray()",
};

function near(values: string, remedy: string): Shortfall {
  return { values, remedy, how: "near" };
}

function far(values: string, remedy: string): Shortfall {
  return { values, remedy, how: "far" };
}

/** The values that a rule lists, if one does. */
function listedValues(own: readonly Validator[]): readonly unknown[] | undefined {
  const found = own.find(({ name }) => name === "isIn" || name === "isEnum" || name === "equals");
  if (!found) return undefined;
  return found.name === "equals" ? [found.constraints[0]] : allowedValues(found.name, found.constraints);
}

function unlisted(values: readonly unknown[], type: DataType): Shortfall[] {
  const wrong = values.filter(value => {
    if (value === null || value === undefined || Number.isNaN(value)) return false;
    if (typeof value !== "string" && typeof value !== "boolean" && typeof value !== "number") return true;
    return !Number.isFinite(value) && typeof value === "number" ? true : !isOf(type, value);
  });
  if (wrong.length === 0) return [];
  const remedy = "leave them out, or give the field a type that holds them";
  return [{ values: `${wrong.map(show).join(", ")} of its list`, remedy, how: "listed" }];
}

function show(value: unknown): string {
  return typeof value === "number" ? String(value) : (JSON.stringify(value) ?? String(value));
}

const OF_NUMBERS: readonly string[] =
  "isInt isNumber min max isPositive isNegative isDivisibleBy isLatitude isLongitude isDecimal isNumberString".split(
    " ",
  );

/** Numbers that the program has as texts. */
const OF_DIGITS: readonly string[] = ["isDecimal", "isNumberString"];

function isAboutNumbers({ name }: Validator): boolean {
  return OF_NUMBERS.includes(name);
}

/** What validators let through of numbers. */
interface Numbers {
  readonly least: number;
  readonly most: number;
  readonly whole: boolean;
  readonly places: number;
  /** Neither NaN nor infinity. */
  readonly finite: boolean;
}

function numbersLetThrough(own: readonly Validator[], stated: readonly Rule[]): Numbers {
  const values = (kind: "min" | "max") =>
    stated.flatMap(rule => (rule.kind === kind && typeof rule.value === "number" ? [rule.value] : []));
  const isSaid = (kind: Rule["kind"]) => stated.some(rule => rule.kind === kind);
  const has = (name: string) => own.some(validator => validator.name === name);
  const options = own
    .filter(({ name }) => name === "isNumber")
    .map(({ constraints }) => optionsOf(constraints[0]));
  const digits = own
    .filter(({ name }) => OF_DIGITS.includes(name))
    .map(({ constraints }) => optionsOf(constraints[0]));
  const places = Math.min(
    Infinity,
    ...options.flatMap(({ maxDecimalPlaces: most }) => (typeof most === "number" ? [most] : [])),
    ...digits.flatMap(({ decimal_digits: said }) => placesOf(said)),
  );
  const least = Math.max(-Infinity, ...values("min"), ...(isSaid("above") ? [0] : []));
  const most = Math.min(Infinity, ...values("max"), ...(isSaid("below") ? [0] : []));
  const strict = options.some(({ allowNaN, allowInfinity }) => !allowNaN && !allowInfinity);
  return {
    least,
    most,
    whole: has("isInt") || has("isDivisibleBy") || places <= 0,
    places,
    finite:
      has("isInt") ||
      strict ||
      digits.length > 0 ||
      (least > -Infinity && most < Infinity) ||
      has("isDivisibleBy"),
  };
}

/** All digits of a whole number, as far as anybody reads them. */
function showEnd(end: number): string {
  return Math.abs(end) < 1e20 ? BigInt(Math.trunc(end)).toString() : String(end);
}

/** `2`, `1,4`: at most so many; `1,`: any number. */
function placesOf(said: unknown): number[] {
  const [least, most = least] = typeof said === "string" ? said.split(",") : [];
  return most === undefined || most === "" ? [] : [Number(most)];
}

const ENDS: Partial<Record<DataType["kind"], readonly [least: number, most: number]>> = {
  smallint: [-(2 ** 15), 2 ** 15 - 1],
  integer: [-(2 ** 31), 2 ** 31 - 1],
  // The greatest below 2^63 that a program has.
  bigint: [-(2 ** 63), 2 ** 63 - 1024],
  real: [-3.4028234663852886e38, 3.4028234663852886e38],
};

function endsOf(type: DataType): readonly [least: number, most: number] {
  if (type.kind !== "decimal") return ENDS[type.kind] ?? [-Infinity, Infinity];
  const end = 10 ** (type.precision - type.scale);
  return [-end, end];
}

function numbersBeyond(
  type: DataType,
  own: readonly Validator[],
  stated: readonly Rule[],
  sized: boolean,
): Shortfall[] {
  const { least, most, whole, places, finite } = numbersLetThrough(own, stated);
  const found: Shortfall[] = [];
  const isWhole = WHOLE_NUMBERS.includes(type.kind);
  if (isWhole && !whole) found.push(near("numbers with decimal places", "add @IsInt()"));
  if (type.kind === "decimal" && !whole && places > type.scale)
    found.push(
      near(
        `numbers with more than ${type.scale} decimal places`,
        own.some(({ name }) => OF_DIGITS.includes(name))
          ? `say @IsDecimal({ decimal_digits: "0,${type.scale}" })`
          : type.scale === 0
            ? "add @IsInt()"
            : `say @IsNumber({ maxDecimalPlaces: ${type.scale} })`,
      ),
    );
  if (!finite) found.push(near("NaN or infinity", isWhole ? "add @IsInt()" : "add @IsNumber()"));
  const [first, last] = endsOf(
    sized || type.kind === "bigint" ? type : { kind: isWhole ? "bigint" : "double" },
  );
  const isBeyond = most > last || (sized && type.kind === "decimal" && most >= last);
  const ends = [
    ...(least < first ? [[`below ${showEnd(first)}`, "@Min()"] as const] : []),
    ...(isBeyond ? [[`beyond ${showEnd(last)}`, "@Max()"] as const] : []),
  ];
  const bounds = ends.map(([, bound]) => bound).join(" and ");
  if (ends.length > 0)
    found.push(
      far(
        `numbers ${ends.map(([end]) => end).join(" and ")}`,
        `add ${bounds}, or choose a type that goes further`,
      ),
    );
  return found;
}

/** How long the texts may be that a rule of class-validator's own takes. */
const LONGEST: Readonly<Record<string, number>> = {
  isEmail: 320,
  isUrl: 2084,
  isBIC: 11,
  isISO31661Alpha2: 2,
  isISO31661Alpha3: 3,
  isISO31661Numeric: 3,
  isISO4217CurrencyCode: 3,
  isISO6391: 2,
  isUuid: 36,
};

function textsBeyond(type: DataType, own: readonly Validator[], stated: readonly Rule[]): Shortfall[] {
  const isAny = (name: string) => own.some(validator => validator.name === name);
  if (type.kind === "uuid")
    return isAny("isUuid") || !isAny("isString") ? [] : [near("texts that are no UUIDs", "add @IsUUID()")];
  if (!("length" in type)) return [];
  const lengths = [
    ...own.flatMap(({ name, constraints }) =>
      constraints[0] === undefined ? [LONGEST[name] ?? Infinity] : [],
    ),
    ...stated.map(longestOf),
  ];
  return Math.min(Infinity, ...lengths) <= type.length
    ? []
    : [near(`texts of more than ${type.length} characters`, `add @MaxLength(${type.length})`)];
}

const OF_ANYTHING: readonly string[] = ["isDefined", "isNotEmpty", "notEquals", "isNotIn", "isEmpty"];

/** How many characters a text has at most that keeps to a rule. */
function longestOf(rule: Rule): number {
  switch (rule.kind) {
    case "max length":
    case "max bytes":
      return rule.value;
    case "pattern":
      return longestMatch(rule.pattern, rule.flags);
    case "in":
      return Math.max(0, ...rule.values.map(value => [...String(value)].length));
    default:
      return Infinity;
  }
}
