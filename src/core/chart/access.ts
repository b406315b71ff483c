import { accessTo, VERBS, type RoleNames } from "../schema/grants.js";
import type { Table } from "../schema/types.js";

/** What a role may do with a table. */
export interface RoleAccess {
  readonly role: string;
  /** `select all but phone; update name` */
  readonly words: string;
}

/**
 * What each role may do with a table, those that may do nothing left out.
 * @param seen conditions on the rows that a role sees, by role
 */
export function sayAccess(
  table: Table,
  roles: RoleNames,
  seen: ReadonlyMap<string, string> = new Map(),
): RoleAccess[] {
  const access = accessTo(table, roles);
  return Object.keys(roles).flatMap((role, at) => {
    const words = VERBS.flatMap(verb => {
      const rows = access.filter(({ column }) => (column === undefined) === (verb === "delete"));
      const may = rows.filter(({ verbs }) => verbs[at]!.includes(verb));
      if (may.length === 0) return [];
      const names = (list: typeof rows) => list.map(({ column }) => column).join(", ");
      if (may.length === rows.length) return [verb];
      const not = rows.filter(each => !may.includes(each));
      return [not.length < may.length ? `${verb} all but ${names(not)}` : `${verb} ${names(may)}`];
    });
    const rows = seen.get(role);
    const where = rows === undefined ? "" : `; rows of which ${rows}`;
    return words.length > 0 ? [{ role, words: `${words.join("; ")}${where}` }] : [];
  });
}
