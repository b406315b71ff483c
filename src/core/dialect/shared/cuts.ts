import type { Column } from "../../schema/types.js";
import type { Dialect } from "./dialect.js";

/**
 * A condition that holds where a dialect would cut or round a value without a word while the type of its column
 * changes. undefined: it never does, or refuses what does not fit by itself.
 * @param value the column, quoted
 */
export function cutSql(
  { name: dialect, types: { cuts, words } }: Dialect,
  before: Column,
  after: Column,
  value: string,
): string | undefined {
  if (!cuts || before.computed || after.computed) return undefined;
  const wordsOf = ({ type }: Column) => words(type.kind === "native" ? (type.sql[dialect] ?? "") : "");
  const [from, to] = [wordsOf(before), wordsOf(after)];
  const [size] = to.numbers;
  if (TEXTS.test(from.name)) {
    if (/^(?:var)?char$/.test(to.name) && size !== undefined) return `char_length(${value}) > ${size}`;
    return INTEGERS.test(to.name) ? cuts.notWhole?.(value) : undefined;
  }
  const fraction = ({ numbers }: typeof to) => numbers[0] ?? cuts.fraction;
  const alike =
    (MOMENTS.test(from.name) && MOMENTS.test(to.name)) || (TIMES.test(from.name) && TIMES.test(to.name));
  if (alike)
    return fraction(to) < fraction(from)
      ? `CAST(${value} AS ${cuts.withFraction(from.name, fraction(to))}) <> ${value}`
      : undefined;
  if (MOMENTS.test(from.name) && to.name === "date") return `CAST(${value} AS date) <> ${value}`;
  const floating = from.name === "real" || from.name === "double";
  if (floating || from.name === "decimal") {
    const exact = floating ? cuts.exact(value) : value;
    if (INTEGERS.test(to.name)) return `${exact} <> round(${exact})`;
    if (to.name === "decimal") return `${exact} <> round(${exact}, ${to.numbers[1] ?? 0})`;
    return from.name === "double" && to.name === "real"
      ? `CAST(${value} AS ${cuts.single}) <> ${value}`
      : undefined;
  }
  // Whole numbers beyond 53 bits: https://www.postgresql.org/docs/15/datatype-numeric.html#DATATYPE-FLOAT
  return from.name === "bigint" && /^(?:real|double)$/.test(to.name)
    ? `abs(${value}) > 9007199254740992`
    : undefined;
}

const TEXTS = /^(?:varchar|char|text|tinytext|mediumtext)$/;
const INTEGERS = /^(?:tinyint|smallint|mediumint|integer|bigint)$/;
const MOMENTS = /^(?:timestamp|timestamptz|datetime)$/;
const TIMES = /^(?:time|timetz)$/;
