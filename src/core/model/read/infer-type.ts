import type { DataType } from "../../schema/types.js";
import { allowedValues } from "../rules/allowed.js";
import type { Validator } from "../rules/validator.js";
import type { FieldDescription } from "./descriptions.js";

/** What class-validator's rules tell of a property's type. */
type Inference = { readonly type: DataType } | { readonly missing: string };

/** The type of a field that declares none, or what to add when it cannot be told. */
export function inferType({ validators }: FieldDescription): Inference {
  const own = validators.filter(({ each }) => !each);
  const rule = (...names: readonly string[]) => own.find(({ name }) => names.includes(name));
  const type =
    arrayType(validators) ?? numberType(rule) ?? valueType(rule) ?? plainType(own, rule) ?? textType(rule);
  if (type) return { type };
  const unclear = own.find(({ name }) => AMBIGUOUS[name]);
  return {
    missing: unclear ? AMBIGUOUS[unclear.name]! : "add a rule such as @IsString(), or @Field({ type: … })",
  };
}

type FindRule = (...names: readonly string[]) => Validator | undefined;

/** class-validator takes 64 characters before the sign and 254 behind it. */
const EMAIL_LENGTH = 320;

/** class-validator refuses longer URLs. */
const URL_LENGTH = 2084;

/** Beyond these, a double is as exact as the program is. */
const MOST_PLACES = 15;

/** Enough for sums of money in any currency; docs/model-language.md says so. */
const DECIMAL_DIGITS = 18;

/** Decimal places where nothing says how many at most. */
const PLACES = 6;

/** Types that follow from one rule alone. */
const BY_RULE: Readonly<Record<string, DataType>> = {
  isBoolean: { kind: "boolean" },
  isDate: { kind: "timestamptz" },
  isJson: { kind: "json" },
  isObject: { kind: "json" },
  isNotEmptyObject: { kind: "json" },
  isUuid: { kind: "uuid" },
  isEmail: { kind: "varchar", length: EMAIL_LENGTH },
  isUrl: { kind: "varchar", length: URL_LENGTH },
  isMilitaryTime: { kind: "time" },
  isLatitude: { kind: "double" },
  isLongitude: { kind: "double" },
  isISO31661Alpha2: { kind: "char", length: 2 },
  isISO31661Alpha3: { kind: "char", length: 3 },
  isISO4217CurrencyCode: { kind: "char", length: 3 },
  isIBAN: { kind: "varchar", length: 34 },
  isBIC: { kind: "varchar", length: 11 },
  isIp: { kind: "varchar", length: 45 },
  isMacAddress: { kind: "varchar", length: 23 },
  isFqdn: { kind: "varchar", length: 253 },
  isHexColor: { kind: "varchar", length: 9 },
};

/** Rules that say "a text" and no more. */
const TEXT_RULES = new Set(
  (
    "isString minLength maxLength isLength matches contains notContains isAlpha isAlphanumeric isAscii isBase32 isBase58 " +
    "isBase64 isHexadecimal isCreditCard isIsin isIsbn isISSN isISRC isEAN isPhoneNumber isMobilePhone isLocale " +
    "isMongoId isSemVer isLowercase isUppercase isMagnetURI isMimeType isDataURI isJwt isPassportNumber isPostalCode " +
    "isTimeZone isEthereumAddress isBtcAddress isHash isNumberString isBooleanString isRgbColor isHSL isOctal " +
    "isStrongPassword isTaxId isVariableWidth isByteLength isMultibyte isFullWidth isHalfWidth IsFirebasePushId isPort " +
    "isISO6391 isISO31661Numeric isIdentityCard isSurrogatePair isLatLong isCurrency"
  ).split(" "),
);

/** Rules that fit several types, and what to say about it. */
const AMBIGUOUS: Readonly<Record<string, string>> = {
  isDateString:
    'a date string may be a date or a moment: add @Field({ type: "date" }) or @Field({ type: "timestamptz" })',
  isIso8601:
    'a date string may be a date or a moment: add @Field({ type: "date" }) or @Field({ type: "timestamptz" })',
  isRFC3339: 'add @Field({ type: "timestamptz" })',
  min: "add @IsInt() or @IsNumber()",
  max: "add @IsInt() or @IsNumber()",
  isPositive: "add @IsInt() or @IsNumber()",
  isNegative: "add @IsInt() or @IsNumber()",
  isDivisibleBy: "add @IsInt() or @IsNumber()",
  isNotEmpty: "@IsNotEmpty() fits any type: add @IsString() or another type",
  isDefined: "@IsDefined() fits any type: add @IsString() or another type",
};

function arrayType(validators: readonly Validator[]): DataType | undefined {
  const array = validators.some(({ name, each }) => each || name === "isArray" || name.startsWith("array"));
  return array ? { kind: "json" } : undefined;
}

function numberType(rule: FindRule): DataType | undefined {
  if (rule("isInt")) {
    const bounds = [rule("min"), rule("max")].map(found => Math.abs(Number(found?.constraints[0] ?? 0)));
    return { kind: bounds.some(bound => bound > 2 ** 31 - 1) ? "bigint" : "integer" };
  }
  const decimal = rule("isDecimal");
  if (decimal) {
    const digits =
      (decimal.constraints[0] as { decimal_digits?: string } | undefined)?.decimal_digits ?? "1,";
    // `1,`: at least one, and as many as one likes.
    const [least = "", most = least] = digits.split(",");
    const scale = most === "" ? Math.max(Number(least), PLACES) : Number(most);
    return scale > MOST_PLACES ? { kind: "text" } : { kind: "decimal", precision: DECIMAL_DIGITS, scale };
  }
  const number = rule("isNumber");
  if (!number) return undefined;
  const places = (number.constraints[0] as { maxDecimalPlaces?: number } | undefined)?.maxDecimalPlaces;
  if (places === undefined || places > MOST_PLACES) return { kind: "double" };
  return places <= 0 ? { kind: "integer" } : { kind: "decimal", precision: DECIMAL_DIGITS, scale: places };
}

/** The type of the listed values: whole numbers, numbers, or texts with room for longer ones to come. */
function valueType(rule: FindRule): DataType | undefined {
  const found = rule("isIn", "isEnum");
  const values = found && allowedValues(found.name, found.constraints)?.filter(isPlain);
  if (!values || values.length === 0) return undefined;
  if (values.every(value => typeof value === "boolean")) return { kind: "boolean" };
  if (values.every(value => typeof value === "number")) return { kind: typeOfNumbers(values) };
  const longest = Math.max(...values.map(value => [...String(value)].length));
  return { kind: "varchar", length: Math.max(32, Math.ceil(longest / 32) * 32) };
}

function typeOfNumbers(values: readonly unknown[]): "integer" | "bigint" | "double" {
  const sizes = values.map(value => Math.abs(Number(value)));
  if (!values.every(Number.isInteger) || sizes.some(size => size > Number.MAX_SAFE_INTEGER)) return "double";
  return sizes.some(size => size > 2 ** 31 - 1) ? "bigint" : "integer";
}

function isPlain(value: unknown): boolean {
  return ["string", "number", "boolean"].includes(typeof value);
}

function plainType(own: readonly Validator[], rule: FindRule): DataType | undefined {
  const found = own.find(({ name }) => BY_RULE[name]);
  const type = found && BY_RULE[found.name];
  return type?.kind === "varchar"
    ? { kind: "varchar", length: Math.min(type.length, roomSaid(rule) ?? Infinity) }
    : type;
}

function textType(rule: FindRule): DataType | undefined {
  if (!rule(...TEXT_RULES)) return undefined;
  const length = roomSaid(rule);
  return length === undefined ? { kind: "text" } : { kind: "varchar", length };
}

/** As long as its rules let a text be; undefined: as long as it likes. */
function roomSaid(rule: FindRule): number | undefined {
  const length = Math.floor(maxLength(rule) ?? Infinity);
  return length < Infinity ? Math.max(1, length) : undefined;
}

function maxLength(rule: FindRule): number | undefined {
  const lengths = [rule("maxLength")?.constraints[0], rule("isLength")?.constraints[1]];
  const numbers = lengths.filter(length => typeof length === "number");
  return numbers.length > 0 ? Math.min(...numbers) : undefined;
}
