import { ATTIC } from "../../../schema/internal-tables.js";

/** https://sqlite.org/schematab.html */
export const catalogQueries = [
  // In one value: row by row the driver takes longer for it than SQLite. What has no text is part of a constraint.
  `SELECT json_group_array(json_array(type, name, tbl_name, sql)) AS entries
   FROM (SELECT type, name, tbl_name, sql FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY rowid)`,
  // The tables that a virtual table keeps its own things in: https://sqlite.org/pragma.html#pragma_table_list
  "SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'shadow'",
];

/** Pages by https://sqlite.org/dbstat.html */
export const atticTables = `SELECT name, NULL AS namespace, (SELECT sum(pgsize) FROM dbstat WHERE dbstat.name = t.name) AS bytes
  FROM sqlite_schema AS t WHERE type = 'table' AND name GLOB '${ATTIC}*' ORDER BY name`;
