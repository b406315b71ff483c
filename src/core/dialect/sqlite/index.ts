import { retype, unfitToCount } from "./retyping.js";
import { EVERYWHERE } from "../../lower/differences.js";
import { MOMENTS, NUMBERS, TEXTS } from "../../schema/data-type.js";
import type { Dialect } from "../shared/dialect.js";
import { attic } from "./attic.js";
import { costsOf } from "./costs.js";
import { catalogQueries } from "./catalog/queries.js";
import { readCatalog } from "./catalog/read.js";
import { quote, quoteTable, reserved } from "./names.js";
import { raise, unspell } from "./raise.js";
import { managedObjectNames, render, scriptNotes } from "./render/index.js";
import { rows } from "./rows.js";
import { cannotHold, cannotHoldIndex, settle, TOKENS } from "./settle.js";
import { cannotHoldColumn, NAME, widens, words } from "./types.js";

/** SQLite 3.45 and later, as libsql brings it. */
export const sqlite: Dialect = {
  name: NAME,
  title: "SQLite",
  onServer: false,
  tokens: TOKENS,
  names: {
    quote,
    reserved,
    cannotHold: () => undefined,
    shared: { kinds: ["index"], tables: true },
  },
  types: {
    settle,
    raise,
    unspell,
    words,
    widens,
    retype,
    objects: { kinds: ["view", "trigger"], namespaces: false },
    options: {
      table: ["without rowid", "strict", "types"],
      column: ["not null on conflict", "not null"],
      part: ["on conflict", "terms", "columns"],
    },
    unfitToCount,
    holdsSizes: false,
    lacks: {
      countingBesideKey: "SQLite counts only in a key: https://sqlite.org/autoinc.html",
      countingAlways: "SQLite takes a value where one is given",
    },
    differences: {
      "NUL ends a text": TEXTS,
      ...EVERYWHERE,
      "NaN is null": NUMBERS,
      "texts are read": [...NUMBERS, ...MOMENTS],
      years: MOMENTS,
      days: MOMENTS,
    },
    cannotHoldColumn,
    cannotHold,
    cannotHoldIndex,
  },
  render: {
    blocks: render,
    costs: costsOf,
    scriptNotes,
    managedObjectNames,
    dropView: (_, address) => `DROP VIEW IF EXISTS ${quoteTable(address)}`,
  },
  attic,
  catalog: {
    ...{ queries: catalogQueries, read: readCatalog, respells: false, keepsOrder: true },
    anyTable: "SELECT 1 AS found FROM sqlite_schema LIMIT 1",
  },
  rows,
};
