import { EVERYONE } from "../../../schema/grants.js";
import type { Column } from "../../../schema/types.js";
import { cutName } from "../../../schema/naming.js";
import { fillPlaceholders } from "../../../sql/placeholders.js";
import type { RowsOfRole } from "../../shared/dialect.js";
import type { GrantSyntax } from "../../shared/grants.js";
import { literalSql } from "../expressions.js";
import { NAME_LIMIT, quote, quoteTable } from "../names.js";
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

/**
 * A policy that shows a role the rows of which a condition holds, or to all others what they saw before: whoever is none
 * of the roles, nor has what one of them has. https://www.postgresql.org/docs/15/ddl-rowsecurity.html
 */
export function rowsSql({ table, role, condition, roles }: RowsOfRole): {
  readonly name: string;
  readonly sql: string;
} {
  const name = cutName(role === undefined ? "rows_others" : `rows_${role}`, NAME_LIMIT);
  const others = roles.map(each => `pg_has_role(CURRENT_USER, ${literalSql(each)}, 'USAGE')`).join(" OR ");
  const holds =
    role === undefined
      ? `NOT (${others})`
      : fillPlaceholders(condition, column => quote(cutName(column, NAME_LIMIT)));
  const to = role === undefined || role === EVERYONE ? "PUBLIC" : quote(role);
  const on = quoteTable(table);
  return {
    name,
    sql: `CREATE POLICY ${quote(name)} ON ${on} TO ${to} USING (${holds});\nALTER TABLE ${on} ENABLE ROW LEVEL SECURITY`,
  };
}
