import { mariadb } from "../../core/dialect/mariadb/index.js";
import type { Statement } from "../../core/sql/statements.js";
import { speaksOf, takenAway } from "../session/taken-away.js";
import { refuseBlind } from "./rights.js";
import { Breakage, type Database } from "../session/database.js";

/**
 * MariaDB lets a table or a column go from under a view, and says so only when the view is read. What a script takes
 * away is therefore held against the views and triggers before it runs. @throws Breakage; Problem E415
 */
export async function refuseBreaking(database: Database, statements: readonly Statement[]): Promise<void> {
  const taken = takenAway(statements, mariadb.tokens);
  if (taken.length === 0) return;
  await refuseBlind(database, database.target);
  const views = await database.rows(
    "SELECT TABLE_NAME AS name, VIEW_DEFINITION AS body, DATABASE() AS here FROM information_schema.VIEWS WHERE TABLE_SCHEMA = DATABASE()",
  );
  const triggers = await database.rows(
    "SELECT TRIGGER_NAME AS name, ACTION_STATEMENT AS body, EVENT_OBJECT_TABLE AS owner FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE()",
  );
  const quote = mariadb.names.quote;
  const found = taken.flatMap(({ table, column }) => {
    const what = column === undefined ? table : `${table}.${column}`;
    const used = views.filter(({ body, here }) => {
      const text = String(body);
      return (
        text.includes(`${quote(String(here))}.${quote(table)}`) &&
        (column === undefined || text.includes(`.${quote(column)}`))
      );
    });
    const run = triggers.filter(
      ({ body, owner }) =>
        column !== undefined && owner === table && speaksOf(String(body), column, mariadb.tokens),
    );
    return [
      ...used.map(({ name }) => `view ${String(name)} uses ${what}`),
      ...run.map(({ name }) => `trigger ${String(name)} uses ${what}`),
    ];
  });
  if (found.length > 0) throw new Breakage("objects", [...new Set(found)], "the server would not refuse it");
}
