import { matters, tokenize } from "../../sql/tokens.js";
import type { Step, StepSyntax } from "../shared/steps.js";
import { TOKENS } from "./settle.js";

/** How the statements of a script are told that is no transaction: https://www.postgresql.org/docs/15/sql-createindex.html#SQL-CREATEINDEX-CONCURRENTLY */
export const steps: StepSyntax = {
  stepOf: sql => ({ kind: kindOf(sql), about: [] }),
  lockingToo: sql => sql,
  prepares: () => false,
  copiedAnew: () => [],
  sets: () => undefined,
};

/** The index that a statement makes, or drops, outside of a transaction, as it is quoted; undefined: it is none such. */
export function indexApart(
  sql: string,
): { readonly does: "create" | "drop"; readonly index: string } | undefined {
  const [, made, namespace = ""] = CREATES.exec(sql) ?? [];
  if (made !== undefined) return { does: "create", index: `${namespace}${made}` };
  const [, dropped] = DROPS.exec(sql) ?? [];
  return dropped === undefined ? undefined : { does: "drop", index: dropped };
}

/** An update that gives a value to all rows that have none: the table and the column, as they are quoted. */
export function fillsRows(sql: string): { readonly table: string; readonly column: string } | undefined {
  const [, table, column, empty] = FILLS.exec(sql) ?? [];
  return table === undefined || column !== empty ? undefined : { table, column: column! };
}

/** A copy of some columns of all rows, into the attic: the table, as it is quoted, and what stands before and behind the rows that are meant. */
export function copiesRows(
  sql: string,
): { readonly table: string; readonly before: string; readonly behind: string } | undefined {
  const [, before, table, behind] = COPIES.exec(sql) ?? [];
  return table === undefined ? undefined : { table, before: before!, behind: behind! };
}

const NAME = `"(?:[^"]|"")+"`;
const TABLE = `(?:${NAME}\\.)?${NAME}`;
const CREATES = new RegExp(`^CREATE (?:UNIQUE )?INDEX CONCURRENTLY (${NAME}) ON (${NAME}\\.)?${NAME}`);
const DROPS = new RegExp(`^DROP INDEX CONCURRENTLY (${TABLE})$`);
const COPIES = new RegExp(
  `^(INSERT INTO ${TABLE} \\([^]+\\) SELECT [^]+ FROM (${TABLE}))( ON CONFLICT DO NOTHING)$`,
);
const FILLS = new RegExp(`^UPDATE (${TABLE}) SET (${NAME}) = [^]+ WHERE (${NAME}) IS NULL$`);

/** What takes as long as a table has rows, or cannot be used before it is committed, is committed by itself. */
const LONG = / VALIDATE CONSTRAINT | ADD VALUE /;
const HELD = "'emberset.held";
const QUICK =
  /^(?:ALTER|COMMENT|GRANT|REVOKE|CREATE (?:TABLE|SCHEMA|SEQUENCE|TYPE|DOMAIN|FUNCTION|TRIGGER|VIEW|POLICY|INDEX|UNIQUE INDEX|OR REPLACE)|DROP) /;

function kindOf(sql: string): Step["kind"] {
  if (indexApart(sql)) return "apart";
  if (fillsRows(sql) ?? copiesRows(sql)) return "pieces";
  // What a view is granted is held by the session while it is away: all of that is one step, or none.
  if (sql.includes(HELD)) return "quick";
  if (QUICK.test(sql)) return LONG.test(sql) ? "rows" : "quick";
  const [first] = tokenize(sql, TOKENS).filter(matters);
  return /^SET$/i.test(first?.text ?? "") ? "session" : "rows";
}
