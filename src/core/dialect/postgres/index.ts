import { refusesLoss, retype } from "./retyping.js";
import { EVERYWHERE } from "../../lower/differences.js";
import { EVERYONE } from "../../schema/grants.js";
import { MOMENTS, NUMBERS, TEXTS } from "../../schema/data-type.js";
import type { Dialect } from "../shared/dialect.js";
import { attic } from "./attic.js";
import { costsOf } from "./costs.js";
import { anyTable, catalogQueries, emptyTables, sizes } from "./catalog/queries.js";
import { furtherQuery, readCatalog } from "./catalog/read.js";
import { NAME_LIMIT, quote, quoteTable, reserved } from "./names.js";
import { rowsIn, rowsSql } from "./policies.js";
import { raise, unspell } from "./raise.js";
import { scriptNotes } from "./render/around.js";
import { besidesIn } from "./render/beside.js";
import { managedObjectNames, render } from "./render/index.js";
import { hindrancesIn, tidyOnline } from "./render/online.js";
import { fillsRows, steps } from "./steps.js";
import { rows } from "./rows.js";
import { cannotHold, cannotHoldIndex, settle, TOKENS } from "./settle.js";
import { cannotHoldColumn, definedType, NAME, widens, words } from "./types.js";

/** PostgreSQL 14 and later. */
export const postgres: Dialect = {
  name: NAME,
  title: "PostgreSQL",
  onServer: true,
  socketOption: "host",
  tokens: TOKENS,
  names: {
    quote,
    reserved,
    limit: NAME_LIMIT,
    cannotHold: () => undefined,
    shared: { kinds: ["key", "unique", "index"], tables: true },
  },
  types: {
    settle,
    raise,
    unspell,
    words,
    widens,
    refusesLoss,
    retype,
    objects: {
      kinds: ["view", "materialized view", "function", "procedure", "trigger"],
      alongside: /^(?:comment on|grant|revoke|alter|create (?:unique )?index)\b/i,
      namespaces: true,
    },
    options: {
      table: ["unlogged", "using", "with"],
      column: [
        ...[
          "sequence",
          "sequence name",
          "sequence type",
          "increment",
          "minimum",
          "maximum",
          "start",
          "cache",
        ],
        ...["cycle", "storage", "compression", "statistics"],
      ],
      part: ["with", "nulls", "match", "set columns", "not valid", "no inherit"],
    },
    definedType,
    holdsSizes: true,
    lacks: { virtual: "PostgreSQL has computed columns that are kept, and no others" },
    differences: {
      "NUL is refused": TEXTS,
      ...EVERYWHERE,
      "blanks are cut": ["varchar"],
      "blanks are no part": ["char"],
      "days only": ["date"],
      rounded: ["decimal"],
      "single precision": ["real"],
      "texts are read": [...NUMBERS, ...MOMENTS, "uuid"],
      "years from 4713 BC": ["date", "timestamp", "timestamptz"],
      "escapes of JSON": ["json"],
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
    online: {
      hindrances: plan => hindrancesIn(plan, render({ ...plan, online: true })),
      seconds: besidesIn,
      tidy: tidyOnline,
      fills: fillsRows,
      steps,
    },
    dropView: (kind, address) => `DROP ${kind.toUpperCase()} IF EXISTS ${quoteTable(address)} CASCADE`,
  },
  attic,
  // https://www.postgresql.org/docs/15/sql-createrole.html
  roles: {
    all: `SELECT rolname AS name FROM pg_roles UNION ALL SELECT '${EVERYONE}'`,
    memberships: `SELECT pg_get_userbyid(member) AS role, pg_get_userbyid(roleid) AS has FROM pg_auth_members`,
    createSql: role => `CREATE ROLE ${quote(role)} NOLOGIN`,
    inheritSql: (role, from) => `GRANT ${quote(from)} TO ${quote(role)}`,
    rows: { sql: rowsSql, read: rowsIn },
  },
  catalog: {
    queries: catalogQueries,
    anyTable,
    further: furtherQuery,
    read: readCatalog,
    emptyTables,
    sizes,
    respells: true,
    keepsOrder: false,
  },
  rows,
};
