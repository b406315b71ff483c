import type { Direction } from "../core/direction.js";
import { problems } from "../core/problems.js";
import { rolesIn } from "../core/schema/grants.js";
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
  const named = new Set(wanted.flatMap(schema => rolesIn(dialect.types.settle(schema))));
  if (named.size === 0) return;
  // Who may not see which roles there are is told by the server when it is asked to grant.
  const there = await rows(roles.all).catch(() => undefined);
  if (!there) return;
  const known = new Set(there.map(({ name }) => String(name)));
  const missing = Object.keys(target.roles).filter(role => named.has(role) && !known.has(role));
  if (missing.length === 0) return;
  const inherited = (role: string) => target.roles[role] ?? [];
  // Those that one has all of are needed, too, and first.
  const needed: string[] = [];
  const need = (role: string, within: readonly string[]): void => {
    if (known.has(role) || needed.includes(role) || within.includes(role)) return;
    for (const other of inherited(role)) need(other, [...within, role]);
    needed.push(role);
  };
  for (const role of missing) need(role, []);
  const sql = [
    ...needed.map(roles.createSql),
    ...needed.flatMap(role => inherited(role).map(from => roles.inheritSql(role, from))),
  ];
  if (!create) throw problems.noRole({ target: target.name, roles: missing, sql });
  for (const statement of sql) await run(statement);
}
