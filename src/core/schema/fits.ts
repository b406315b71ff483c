import { equal } from "./canonical.js";
import type { DataType } from "./types.js";

/**
 * Why a value is none of a type's, as a database holds it; undefined: it is one. A native type's values are for its
 * engine to judge.
 */
export function misfit(value: string | number | boolean, type: DataType): string | undefined {
  const kinds = KINDS[type.kind];
  if (kinds && !kinds.includes(typeof value)) return `write a ${kinds.join(" or ")}`;
  switch (type.kind) {
    case "smallint":
      return wholeMisfit(value, 2 ** 15);
    case "integer":
      return wholeMisfit(value, 2 ** 31);
    case "bigint":
      return wholeMisfit(value, Number.MAX_SAFE_INTEGER + 1);
    case "real":
    case "double":
      return Number.isFinite(value) ? undefined : "write a finite number";
    case "decimal":
      return decimalMisfit(String(value), type);
    case "char":
    case "varchar":
      return [...String(value)].length > type.length ? `write at most ${type.length} characters` : undefined;
    case "date":
      return isDay(String(value)) ? undefined : 'write a day such as "2026-03-04"';
    case "time":
      return TIME.test(String(value)) ? undefined : 'write a time such as "17:30:00"';
    case "timestamp":
    case "timestamptz":
      return isMoment(String(value)) ? undefined : 'write a moment such as "2026-03-04T17:30:00Z"';
    case "uuid":
      return UUID.test(String(value)) ? undefined : "write a UUID, 32 hexadecimal digits with hyphens";
    case "json":
      return isJson(String(value)) ? undefined : "write JSON";
    default:
      return undefined;
  }
}

/** What a value is in the program; of other types it may be anything plain. */
const KINDS: Partial<Record<DataType["kind"], readonly string[]>> = {
  boolean: ["boolean"],
  smallint: ["number"],
  integer: ["number"],
  bigint: ["number"],
  real: ["number"],
  double: ["number"],
  decimal: ["number", "string"],
  text: ["string"],
  char: ["string"],
  varchar: ["string"],
  date: ["string"],
  time: ["string"],
  timestamp: ["string"],
  timestamptz: ["string"],
  uuid: ["string"],
  json: ["string"],
};

/** @param end the first whole number that is too large; one less than the least there may be, without its sign */
function wholeMisfit(value: string | number | boolean, end: number): string | undefined {
  const number = Number(value);
  return Number.isInteger(number) && number >= -end && number < end
    ? undefined
    : `write a whole number from ${-end} to ${end - 1}`;
}

function decimalMisfit(
  text: string,
  { precision, scale }: Extract<DataType, { readonly kind: "decimal" }>,
): string | undefined {
  const [, whole, places = ""] = /^[-+]?0*(\d*)(?:\.(\d*?)0*)?$/.exec(text) ?? [];
  return whole !== undefined && /\d/.test(text) && whole.length <= precision - scale && places.length <= scale
    ? undefined
    : `write a number with at most ${precision - scale} digits before the point and ${scale} behind it`;
}

const TIME = /^(?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d{1,6})?)?$/;

/** A time in a day, and its distance from UTC, as ISO 8601 and the engines write them. */
const TIME_OF_MOMENT =
  /^(?:[01]\d|2[0-3]):[0-5]\d(?::[0-5]\d(?:\.\d{1,6})?)? ?(?:Z|[-+]\d\d(?::?\d\d){0,2})?$/i;

const UUID = /^[\da-f]{8}(?:-[\da-f]{4}){3}-[\da-f]{12}$/i;

/** Whether a text is a day of the calendar. */
function isDay(text: string): boolean {
  const [, year, month, day] = /^(\d{4})-(\d\d)-(\d\d)$/.exec(text) ?? [];
  if (day === undefined) return false;
  const date = new Date(0);
  date.setUTCFullYear(Number(year), Number(month) - 1, Number(day));
  return equal([date.getUTCMonth() + 1, date.getUTCDate()], [Number(month), Number(day)]);
}

function isMoment(text: string): boolean {
  const [, day = "", time] = /^([^T ]*)(?:[T ](.*))?$/i.exec(text) ?? [];
  return isDay(day) && (time === undefined || TIME_OF_MOMENT.test(time));
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}
