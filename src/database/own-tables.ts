import type { Dialect } from "../core/dialect/shared/dialect.js";
import { blocksFor } from "../core/plan/plan.js";
import { EMPTY_SCHEMA, type Table } from "../core/schema/types.js";
import type { Database } from "./session/database.js";

/** Makes a table of Emberset's own, as any other, so that each dialect makes it in its own words. */
export async function makeTable(database: Database, table: Table): Promise<void> {
  for (const sql of statementsFor(database.dialect, table)) await database.run(sql);
}

/** Many databases get the same. */
const known = new WeakMap<Table, Map<Dialect, readonly string[]>>();

function statementsFor(dialect: Dialect, table: Table): readonly string[] {
  const byDialect = known.get(table) ?? new Map<Dialect, readonly string[]>();
  known.set(table, byDialect);
  const made =
    byDialect.get(dialect) ??
    blocksFor(dialect, EMPTY_SCHEMA, [{ kind: "add table", table }]).flatMap(({ statements }) => statements);
  byDialect.set(dialect, made);
  return made;
}
