import type { Direction } from "../core/direction.js";
import { problems } from "../core/problems.js";
import { rowsSeen } from "../core/dialect/rows-seen.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { inheritedBy, rolesIn } from "../core/schema/grants.js";
import type { Schema } from "../core/schema/types.js";
import type { Database } from "../database/session/database.js";
import type { Migration } from "../history/migration.js";

/**
 * Roles belong to the server: those that migrations will grant something to are looked for before anything runs.
 * @param create whether missing ones are made, without a login @throws Problem E139
 */
export async function seeToRoles(
  { dialect, target, rows, run }: Database,
  migrations: readonly Migration[],
  direction: Direction,
  create = false,
): Promise<void> {
  const { roles } = dialect;
  if (!roles || Object.keys(target.roles).length === 0) return;
  const wanted = migrations.map(({ schemaBefore, schemaAfter }) =>
    direction === "forward" ? schemaAfter : schemaBefore,
  );
  const named = new Set(wanted.flatMap(schema => rolesNamed(dialect.types.settle(schema), dialect)));
  if (named.size === 0) return;
  // Who may not see which roles there are is told by the server when it is asked to grant.
  const there = await rows(roles.all).catch(() => undefined);
  const members = there && (await rows(roles.memberships).catch(() => undefined));
  if (!members) return;
  const known = new Set(there.map(({ name }) => String(name)));
  const has = new Set(members.map(({ role, has: other }) => JSON.stringify([role, other])));
  // Those that one has all of are needed, too.
  const needed = Object.keys(target.roles).filter(
    role => named.has(role) || [...named].some(each => inheritedBy(each, target.roles).has(role)),
  );
  const missing = needed.filter(role => !known.has(role));
  const sql = [
    ...missing.map(roles.createSql),
    ...needed.flatMap(role =>
      (target.roles[role] ?? [])
        .filter(from => !has.has(JSON.stringify([role, from])))
        .map(from => roles.inheritSql(role, from)),
    ),
  ];
  if (sql.length === 0) return;
  if (!create)
    throw problems.noRole({ target: target.name, roles: missing.length > 0 ? missing : needed, sql });
  for (const statement of sql) await run(statement);
}

/** Those that something is granted to, and those of which it is said what rows they see. */
function rolesNamed(schema: Schema, dialect: Dialect): string[] {
  return [
    ...rolesIn(schema),
    ...[...rowsSeen(schema, dialect).values()].flatMap(conditions => [...conditions.keys()]),
  ];
}
