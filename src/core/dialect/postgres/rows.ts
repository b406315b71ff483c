import type { DialectRows } from "../shared/dialect.js";
import { literalSql } from "./expressions.js";
import { quote } from "./names.js";
import { goOnCountingSql } from "./render/sequences.js";

export const rows: DialectRows = {
  literalSql: literalSql,
  bytesLiteral: digits => `'\\x${digits}'`,
  emptyRow: "DEFAULT VALUES",
  jsonPairs: (first, second) => `json_agg(json_build_array(${first}, ${second}))::text`,
  emptySql: table => `TRUNCATE TABLE ${table}`,
  copying: {
    // Drivers turn moments and numbers into values of JavaScript, which hold less.
    exactly: ({ name }) => `${quote(name)}::text AS ${quote(name)}`,
    overriding: "OVERRIDING SYSTEM VALUE ",
    after: goOnCountingSql,
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
