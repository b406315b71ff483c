import { blocksFor } from "../core/plan/plan.js";
import { EMPTY_SCHEMA, type Table } from "../core/schema/types.js";
import type { Database } from "./session/database.js";

/** Makes a table of Emberset's own, as any other, so that each dialect makes it in its own words. */
export async function makeTable(database: Database, table: Table): Promise<void> {
  const blocks = blocksFor(database.dialect, EMPTY_SCHEMA, [{ kind: "add table", table }]);
  for (const sql of blocks.flatMap(({ statements }) => statements)) await database.run(sql);
}
