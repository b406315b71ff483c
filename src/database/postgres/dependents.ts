import { postgres } from "../../core/dialect/postgres/index.js";
import type { Statement } from "../../core/sql/statements.js";
import { Breakage, type Database } from "../session/database.js";
import { replacedColumns } from "../session/taken-away.js";

/**
 * What is made of a column, or about it, by its name where a script could speak of it; rights on it. Its own default, and that
 * it may not be null, come with the other one. https://www.postgresql.org/docs/15/catalog-pg-depend.html
 */
const DEPENDENTS = `SELECT pg_describe_object(d.classid, d.objid, d.objsubid) AS what, coalesce(k.conname, i.relname) AS name
  FROM pg_attribute a JOIN pg_depend d ON d.refclassid = 'pg_class'::regclass AND d.refobjid = a.attrelid AND d.refobjsubid = a.attnum
  LEFT JOIN pg_constraint k ON d.classid = 'pg_constraint'::regclass AND k.oid = d.objid
  LEFT JOIN pg_class i ON d.classid = 'pg_class'::regclass AND i.oid = d.objid
  WHERE a.attrelid = to_regclass(?) AND a.attname = ? AND k.contype IS DISTINCT FROM 'n'
    AND NOT EXISTS (SELECT 1 FROM pg_attrdef v WHERE d.classid = 'pg_attrdef'::regclass AND v.oid = d.objid AND v.adnum = a.attnum)
  UNION ALL
  SELECT 'rights of ' || CASE x.grantee WHEN 0 THEN 'public' ELSE pg_get_userbyid(x.grantee) END, NULL
  FROM pg_attribute a, aclexplode(a.attacl) x WHERE a.attrelid = to_regclass(?) AND a.attname = ?
  UNION ALL
  SELECT 'the replica identity of ' || a.attrelid::regclass, NULL
  FROM pg_attribute a JOIN pg_index i ON i.indrelid = a.attrelid AND i.indisreplident AND a.attnum = ANY (i.indkey)
  WHERE a.attrelid = to_regclass(?) AND a.attname = ?`;

/**
 * A column whose place another takes takes along what somebody else made of it; what a view is made of cannot go at all, which
 * the server would say when everything else is done. @throws Breakage
 */
export async function refuseDependents(
  { rows }: Pick<Database, "rows">,
  statements: readonly Statement[],
): Promise<void> {
  const { quote } = postgres.names;
  const isSpokenOf = (name: unknown) =>
    typeof name === "string" && statements.some(({ sql }) => sql.includes(quote(name)));
  const found: string[] = [];
  for (const { table, column, place } of replacedColumns(statements, postgres.tokens))
    for (const { what, name } of await rows(DEPENDENTS, ...[1, 2, 3].flatMap(() => [place, column])))
      if (!isSpokenOf(name)) found.push(`${String(what)}, which is about ${table}.${column}`);
  if (found.length > 0)
    throw new Breakage(
      "objects",
      [...new Set(found)].sort(),
      "another column takes the place of that one, and it would go, or be in the way",
    );
}
