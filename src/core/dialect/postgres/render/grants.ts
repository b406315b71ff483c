import { EVERYONE } from "../../../schema/grants.js";
import type { Column } from "../../../schema/types.js";
import type { GrantSyntax } from "../../shared/grants.js";
import { quote, quoteTable } from "../names.js";
import { ownedSequenceOf } from "./sequences.js";

/** https://www.postgresql.org/docs/15/sql-grant.html, https://www.postgresql.org/docs/15/sql-revoke.html */
export const GRANTS: GrantSyntax = {
  followTables: true,
  takesColumns: true,
  quote,
  quoteTable,
  role: name => (name === EVERYONE ? "PUBLIC" : quote(name)),
  needs: (table, inserts) => [
    ...(table.namespace === undefined ? [] : [{ right: `USAGE ON SCHEMA ${quote(table.namespace)}` }]),
    ...(inserts
      ? table.columns.flatMap(column => {
          const counter = counterOf(column);
          return counter === undefined
            ? []
            : [{ right: `USAGE ON SEQUENCE ${counter}`, column: column.name }];
        })
      : []),
  ],
};

/** The sequence that a column counts by and that is not its own alone, quoted. */
function counterOf(column: Column): string | undefined {
  const owned = ownedSequenceOf(column);
  if (owned) return quoteTable(owned.sequence);
  const { default: value } = column;
  const text = value?.kind === "sql" && typeof value.sql === "string" ? value.sql : "";
  return /^nextval\('((?:[^']|'')+)'(?:::regclass)?\)$/.exec(text)?.[1]?.replaceAll("''", "'");
}
