import type { Dialect } from "../dialect.js";
import { catalogQueries, emptyTables, readCatalog } from "./catalog.js";
import { literal, NAME_LIMIT, quote } from "./expressions.js";
import { raise, unspell } from "./raise.js";
import { ATTIC_SYNTAX, attachments, goOnCounting, render, scriptNotes } from "./render.js";
import { reserved } from "./reserved.js";
import { cannotHold, cannotHoldIndex, settle, TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/** PostgreSQL 14 and later. */
export const postgres: Dialect = {
  name: NAME,
  title: "PostgreSQL",
  tokens: TOKENS,
  quote,
  literal,
  emptyRow: "DEFAULT VALUES",
  cuts: {
    exact: value => `CAST(${value} AS numeric)`,
    single: "real",
    fraction: 6,
    withFraction: (name, digits) => `${name}(${digits})`,
  },
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
  bytesLiteral: digits => `'\\x${digits}'`,
  settle,
  raise,
  unspell,
  attachments,
  attic: ATTIC_SYNTAX,
  render,
  scriptNotes,
  catalogQueries,
  jsonPairs: (first, second) => `json_agg(json_build_array(${first}, ${second}))::text`,
  emptyTables,
  readCatalog,
  respells: true,
  keepsOrder: false,
  transactional: true,
  cannotHold,
  cannotHoldName: () => undefined,
  cannotHoldIndex,
  sharedNames: { kinds: ["key", "unique", "index"], tables: true },
  reserved,
  nameLimit: NAME_LIMIT,
};
