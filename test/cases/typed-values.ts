import { parseDataType } from "../../src/core/schema/data-type.js";
import type { DataType } from "../../src/core/schema/types.js";

/** Types, portable and each engine's own, with values that sit at the edges of others. */
const TYPES: Readonly<Record<string, readonly string[]>> = {
  text: [
    "7",
    "7.125",
    "abc",
    "12abc",
    " 7 ",
    "1e3",
    "12345678901234567890",
    "2026-03-04",
    "2026-03-04 05:06:07",
    "pots",
    "kilns  ",
    "",
    "true",
    '{"a": 1}',
    "{bad",
  ],
  "varchar(9)": ["pöts", "kilns", "7.5", "007"],
  "varchar(4)": ["pöts", "7"],
  "char(6)": ["pots", "7.125"],
  boolean: ["true", "false"],
  smallint: ["7", "-32768"],
  integer: ["1", "-3", "40000"],
  bigint: ["1", "9007199254740993", "4000000000"],
  "decimal(6,3)": ["1.5", "1.25", "2", "-0.125"],
  "decimal(8,2)": ["0.25", "123456.78"],
  double: ["-3", "-3.25", "0.1", "0.125", "1e300"],
  real: ["0.5", "0.25"],
  date: ["2026-03-04"],
  time: ["05:06:07", "05:06:07.25"],
  timestamp: ["2026-03-04 00:00:00", "2026-03-04 05:06:07", "2026-03-04 05:06:07.125", "1969-03-04 00:00:00"],
  timestamptz: ["2026-03-04 00:00:00+00", "2026-03-04 05:06:07.5+00"],
  uuid: ["0b0e7a7e-5c1c-4c1a-9c7e-0a0b0c0d0e0f"],
  json: ['{"a": 1}', "7"],
  bytes: ["pots"],
};
const NATIVE: Readonly<Record<string, Readonly<Record<string, readonly string[]>>>> = {
  SQLite: { int: ["7", "x"], numeric: ["7.5"], "": ["7", "x"] },
  PostgreSQL: {
    "timestamp(3)": ["2026-03-04 05:06:07.125"],
    "timestamptz(0)": ["2026-03-04 05:06:07+00"],
    "time(1)": ["05:06:07.5"],
    numeric: ["7.125", "1e30"],
    varchar: ["kilns"],
    int4: ["7"],
    interval: ["1 day"],
    inet: ["10.0.0.1"],
    cidr: ["10.0.0.0/8"],
    timetz: ["05:06:07+00"],
    money: ["$7.00"],
    "bit(3)": ["101"],
    "varchar(9)[]": ["{7,pots}"],
    int4range: ["[1,7)"],
    name: ["pots"],
    "integer[]": ["{1,2}"],
  },
  MariaDB: {
    "int(10) unsigned": ["7", "4000000000"],
    "tinyint(4)": ["-7", "100"],
    "bigint(20) unsigned": ["18446744073709551615"],
    "decimal(5,2) unsigned": ["7.25"],
    datetime: ["2026-03-04 05:06:07", "1965-01-01 00:00:00"],
    "timestamp(2)": ["2026-03-04 05:06:07.12"],
    "time(1)": ["05:06:07.5"],
    "enum('raw','glazed','pots')": ["raw", "pots"],
    "enum('raw','glazed')": ["raw", "glazed"],
    "set('a','b')": ["a,b", "a", ""],
    "set('a','c')": ["a", "c"],
    "year(4)": ["2026"],
    tinytext: ["pots", "x".repeat(250)],
    "varbinary(3)": ["abc"],
    "binary(4)": ["abcd"],
  },
};

/** The types there are on an engine, by its name, with values of each. */
export function typesOn(engine: string): Readonly<Record<string, readonly string[]>> {
  return { ...TYPES, ...NATIVE[engine.replace("embedded ", "")] };
}

export function typeOf(dialect: string, text: string): DataType {
  return parseDataType(text) ?? { kind: "native", sql: { [dialect]: text } };
}
