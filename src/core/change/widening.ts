import { equal } from "../schema/canonical.js";
import type { DataType } from "../schema/types.js";

/** Whether every value of one type is a value of the other, and comes out of it as it went in. */
export type Widens = (before: DataType, after: DataType) => boolean;

/** A type in portable words, as far as those say it: `decimal(8,2)` → decimal, 8, 2. */
export interface TypeWords {
  /** "": no portable word says it. */
  readonly name: string;
  readonly numbers: readonly number[];
}

/** What no portable word says. */
export const NO_WORDS: TypeWords = { name: "", numbers: [] };

/**
 * Whether one type widens to the other. Where that cannot be told it is not so; of native types it must be so on each
 * dialect that they are given for.
 * @param nativeWidens the same of a dialect's own types, by their texts
 */
export function isWidening(
  before: DataType,
  after: DataType,
  nativeWidens: (dialect: string, before: string, after: string) => boolean,
): boolean {
  if (equal(before, after)) return true;
  if (before.kind !== "native" || after.kind !== "native") return holdsAll(wordsOf(before), wordsOf(after));
  return Object.entries(before.sql).every(([dialect, text]) => {
    const other = after.sql[dialect];
    return other !== undefined && nativeWidens(dialect, text, other);
  });
}

function wordsOf(type: DataType): TypeWords {
  switch (type.kind) {
    case "native":
      return NO_WORDS;
    case "decimal":
      return { name: "decimal", numbers: [type.precision, type.scale] };
    case "char":
    case "varchar":
      return { name: type.kind, numbers: [type.length] };
    default:
      return { name: type.kind, numbers: [] };
  }
}

/** Types of whole numbers, each of which holds all of those before it. */
export const INTEGERS: readonly string[] = ["tinyint", "smallint", "mediumint", "integer", "bigint"];

/** How many digits a decimal needs for every value of an integer type. */
const DIGITS: Readonly<Record<string, number>> = {
  tinyint: 3,
  smallint: 5,
  mediumint: 7,
  integer: 10,
  bigint: 19,
};

/** Whether a type holds all values of another, by their portable words. */
export function holdsAll(before: TypeWords, after: TypeWords): boolean {
  const [from, to] = [before.name, after.name];
  const [[size = Infinity, scale = 0], [room = Infinity, places = 0]] = [before.numbers, after.numbers];
  const digits = DIGITS[from];
  if (INTEGERS.includes(from) && INTEGERS.includes(to)) return INTEGERS.indexOf(from) <= INTEGERS.indexOf(to);
  if (digits !== undefined && to === "decimal") return room - places >= digits;
  if (from === "decimal" && to === "decimal") return places >= scale && room - places >= size - scale;
  if (from === "varchar" && to === "varchar") return size <= room;
  if (from === "real" && to === "double") return true;
  return to === "text" && (from === "varchar" || from === "text");
}
