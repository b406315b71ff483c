import { retype } from "./retyping.js";
import { EVERYWHERE } from "../../lower/differences.js";
import { EVERYONE } from "../../schema/grants.js";
import { MOMENTS, NUMBERS, TEXTS } from "../../schema/data-type.js";
import type { Dialect } from "../shared/dialect.js";
import { attic } from "./attic.js";
import { costsOf, depending } from "./costs.js";
import { catalogQueries, sizes } from "./catalog/queries.js";
import { readCatalog } from "./catalog/read.js";
import { cannotHold as cannotHoldName, NAME_LIMIT, quote, quoteTable, reserved } from "./names.js";
import { raise, unspell } from "./raise.js";
import { managedObjectNames, render, scriptNotes } from "./render/index.js";
import { rows } from "./rows.js";
import { cannotHold, cannotHoldIndex, settle, TOKENS } from "./settle.js";
import { fillsRows, hindrancesIn, onlineSteps, tidyOnline } from "./render/online.js";
import { steps } from "./steps.js";
import { cannotHoldColumn, NAME, widens, words } from "./types.js";

/** MariaDB 10.6 and later. */
export const mariadb: Dialect = {
  name: NAME,
  title: "MariaDB",
  onServer: true,
  socketOption: "socketPath",
  tokens: TOKENS,
  names: {
    quote,
    reserved,
    limit: NAME_LIMIT,
    cannotHold: cannotHoldName,
    shared: { kinds: ["foreign key"], tables: false },
  },
  types: {
    settle,
    raise,
    unspell,
    words,
    widens,
    retype,
    objects: {
      kinds: ["view", "function", "procedure", "trigger", "event"],
      namespaces: false,
    },
    options: {
      table: ["engine", "collation", "with"],
      column: ["on update", "invisible", "not null"],
      part: ["comment", "ignored", "terms"],
    },
    holdsSizes: true,
    // https://mariadb.com/kb/en/create-table/#unique-index
    ofAnyLength: {
      key: "MariaDB takes no key of any length",
      unique: "MariaDB keeps a hash of it, in which nothing can be looked up",
    },
    lacks: {
      countingUnindexed:
        "MariaDB counts only in a key or where an index begins: https://mariadb.com/kb/en/auto_increment/",
      countingAlways: "MariaDB takes a value where one is given",
    },
    differences: {
      ...EVERYWHERE,
      "blanks are cut": ["varchar"],
      "blanks are no part": ["char"],
      "days only": ["date"],
      rounded: ["smallint", "integer", "bigint", "decimal"],
      "single precision": ["real"],
      "NaN is a number": ["smallint", "integer", "bigint", "decimal"],
      "texts are read": [...NUMBERS, ...MOMENTS, "uuid"],
      years: ["date", "timestamp"],
      epoch: ["timestamptz"],
      "null is now": ["timestamptz"],
      "cut without a word": ["varchar", "char", ...NUMBERS],
      "null is nothing": ["boolean", "date", "time", "timestamp", "uuid", "bytes", ...TEXTS, ...NUMBERS],
      "texts without zones": ["date", "timestamp", "timestamptz"],
      "lenient JSON": ["json"],
    },
    cannotHoldColumn,
    cannotHold,
    cannotHoldIndex,
  },
  render: {
    blocks: render,
    costs: costsOf,
    depending,
    scriptNotes,
    managedObjectNames,
    dropView: (_, address) => `DROP VIEW IF EXISTS ${quoteTable(address)}`,
    steps,
    online: {
      hindrances: plan => hindrancesIn(plan, render({ ...plan, online: true })),
      tidy: tidyOnline,
      fills: fillsRows,
      steps: onlineSteps,
    },
  },
  attic,
  // https://mariadb.com/kb/en/create-role/
  roles: {
    all: `SELECT User AS name FROM mysql.user WHERE is_role = 'Y' UNION ALL SELECT '${EVERYONE}'`,
    memberships: "SELECT User AS role, Role AS has FROM mysql.roles_mapping WHERE Host = ''",
    createSql: role => `CREATE ROLE ${quote(role)}`,
    inheritSql: (role, from) => `GRANT ${quote(from)} TO ${quote(role)}`,
  },
  catalog: {
    ...{ queries: catalogQueries, sizes, read: readCatalog, respells: true, keepsOrder: true },
    anyTable: "SELECT 1 AS found FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() LIMIT 1",
  },
  rows,
};
