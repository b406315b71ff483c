import type { DialectRows } from "../shared/dialect.js";
import { literal } from "./expressions.js";
import { quote } from "./names.js";
import { goOnCounting } from "./render/sequences.js";

export const rows: DialectRows = {
  literal,
  bytesLiteral: digits => `'\\x${digits}'`,
  emptyRow: "DEFAULT VALUES",
  jsonPairs: (first, second) => `json_agg(json_build_array(${first}, ${second}))::text`,
  emptySql: table => `TRUNCATE TABLE ${table}`,
  copying: {
    // Drivers turn moments and numbers into values of JavaScript, which hold less.
    exactly: ({ name }) => `${quote(name)}::text AS ${quote(name)}`,
    overriding: "OVERRIDING SYSTEM VALUE ",
    after: goOnCounting,
  },
  driver: {
    // https://node-postgres.com/features/types
    name: "pg",
    types: {
      boolean: "boolean",
      bigint: "string",
      decimal: "string",
      date: "Date",
      timestamp: "Date",
      timestamptz: "Date",
      json: "unknown",
    },
  },
};
