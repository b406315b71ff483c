import { mariadb } from "../../core/dialect/mariadb/index.js";
import type { Statement } from "../../core/sql/statements.js";
import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import { seenTo, speaksOf, takenAway } from "../session/taken-away.js";
import { refuseBlind } from "./rights.js";
import { Breakage, type Database } from "../session/database.js";

/**
 * MariaDB lets a table or a column go from under a view, and says so only when the view is read. What a script takes
 * away is therefore held against the views and triggers before it runs. @throws Breakage; Problem E415
 */
export async function refuseBreaking(database: Database, statements: readonly Statement[]): Promise<void> {
  const seen = seenTo(statements, mariadb.tokens);
  await refuseTriggered(database, statements, seen);
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
  const others = (row: CatalogRow) => !seen.has(String(row["name"]).toLowerCase());
  const found = taken.flatMap(({ table, column }) => {
    const what = column === undefined ? table : `${table}.${column}`;
    const used = views.filter(others).filter(({ body, here }) => {
      const text = String(body);
      return (
        text.includes(`${quote(String(here))}.${quote(table)}`) &&
        (column === undefined || text.includes(`.${quote(column)}`))
      );
    });
    const run = triggers
      .filter(others)
      .filter(
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

/**
 * An update that is none in anybody's eyes runs the triggers all the same: MariaDB has no way to turn them off. Only of
 * updates that a migration makes of what it keeps, converts or fills: those of a person's own script are meant.
 * @throws Breakage
 */
async function refuseTriggered(
  database: Database,
  statements: readonly Statement[],
  seen: ReadonlySet<string>,
): Promise<void> {
  const updated = new Set<string>();
  // By the names that the tables have before the script calls them otherwise.
  const before = new Map<string, string>();
  const plain = (name = "") => name.replaceAll("``", "`");
  for (const { sql } of statements) {
    const [, from, to] = RENAMED.exec(sql) ?? [];
    if (to !== undefined) before.set(plain(to), before.get(plain(from)) ?? plain(from));
    const [, name] = MADE_UPDATE.exec(sql) ?? [];
    if (name !== undefined) updated.add(before.get(plain(name)) ?? plain(name));
  }
  if (updated.size === 0) return;
  const triggers = await database.rows(
    "SELECT TRIGGER_NAME AS name, EVENT_OBJECT_TABLE AS owner FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE() AND EVENT_MANIPULATION = 'UPDATE'",
  );
  const found = triggers.filter(
    ({ owner, name }) => updated.has(String(owner)) && !seen.has(String(name).toLowerCase()),
  );
  if (found.length === 0) return;
  throw new Breakage(
    "objects",
    found.map(({ name, owner }) => `trigger ${String(name)} on ${String(owner)}`),
    "it would run for rows that only get the values which the migration gives them, and the server cannot turn it off",
  );
}

const RENAMED = /^RENAME TABLE `((?:[^`]|``)+)` TO `((?:[^`]|``)+)`$/;

/** How a draft writes the updates that fill, convert or bring back: with a column of its own, the attic, or only where null is. */
const MADE_UPDATE =
  /^UPDATE `((?:[^`]|``)+)` (?=[^]*`emberset_|SET (`(?:[^`]|``)+`) = [^]* WHERE \2 IS NULL$)/;
