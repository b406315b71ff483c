import type { Column } from "../../schema/types.js";
import type { Retyped } from "../shared/retyping.js";
import { affinityOf, typeOf } from "./types.js";

/** Of numbers, digits beyond these are not told apart: https://sqlite.org/datatype3.html#type_affinity */
const DIGITS = 15;

/** Whole numbers up to here are told apart as floating ones. */
const WHOLE = "9007199254740992";

/**
 * What a value becomes when it is stored in a column of another affinity. A type says nothing else of what may be
 * stored: what does not look like a number stays as it is, whatever the column is for.
 */
export function retype(
  _before: Column,
  after: Column,
  value: string,
  converted: string | undefined,
): Retyped {
  const to = affinityOf(typeOf(after));
  const from = converted === undefined ? value : `(${converted})`;
  const held = storedSql(from, to);
  const counted = after.identity ? unfitToCount(held) : undefined;
  const lossy = converted === undefined ? unfitSql(value, to) : undefined;
  const unfit = [counted, lossy && `(${lossy})`].filter(Boolean).join(" OR ") || undefined;
  return { value: held, fails: false, ...(unfit !== undefined && { unfit }) };
}

/** A key that counts is the row's number: nothing else can be stored there. */
export function unfitToCount(value: string): string {
  return `typeof(${value}) NOT IN ('integer', 'null')`;
}

/** A value as a column of an affinity stores it: https://sqlite.org/datatype3.html#type_affinity */
function storedSql(value: string, affinity: string): string {
  switch (affinity) {
    case "text":
      return `CASE WHEN typeof(${value}) IN ('integer', 'real') THEN CAST(${value} AS TEXT) ELSE ${value} END`;
    case "integer":
    case "numeric":
    case "real": {
      // To compare with a number, a text is taken for one by the same rules as it is stored.
      const number = `CASE WHEN typeof(${value}) = 'text' AND ${value} = CAST(${value} AS NUMERIC) THEN CAST(${value} AS NUMERIC) ELSE ${value} END`;
      if (affinity === "real")
        return `CASE WHEN typeof(${number}) = 'integer' THEN CAST(${number} AS REAL) ELSE ${number} END`;
      return `CASE WHEN typeof(${number}) = 'real' AND ${number} = CAST(${number} AS INTEGER) THEN CAST(${number} AS INTEGER) ELSE ${number} END`;
    }
    default:
      return value;
  }
}

function unfitSql(value: string, to: string): string | undefined {
  // The digits of a number as they are written: its sign, point and exponent left out, and zeros before them.
  const digits = `length(ltrim(replace(replace(replace(${value}, '-', ''), '+', ''), '.', ''), '0'))`;
  const long = `typeof(${value}) = 'text' AND ${value} = CAST(${value} AS NUMERIC) AND ${digits} > ${DIGITS} AND typeof(CAST(${value} AS NUMERIC)) = 'real'`;
  switch (to) {
    case "text":
      return `typeof(${value}) = 'real' AND CAST(CAST(${value} AS TEXT) AS REAL) <> ${value}`;
    case "integer":
    case "numeric":
      return long;
    case "real":
      return `(${long}) OR (typeof(${value}) = 'integer' AND (${value} > ${WHOLE} OR ${value} < -${WHOLE}))`;
    default:
      return undefined;
  }
}
