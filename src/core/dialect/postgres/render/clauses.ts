import { quoteTable } from "../names.js";

/** What one change adds to the ALTER TABLE of its table, and what must run before and after it. */
export interface Clauses {
  readonly before?: readonly string[];
  /** Clauses that come before those of all other changes. */
  readonly first?: readonly string[];
  readonly clauses: readonly string[];
  /** Clauses of a second ALTER TABLE, which the first must not be joined with. */
  readonly afterwards?: readonly string[];
  readonly after?: readonly string[];
}

export interface Alteration extends Clauses {
  readonly table: string;
}

/** One ALTER TABLE. */
export function alterTableSql(address: string, ...clauses: readonly string[]): string {
  const name = `ALTER TABLE ${quoteTable(address)}`;
  return clauses.length === 1 ? `${name} ${clauses.join()}` : `${name}\n  ${clauses.join(",\n  ")}`;
}
