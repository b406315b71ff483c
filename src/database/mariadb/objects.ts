import { mariadb } from "../../core/dialect/mariadb/index.js";
import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import type { Statements } from "../session/statements.js";

/**
 * Rows of objects, each with the SQL that makes it: nothing but SHOW CREATE tells that whole
 * (https://mariadb.com/kb/en/show-create-procedure/), and only to who may see it.
 */
export async function withObjects(
  found: readonly CatalogRow[],
  rows: Statements["rows"],
): Promise<CatalogRow[]> {
  const full: CatalogRow[] = [];
  for (const row of found) {
    const kind = String(row["kind"]);
    if (!(kind in TEXTS)) {
      full.push(row);
      continue;
    }
    const name = mariadb.names.quote(String(row["name"]));
    const [said] = await rows(`SHOW CREATE ${kind.toUpperCase()} ${name}`).catch(() => []);
    full.push({
      ...row,
      sql: said?.[TEXTS[kind]!] ?? null,
      mode: said?.["sql_mode"] ?? null,
      zone: said?.["time_zone"] ?? null,
    });
  }
  return full;
}

/** The columns in which it is told. */
const TEXTS: Readonly<Record<string, string>> = {
  SEQUENCE: "Create Table",
  VIEW: "Create View",
  function: "Create Function",
  procedure: "Create Procedure",
  trigger: "SQL Original Statement",
  event: "Create Event",
};
