import { nameOf, matters, tokenize, type Token } from "../../core/sql/tokens.js";
import { mariadb } from "../../core/dialect/mariadb/index.js";
import type { Statement } from "../../core/sql/statements.js";
import { refuseBlind } from "./rights.js";
import { Breakage, type Database } from "../session/database.js";

/**
 * MariaDB lets a table or a column go from under a view, and says so only when the view is read. What a script takes
 * away is therefore held against the views and triggers before it runs. @throws Breakage; Problem E415
 */
export async function refuseBreaking(database: Database, statements: readonly Statement[]): Promise<void> {
  const taken = statements.flatMap(({ sql }) => takenAway(sql));
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
        column !== undefined &&
        owner === table &&
        tokenize(String(body), mariadb.tokens).some(
          token => isName(token) && nameOf(token).toLowerCase() === column.toLowerCase(),
        ),
    );
    return [
      ...used.map(({ name }) => `view ${String(name)} uses ${what}`),
      ...run.map(({ name }) => `trigger ${String(name)} uses ${what}`),
    ];
  });
  if (found.length > 0) throw new Breakage("objects", [...new Set(found)], "the server would not refuse it");
}

function isName({ kind }: Token): boolean {
  return kind === "word" || kind === "name";
}

interface Taken {
  readonly table: string;
  readonly column?: string;
}

/** Tables and columns that a statement drops or renames: https://mariadb.com/kb/en/alter-table/ */
function takenAway(sql: string): Taken[] {
  const tokens = tokenize(sql, mariadb.tokens).filter(matters);
  const words = tokens.map(({ kind, text }) => (kind === "word" ? text.toUpperCase() : ""));
  const name = (at: number) => (tokens[at] ? nameOf(tokens[at]) : "");
  if (words[0] === "DROP" && words[1] === "TABLE") return [{ table: name(words[2] === "IF" ? 4 : 2) }];
  if (words[0] === "RENAME" && words[1] === "TABLE") return [{ table: name(2) }];
  if (words[0] !== "ALTER" || words[1] !== "TABLE") return [];
  const table = name(2);
  return words.flatMap((word, at): Taken[] => {
    if (words[at + 1] !== "COLUMN") return [];
    if (word === "DROP") return [{ table, column: name(at + 2) }];
    return word === "CHANGE" && name(at + 2) !== name(at + 3) ? [{ table, column: name(at + 2) }] : [];
  });
}
