import type { Dialect } from "../dialect.js";
import { catalogQueries, readCatalog } from "./catalog.js";
import { literal, quote } from "./expressions.js";
import { raise, unspell } from "./raise.js";
import { ATTIC_SYNTAX, attachments, render, scriptNotes } from "./render.js";
import { reserved } from "./reserved.js";
import { cannotHold, cannotHoldIndex, settle, TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/** SQLite 3.45 and later, as libsql brings it. */
export const sqlite: Dialect = {
  name: NAME,
  title: "SQLite",
  tokens: TOKENS,
  quote,
  literal,
  emptyRow: "DEFAULT VALUES",
  copying: {
    exactly: ({ name }) => quote(name),
    overriding: "",
    // Off on every connection that changes anything: what is run is checked before it is committed.
    unchecked: { start: "PRAGMA foreign_keys = OFF", end: "PRAGMA foreign_keys = OFF" },
    after: () => [],
  },
  driver: { name: "libsql", types: { bytes: "ArrayBuffer" } },
  bytesLiteral: digits => `X'${digits}'`,
  settle,
  raise,
  unspell,
  attachments,
  attic: ATTIC_SYNTAX,
  render,
  scriptNotes,
  catalogQueries,
  jsonPairs: (first, second) => `json_group_array(json_array(${first}, ${second}))`,
  readCatalog,
  respells: false,
  keepsOrder: true,
  transactional: true,
  cannotHold,
  cannotHoldName: () => undefined,
  cannotHoldIndex,
  sharedNames: { kinds: ["index"], tables: true },
  reserved,
};
