import type { Dialect } from "../dialect.js";
import { ATTIC_SYNTAX } from "./attic.js";
import { catalogQueries, readCatalog } from "./catalog.js";
import { literal, quote } from "./expressions.js";
import { raise, unspell } from "./raise.js";
import { attachments, render, scriptNotes } from "./render.js";
import { reserved } from "./reserved.js";
import { cannotHold, cannotHoldIndex, cannotHoldName, NAME_LIMIT, settle, TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/** MariaDB 10.6 and later. */
export const mariadb: Dialect = {
  name: NAME,
  title: "MariaDB",
  tokens: TOKENS,
  quote,
  literal,
  emptyRow: "() VALUES ()",
  cuts: {
    exact: value => value,
    single: "float",
    fraction: 0,
    // A cast knows no timestamp: https://mariadb.com/kb/en/cast/
    withFraction: (name, digits) => `${name === "time" ? "time" : "datetime"}(${digits})`,
    // It takes what begins like a number.
    notWhole: value => `${value} NOT RLIKE '^-?[0-9]+$'`,
  },
  copying: {
    exactly: ({ name }) => quote(name),
    overriding: "",
    unchecked: { start: "SET foreign_key_checks = 0", end: "SET foreign_key_checks = 1" },
    after: () => [],
  },
  driver: {
    // https://sidorares.github.io/node-mysql2/docs/api-and-configurations
    name: "mysql2",
    types: { decimal: "string", date: "Date", timestamp: "Date", timestamptz: "Date" },
  },
  // https://mariadb.com/kb/en/create-table/#unique-index
  ofAnyLength: {
    key: "MariaDB takes no key of any length",
    unique: "MariaDB keeps a hash of it, in which nothing can be looked up",
  },
  bytesLiteral: digits => `X'${digits}'`,
  settle,
  raise,
  unspell,
  attachments,
  attic: ATTIC_SYNTAX,
  render,
  scriptNotes,
  catalogQueries,
  jsonPairs: (first, second) => `CAST(JSON_ARRAYAGG(JSON_ARRAY(${first}, ${second})) AS char)`,
  readCatalog,
  respells: true,
  keepsOrder: true,
  transactional: false,
  cannotHold,
  cannotHoldName,
  cannotHoldIndex,
  sharedNames: { kinds: ["foreign key"], tables: false },
  reserved,
  nameLimit: NAME_LIMIT,
};
