import { postgres } from "../../core/dialect/postgres/index.js";
import type { Statement } from "../../core/sql/statements.js";
import { Breakage, type Database } from "../session/database.js";
import { seenTo, speaksOf, takenAway } from "../session/taken-away.js";

/** Triggers by their tables. */
const TRIGGERS = `SELECT t.tgname AS name, c.relname AS owner FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid WHERE NOT t.tgisinternal`;

/** A table that is moved takes its triggers along, and back; one that is dropped takes them for good. @throws Breakage */
async function refuseTriggers(rows: Database["rows"], statements: readonly Statement[]): Promise<void> {
  const rules = postgres.tokens;
  const dropped = takenAway(
    statements.filter(({ sql }) => /^drop\s+table\b/i.test(sql)),
    rules,
  );
  if (dropped.length === 0) return;
  const seen = seenTo(statements, rules);
  const isSeenTo = (name: string) => seen.has(name.toLowerCase());
  const found = (await rows(TRIGGERS)).flatMap(row => {
    const [name, owner] = [String(row["name"]), String(row["owner"])];
    const goes = dropped.some(({ table }) => table === owner) && !isSeenTo(name);
    return goes ? [`trigger ${name} on ${owner}`] : [];
  });
  if (found.length > 0) throw new Breakage("objects", found, "it would go with its table, and not come back");
}

/** Functions of somebody's, each with the tables whose triggers call it. */
const FUNCTIONS = `SELECT p.proname AS name, p.prosrc AS body,
    array_to_json(ARRAY(SELECT DISTINCT c.relname FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid WHERE t.tgfoid = p.oid AND NOT t.tgisinternal)) AS tables
  FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang
  WHERE l.lanname IN ('plpgsql', 'sql') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND p.prosrc <> ''
    AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype = 'e')`;

/**
 * PostgreSQL knows nothing of what a function's body speaks of (https://www.postgresql.org/docs/15/ddl-depend.html): it
 * fails when it is called. What a script takes away is therefore held against the bodies before it runs, but for those
 * of functions that the script makes anew or drops. @throws Breakage
 */
export async function refuseBreakingBodies(
  { rows }: Pick<Database, "rows">,
  statements: readonly Statement[],
): Promise<void> {
  const rules = postgres.tokens;
  const taken = takenAway(statements, rules);
  if (taken.length === 0) return;
  const handled = (name: string) =>
    statements.some(({ sql }) => /\bFUNCTION\b/i.test(sql) && speaksOf(sql, name, rules));
  await refuseTriggers(rows, statements);
  const functions = (await rows(FUNCTIONS)).map(row => ({
    name: String(row["name"]),
    body: String(row["body"]),
    tables: row["tables"] as readonly string[],
  }));
  const found = functions.flatMap(({ name, body, tables }) => {
    if (handled(name)) return [];
    return taken.flatMap(({ table, column }) => {
      const isOfTable = tables.includes(table);
      const speaks =
        column === undefined
          ? speaksOf(body, table, rules)
          : speaksOf(body, column, rules) && (isOfTable || speaksOf(body, table, rules));
      return speaks ? [`function ${name} uses ${column === undefined ? table : `${table}.${column}`}`] : [];
    });
  });
  if (found.length > 0)
    throw new Breakage(
      "objects",
      [...new Set(found)],
      "the server would not refuse it, and the function would fail",
    );
}
