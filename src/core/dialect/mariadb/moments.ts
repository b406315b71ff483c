import type { Column, Table } from "../../schema/types.js";
import { placeholderOf } from "../../sql/tokens.js";
import { NAME, typeOf } from "./types.js";

/** The option of a column that says how it is required. */
const NOT_NULL = "not null";

/** It is required by NOT NULL, as every other column; written of an adopted one, where a check would be usual. */
const PLAIN = "plain";

/**
 * Whether a required column is held to it by a check beside it: into a timestamp that is NOT NULL the server puts the
 * current moment where null is written, https://mariadb.com/kb/en/timestamp/. Of a key it cannot be said otherwise, a
 * column has one check beside it, and where the current moment is its default, that is what the column is for.
 */
export function refusesNullByCheck(column: Column, table: Pick<Table, "key" | "checks">): boolean {
  return mightRefuse(column, table) && column.options?.[NAME]?.[NOT_NULL] === undefined;
}

function mightRefuse(column: Column, { key, checks }: Pick<Table, "key" | "checks">): boolean {
  const { name, nullable, computed, stamp, default: value } = column;
  const isNow = value?.kind === "sql" && /^(?:current_timestamp|now)\b/i.test(String(value.sql));
  return (
    /^timestamp\b/.test(typeOf(column)) &&
    !nullable &&
    !computed &&
    stamp === undefined &&
    column.options?.[NAME]?.["on update"] === undefined &&
    !isNow &&
    !key?.columns.includes(name) &&
    !checks.some(check => check.column === name)
  );
}

/** The check that a required column has beside it. */
export function notNull({ name }: Column): string {
  return `${placeholderOf(name)} IS NOT NULL`;
}

/** How a column with such a check is written. */
export const REFUSES_NULL = /`\s+timestamp\b.* NULL\b.* CHECK \(.* IS NOT NULL\)/;

/** The column without the option where that says nothing. */
export function settleNotNull(column: Column, table: Pick<Table, "key" | "checks">): Column {
  const { [NOT_NULL]: stated, ...own } = column.options?.[NAME] ?? {};
  if (stated === undefined) return column;
  return withOptions(column, mightRefuse(column, table) ? { ...own, [NOT_NULL]: PLAIN } : own);
}

/** A table as the catalog has it: columns that may be null but for such a check are required, and others say how. */
export function readNotNull(table: Table): Table {
  const refusing = new Set<string>();
  const columns = table.columns.map(column => {
    if (!column.nullable)
      return mightRefuse(column, table)
        ? withOptions(column, { ...column.options?.[NAME], [NOT_NULL]: PLAIN })
        : column;
    const beside = table.checks.find(check => check.column === column.name);
    const [only] = beside?.rules ?? [];
    const required = { ...column, nullable: false };
    const checks = table.checks.filter(check => check !== beside);
    if (only?.kind !== "sql" || String(only.sql).toUpperCase() !== notNull(column).toUpperCase())
      return column;
    if (!mightRefuse(required, { ...table, checks })) return column;
    refusing.add(column.name);
    return required;
  });
  const checks = table.checks.filter(({ column }) => column === undefined || !refusing.has(column));
  return { ...table, columns, checks };
}

function withOptions({ options: _, ...column }: Column, own: Readonly<Record<string, string>>): Column {
  return Object.keys(own).length > 0 ? { ...column, options: { [NAME]: own } } : column;
}
