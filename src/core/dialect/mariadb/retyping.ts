import { equal } from "../../schema/canonical.js";
import type { Column } from "../../schema/types.js";
import { parseNativeType } from "../../sql/native-type.js";
import type { Retyped } from "../shared/retyping.js";
import { literalSql } from "./expressions.js";
import { typeOf } from "./types.js";

type Kind =
  | "whole"
  | "decimal"
  | "floating"
  | "moment"
  | "date"
  | "time"
  | "text"
  | "bytes"
  | "list"
  | "set"
  | "year"
  | "uuid"
  | "address"
  | "other";

interface Typed {
  readonly kind: Kind;
  /** Its word, without sizes. */
  readonly name: string;
  readonly numbers: readonly number[];
  readonly values: readonly string[];
  readonly unsigned: boolean;
}

/** https://mariadb.com/kb/en/data-types/ */
const KINDS: Readonly<Record<string, Kind>> = {
  tinyint: "whole",
  smallint: "whole",
  mediumint: "whole",
  int: "whole",
  bigint: "whole",
  decimal: "decimal",
  float: "floating",
  double: "floating",
  datetime: "moment",
  timestamp: "moment",
  date: "date",
  time: "time",
  char: "text",
  varchar: "text",
  tinytext: "text",
  text: "text",
  mediumtext: "text",
  longtext: "text",
  binary: "bytes",
  varbinary: "bytes",
  tinyblob: "bytes",
  blob: "bytes",
  mediumblob: "bytes",
  longblob: "bytes",
  enum: "list",
  set: "set",
  year: "year",
  uuid: "uuid",
  inet4: "address",
  inet6: "address",
};

const BITS: Readonly<Record<string, number>> = {
  tinyint: 8,
  smallint: 16,
  mediumint: 24,
  int: 32,
  bigint: 64,
};

/** In bytes; longtext and longblob hold all that a statement can bring. */
const ROOM: Readonly<Record<string, number>> = {
  tinytext: 255,
  text: 65_535,
  mediumtext: 16_777_215,
  tinyblob: 255,
  blob: 65_535,
  mediumblob: 16_777_215,
};

/** What a text is that the server takes for a number as a whole, rather than for its beginning. */
const NUMBER = String.raw`'^[ ]*[-+]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][-+]?[0-9]+)?[ ]*$'`;

const WHOLE = "'^[ ]*[-+]?[0-9]+[ ]*$'";
const SIGNED = 2n ** 63n - 1n;

/** A time as a text says it whole: others are taken for seconds, or for the time beside a date. */
const TIME = "'^[ ]*-?[0-9]{1,3}:[0-9]{2}(:[0-9]{2}([.][0-9]+)?)?[ ]*$'";

/** What becomes of a value: the server cuts and rounds some without an error, however strict it is. */
export function retype(before: Column, after: Column, value: string, converted: string | undefined): Retyped {
  const [from, to] = [typed(before), typed(after)];
  if (converted !== undefined) return { value: `(${converted})`, fails: false };
  // What cannot come at all is counted, and compared with nothing: the server may refuse even that.
  if (ORIGINS[to.kind]?.includes(from.kind) === false) return { value: "NULL", fails: false, unfit: "1 = 1" };
  const unfit = unfitSql(from, to, value);
  return { value: heldSql(from, to, value), fails: false, ...(unfit !== undefined && { unfit }) };
}

/**
 * Of types of one kind, in which a value that fits is the same, what does not fit: the server refuses it, or cuts blanks at its
 * end without a word, and whoever runs a script by hand may have told it to cut more.
 */
export function lost(before: Column, after: Column, value: string): string | undefined {
  const [from, to] = [typed(before), typed(after)];
  const isAlike = from.kind === to.kind && ["text", "whole", "decimal", "bytes"].includes(from.kind);
  return isAlike && equal(before.collation, after.collation) ? unfitSql(from, to, value) : undefined;
}

function typed(column: Column): Typed {
  const { name, numbers, values = [], behind } = parseNativeType(typeOf(column));
  const [word = name, ...rest] = name.split(" ");
  return {
    kind: KINDS[word] ?? "other",
    name: word,
    numbers,
    values,
    unsigned: [behind, ...rest].some(each => each.includes("unsigned")),
  };
}

/** The value as far as it can be said without storing it: what does not fit is counted, not compared. */
function heldSql(from: Typed, to: Typed, value: string): string {
  switch (to.kind) {
    case "whole":
      return from.kind === "text" || from.kind === "list" ? `CAST(${value} AS DECIMAL(65,0))` : value;
    case "decimal":
      return `CAST(${value} AS DECIMAL(${to.numbers[0] ?? 10},${to.numbers[1] ?? 0}))`;
    case "text":
      // Numbers, days and the like are the same in any collation; a connection's own would not mix with a column's.
      return from.kind === "text" ? value : `CAST(${value} AS CHAR) COLLATE utf8mb4_bin`;
    case "date":
      return `CAST(${value} AS DATE)`;
    default:
      return value;
  }
}

/** From what kinds values of a kind can come at all and be worth the same. */
const ORIGINS: Partial<Readonly<Record<Kind, readonly Kind[]>>> = {
  whole: ["whole", "decimal", "floating", "text", "year"],
  decimal: ["whole", "decimal", "floating", "text", "year"],
  floating: ["whole", "decimal", "floating", "text", "year"],
  year: ["whole", "decimal", "floating", "text", "year"],
  moment: ["moment", "date", "text"],
  date: ["moment", "date", "text"],
  time: ["time", "text"],
  list: ["list", "text", "set", "uuid", "bytes"],
  set: ["list", "text", "set", "bytes"],
  uuid: ["uuid", "text"],
  address: ["address", "text"],
  other: ["other"],
};

function unfitSql(from: Typed, to: Typed, value: string): string | undefined {
  const text = from.kind === "text" ? value : `CAST(${value} AS CHAR)`;
  const limits = UNFIT[to.kind](from, to, value, text).filter(limit => limit !== "");
  return limits.length === 0 ? undefined : limits.join(" OR ");
}

type Limits = (from: Typed, to: Typed, value: string, text: string) => readonly string[];

const UNFIT: Readonly<Record<Kind, Limits>> = {
  whole: (from, to, value, text) => {
    const [least, most] = range(to);
    const number = exactSql(from, value);
    // Of a text, the server takes no exponent here, and nothing beyond what is signed.
    const isText = from.kind === "text";
    const limit = isText && BigInt(most) > SIGNED ? SIGNED : most;
    return [
      isText ? `${text} NOT RLIKE ${WHOLE}` : from.kind === "whole" ? "" : `${number} <> round(${number})`,
      `${number} < ${least}`,
      `${number} > ${limit}`,
    ];
  },
  decimal: (from, to, value, text) => {
    const [size = 10, scale = 0] = to.numbers;
    const number = exactSql(from, value);
    const room = `1${"0".repeat(size - scale)}`;
    return [
      ...notNumber(from, text),
      `${number} <> round(${number}, ${scale})`,
      `abs(${number}) >= ${room}`,
      to.unsigned ? `${number} < 0` : "",
    ];
  },
  floating: (from, to, value, text) => {
    if (from.kind === "floating")
      return to.name === "float" && from.name === "double" ? [`CAST(${value} AS FLOAT) <> ${value}`] : [];
    const number = exactSql(from, value);
    const cast = `CAST(${value} AS ${to.name})`;
    // What a floating number is worth is what its shortest text says.
    return [
      ...notNumber(from, text),
      `CAST(CAST(${cast} AS CHAR) AS DECIMAL(65,30)) <> ${number}`,
      to.unsigned ? `${number} < 0` : "",
    ];
  },
  moment: (from, to, value, text) => [
    ...notMoment(from, text, "DATETIME(6)"),
    ...coarser(from, to, value, "DATETIME"),
    ...(to.name === "timestamp" && from.name !== "timestamp"
      ? [`CAST(${value} AS DATETIME(6)) NOT BETWEEN '1970-01-01 00:00:01' AND '2038-01-19 03:14:07.999999'`]
      : []),
  ],
  date: (from, _, value, text) =>
    from.kind === "date"
      ? []
      : [...notMoment(from, text, "DATETIME(6)"), `CAST(${value} AS DATE) <> CAST(${value} AS DATETIME(6))`],
  time: (from, to, value, text) => [
    ...(from.kind === "text" ? [`${text} NOT RLIKE ${TIME}`] : []),
    ...notMoment(from, text, "TIME(6)"),
    ...coarser(from, to, value, "TIME"),
  ],
  text: (from, to, value, text) => {
    const [size] = to.numbers;
    const room = ROOM[to.name];
    const raw = from.kind === "bytes" ? `CONVERT(${value} USING utf8mb4)` : text;
    return [
      size === undefined ? "" : `char_length(${raw}) > ${size}`,
      room === undefined ? "" : `length(${raw}) > ${room}`,
      // Blanks at the end of a char are cut when it is stored: https://mariadb.com/kb/en/char/
      to.name === "char" && from.name !== "char" ? `${raw} LIKE '% '` : "",
      from.kind === "bytes" ? `CAST(CONVERT(${value} USING utf8mb4) AS BINARY) <> ${value}` : "",
    ];
  },
  bytes: (_, to, value) => {
    const size = to.numbers[0] ?? ROOM[to.name];
    return [
      size === undefined ? "" : `length(${value}) > ${size}`,
      // Shorter ones are filled up with zeros.
      to.name === "binary" && size !== undefined ? `length(${value}) < ${size}` : "",
    ];
  },
  list: (_, to, __, text) => [`${bare(text)} NOT IN (${to.values.map(literalSql).join(", ")})`],
  set: (from, to, _, text) => {
    const known = to.values.reduce(
      (rest, each) => `replace(${rest}, ${literalSql(`,${each},`)}, ',')`,
      `concat(',', replace(${text}, ',', ',,'), ',')`,
    );
    return [
      `${text} <> '' AND replace(${known}, ',', '') <> ''`,
      from.kind === "text" ? `CAST(${text} AS BINARY) LIKE '%,,%'` : "",
    ];
  },
  year: (from, _, value, text) =>
    from.kind === "year"
      ? []
      : [
          from.kind === "text" ? `${text} NOT RLIKE '^[0-9]{4}$'` : "",
          `${exactSql(from, value)} NOT BETWEEN 1901 AND 2155 AND ${exactSql(from, value)} <> 0`,
        ],
  address: (from, to, _, text) =>
    from.name === to.name || (to.name === "inet6" && from.name === "inet4")
      ? []
      : [`CAST(${text} AS ${to.name}) IS NULL`],
  uuid: (from, _, __, text) => (from.kind === "uuid" ? [] : [`CAST(${text} AS UUID) IS NULL`]),
  other: () => [],
};

function range({ name, unsigned }: Typed): readonly [string, string] {
  const bits = BigInt(BITS[name] ?? 64);
  const [least, most] = unsigned ? [0n, 2n ** bits - 1n] : [-(2n ** (bits - 1n)), 2n ** (bits - 1n) - 1n];
  return [String(least), String(most)];
}

/** A value as a number whose digits can be compared. */
function exactSql({ kind }: Typed, value: string): string {
  if (kind === "whole" || kind === "decimal") return value;
  const text = kind === "floating" ? `CAST(${value} AS CHAR)` : value;
  return `CAST(${text} AS DECIMAL(65,30))`;
}

function notNumber({ kind }: Typed, text: string): string[] {
  return ["whole", "decimal", "floating", "year"].includes(kind) ? [] : [`${text} NOT RLIKE ${NUMBER}`];
}

function notMoment({ kind }: Typed, text: string, type: string): string[] {
  return ["moment", "date", "time"].includes(kind) ? [] : [`CAST(${text} AS ${type}) IS NULL`];
}

/** Fewer digits behind the seconds. */
function coarser(from: Typed, to: Typed, value: string, type: string): string[] {
  const [had, has] = [from, to].map(({ numbers }) => numbers[0] ?? 0);
  const isMoment = from.kind === "moment" || from.kind === "time";
  if (isMoment && has! >= had!) return [];
  // The optimizer takes casts of one value for the same, however many digits each keeps.
  return [`microsecond(CAST(${value} AS ${type}(6))) % ${10 ** (6 - has!)} <> 0`];
}

/** A text compared to the letter. */
function bare(text: string): string {
  return `CAST(${text} AS BINARY)`;
}
