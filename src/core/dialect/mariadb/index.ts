import type { Dialect } from "../dialect.js";
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
  bytesLiteral: digits => `X'${digits}'`,
  settle,
  raise,
  unspell,
  attachments,
  render,
  scriptNotes,
  catalogQueries,
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
