import type { Column } from "../../schema/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import type { Retyped } from "../shared/retyping.js";
import { typeOf, words } from "./types.js";

const TEXTS = /^(?:text|varchar|char)(?:\(\d+\))?$/;
const NUMBERS = ["smallint", "integer", "bigint", "real", "double", "decimal"];
/** The widest type of a kind, in which the values of two of that kind are compared. */
const WIDEST: Readonly<Record<string, string>> = {
  date: "timestamptz",
  timestamp: "timestamptz",
  timestamptz: "timestamptz",
  time: "time",
  timetz: "timetz",
  interval: "interval",
};

/** Which moments and times a cast leads to: https://www.postgresql.org/docs/15/catalog-pg-cast.html */
const CASTS: Readonly<Record<string, readonly string[]>> = {
  date: ["timestamp", "timestamptz"],
  timestamp: ["date", "time", "timestamptz"],
  timestamptz: ["date", "time", "timetz", "timestamp"],
  time: ["timetz", "interval"],
  timetz: ["time"],
  interval: ["time"],
};

/**
 * How a value of one type is written as one of another. Types that no cast leads between go by way of text, moments in
 * UTC whatever the session's time zone: https://www.postgresql.org/docs/15/sql-createcast.html
 */
export function castSql(before: Column, after: Column, value: string): string {
  const [from, to] = [typeOf(before), typeOf(after)];
  const [was, now] = [kindOf(from), kindOf(to)];
  if ((from === "bytea") !== (to === "bytea"))
    return to === "bytea"
      ? `convert_to(${value}::text, 'UTF8')::${to}`
      : `encode(${value}, 'escape')${TEXTS.test(to) ? "" : `::${to}`}`;
  // A cast that is written down cuts what is too long; the one on the way into a column refuses it.
  if (now === "varchar" || now === "char") return TEXTS.test(from) ? value : `${value}::text`;
  if (was === "boolean" && NUMBERS.includes(now)) return `${value}::integer::${to}`;
  if (NUMBERS.includes(was) && now === "boolean") return `(${value} <> 0)`;
  if (keepsMoments(from, to)) return `${value}::${to}`;
  if (was === "timestamptz" && (now === "timestamp" || now === "date"))
    return `(${value} AT TIME ZONE 'UTC')::${to}`;
  if ((was === "timestamp" || was === "date") && now === "timestamptz")
    return `(${value}::timestamp AT TIME ZONE 'UTC')::${to}`;
  const direct =
    TEXTS.test(from) ||
    TEXTS.test(to) ||
    was === now ||
    (NUMBERS.includes(was) && NUMBERS.includes(now)) ||
    CASTS[was]?.includes(now);
  return direct ? `${value}::${to}` : `${value}::text::${to}`;
}

/** A type in one word, without sizes: `timestamptz`, `decimal`; of others what stands before their sizes. */
function kindOf(type: string): string {
  const { name, behind, dimensions } = parseNativeType(type);
  return words(type).name || (behind === "" && dimensions === "" ? name : type);
}

/** Whether what a value becomes is the same whatever a session says of moments, numbers and bytes. */
export function isPlain(before: Column, after: Column): boolean {
  return [before, after].every(column => NUMBERS.includes(kindOf(typeOf(column))));
}

/**
 * Whether the server refuses a value rather than round or cut it, and what it takes comes back as it was: texts and whole
 * numbers of other sizes, decimals with as many places, moments in UTC, and what is written as a text.
 */
export function refusesLoss(from: string, to: string): boolean {
  const [was, now] = [kindOf(from), kindOf(to)];
  const isLong = (kind: string) => kind === "text" || kind === "varchar";
  if (isLong(now)) return isLong(was) || WRITTEN_PLAINLY.has(was);
  if (WHOLE.has(was) && WHOLE.has(now)) return true;
  const [[, scale = 0], [, places = 0]] = [parseNativeType(from).numbers, parseNativeType(to).numbers];
  const isBounded = [from, to].every(
    type => kindOf(type) !== "decimal" || parseNativeType(type).numbers.length > 0,
  );
  if (now === "decimal") return isBounded && (WHOLE.has(was) || (was === "decimal" && places >= scale));
  return keepsMoments(from, to);
}

const WHOLE: ReadonlySet<string> = new Set(["smallint", "integer", "bigint"]);
const WRITTEN_PLAINLY: ReadonlySet<string> = new Set([...WHOLE, "boolean", "uuid", "date", "decimal"]);

/**
 * Whether a moment without a zone becomes the same in UTC, or the other way round: where the session's own zone is UTC, nothing
 * that is stored changes. https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES
 */
export function keepsMoments(from: string, to: string): boolean {
  const kinds = [kindOf(from), kindOf(to)].sort().join();
  const [[precision = 6], [now = 6]] = [parseNativeType(from).numbers, parseNativeType(to).numbers];
  return kinds === "timestamp,timestamptz" && now >= precision;
}

/** What the session must say for a cast between them, where a person runs it. */
export const IN_UTC = "SET TimeZone = 'UTC'";

/**
 * Texts that are taken for something else than they say: a time with a date or a zone beside it, which are passed over;
 * and a date that is not in ISO 8601, as is `7.125`, of which the server makes one all the same.
 */
const MISLEADING: Readonly<Record<string, string>> = {
  time: "~ '[-+/]'",
  timetz: "~ '[-/].*[-/]'",
  date: "!~ '^\\s*\\d{4}-\\d\\d-\\d\\d'",
  timestamp: "!~ '^\\s*\\d{4}-\\d\\d-\\d\\d'",
  timestamptz: "!~ '^\\s*\\d{4}-\\d\\d-\\d\\d'",
};

/** Types of which many texts mean the same value, and none is taken for another. */
const FREELY_WRITTEN: ReadonlySet<string> = new Set(["uuid", "json", "jsonb", "interval", "inet", "macaddr"]);

/** What a value becomes, and whether it fits: it must come back as it was, or be worth the same in a wider type. */
export function retype(before: Column, after: Column, value: string, converted: string | undefined): Retyped {
  const [from, to] = [typeOf(before), typeOf(after)];
  if (converted !== undefined) {
    const made = `(${converted})::${to}`;
    return { value: made, unfit: `pg_typeof(${made}) IS NULL`, fails: true };
  }
  const cast = castSql(before, after, value);
  const held = TEXTS.test(to) ? cast : `(${cast})::${to}`;
  const unfit = unfitSql(from, to, value, held);
  return { value: held, fails: !TEXTS.test(to), ...(unfit !== undefined && { unfit }) };
}

function unfitSql(from: string, to: string, value: string, held: string): string | undefined {
  const [was, now] = [kindOf(from), kindOf(to)];
  const isText = TEXTS.test(from);
  if (TEXTS.test(to)) {
    const [size] = parseNativeType(to).numbers;
    const limits = [
      ...(size === undefined ? [] : [`char_length(${held}) > ${size}`]),
      // Blanks at the end of a char mean nothing, and are gone when it becomes another text.
      ...(to.startsWith("char") && !from.startsWith("char") ? [`${held} LIKE '% '`] : []),
    ];
    return limits.length === 0 ? undefined : limits.join(" OR ");
  }
  if (to === "bytea") return undefined;
  if (was === "double" && now === "real") return `(${held})::double precision <> ${value}`;
  // By way of text: a number is worth what its shortest text says.
  if (NUMBERS.includes(now) && was === "boolean") return undefined;
  if (NUMBERS.includes(now) && from !== "bytea")
    return `${value}::text::numeric IS DISTINCT FROM (${held})::text::numeric`;
  if (now === "boolean" && NUMBERS.includes(was)) return `${value} NOT IN (0, 1)`;
  if (now === "boolean" && isText) return `(${held}) IS NULL`;
  const widest = WIDEST[now];
  if (isText) {
    if (widest === undefined)
      return FREELY_WRITTEN.has(now)
        ? `pg_typeof(${held}) IS NULL`
        : `${value}::text IS DISTINCT FROM (${held})::text`;
    const more = MISLEADING[now];
    return `${value}::${widest} IS DISTINCT FROM (${held})::${widest}${more ? ` OR ${value} ${more}` : ""}`;
  }
  const back = castSql(columnOf(to), columnOf(from), held);
  return `(${back})::text IS DISTINCT FROM ${value}::text`;
}

function columnOf(type: string): Column {
  return { name: "", nullable: true, type: { kind: "native", sql: { postgres: type } } };
}
