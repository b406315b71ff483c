import type { AlterColumn } from "../../change/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import { keepsMoments } from "./retyping.js";
import { typeOf } from "./types.js";

/**
 * Whether a column that changes its type keeps what is stored of it: no row is written, or read.
 * https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES
 */
export function keepsStored({ before, after, convert }: AlterColumn): boolean {
  const [from, to] = [typeOf(before), typeOf(after)];
  return convert === undefined && (staysStored(from, to) || keepsMoments(from, to));
}

/** Whether what is stored of a type is what is stored of another. */
function staysStored(from: string, to: string): boolean {
  if (from === to) return true;
  const [was, now] = [parseNativeType(from), parseNativeType(to)];
  if (was.dimensions !== "" || now.dimensions !== "") return false;
  const texts = /^(?:text|varchar|character varying)$/;
  if (texts.test(was.name) && texts.test(now.name)) {
    const [before, after] = [was.numbers[0] ?? Infinity, now.numbers[0] ?? Infinity];
    return after >= before;
  }
  const decimals = /^(?:decimal|numeric)$/;
  if (!decimals.test(was.name) || !decimals.test(now.name)) return false;
  const [[precision = Infinity, scale = 0], [wider = Infinity, same = 0]] = [was.numbers, now.numbers];
  return wider === Infinity || (precision !== Infinity && wider >= precision && scale === same);
}
