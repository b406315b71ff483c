import type { Verb } from "../../modelling/facts.js";
import type { Column, Grant, Schema, Table } from "./types.js";

/** Roles by name, each with those that it has all of. */
export type RoleNames = Readonly<Record<string, readonly string[]>>;

/** SQL's own verbs for rows: https://www.postgresql.org/docs/15/ddl-priv.html */
export const VERBS = ["select", "insert", "update", "delete"] as const satisfies readonly Verb[];

/** Of those that can be granted column by column. */
export const COLUMN_VERBS = ["select", "insert", "update"] as const satisfies readonly Verb[];

/** The role that stands for everyone. */
export const EVERYONE = "public";

/** Grants in the one form that is compared: by role, verbs in order, none that is empty; undefined: there are none. */
export function grantsOf(verbs: ReadonlyMap<string, ReadonlySet<Verb>>): readonly Grant[] | undefined {
  const found = [...verbs]
    .map(([role, own]) => ({ role, verbs: VERBS.filter(verb => own.has(verb)) }))
    .filter(({ verbs: own }) => own.length > 0)
    .sort((a, b) => (a.role < b.role ? -1 : 1));
  return found.length > 0 ? found : undefined;
}

/** What roles may do, while it is put together. */
export type Verbs = Map<string, Set<Verb>>;

/** One more. */
export function addVerb(verbs: Verbs, role: string, verb: Verb): void {
  verbs.set(role, new Set([...(verbs.get(role) ?? []), verb]));
}

/** A table or a column with what roles may do with it, if there are any. */
export function granted<T extends Table | Column>(of: T, verbs: Verbs | undefined): T {
  const grants = verbs && grantsOf(verbs);
  return grants ? { ...of, grants } : of;
}

/** What grants say of a role. */
export function verbsOf(grants: readonly Grant[] | undefined, role: string): readonly Verb[] {
  return grants?.find(each => each.role === role)?.verbs ?? [];
}

/** The roles that a schema grants something to, each once. */
export function rolesIn({ tables }: Schema): string[] {
  const all = tables.flatMap(table => [table, ...table.columns].flatMap(({ grants = [] }) => grants));
  return [...new Set(all.map(({ role }) => role))].sort();
}

/** Of whom it is said which rows of a table they see, where it is of some roles; undefined: all others. */
export function seersOf(roles: readonly string[]): (string | undefined)[] {
  return roles.includes(EVERYONE) ? [...roles] : [...roles, undefined];
}

/** The table with the grants to some roles alone; the same where it has no others. */
export function tableGrantedTo(table: Table, isMeant: (role: string) => boolean): Table {
  const columns = table.columns.map(column => withGrants(column, isMeant));
  const own = withGrants(table, isMeant);
  return own === table && columns.every((column, at) => column === table.columns[at])
    ? table
    : { ...own, columns };
}

/** The same of a column, or of what is said of a table. */
export function withGrants<T extends Pick<Column, "grants">>(of: T, isMeant: (role: string) => boolean): T {
  const { grants, ...rest } = of;
  if (!grants || grants.every(({ role }) => isMeant(role))) return of;
  const kept = grants.filter(({ role }) => isMeant(role));
  return (kept.length > 0 ? { ...rest, grants: kept } : rest) as T;
}

/** All roles that one has all of, those of those too. */
export function inheritedBy(role: string, roles: RoleNames): ReadonlySet<string> {
  const found = new Set<string>();
  const visit = (name: string) => {
    for (const other of roles[name] ?? []) {
      if (other === role || found.has(other)) continue;
      found.add(other);
      visit(other);
    }
  };
  visit(role);
  return found;
}

/** What roles may do with a part of a table, their own grants and those they have by others together. */
export interface Access {
  /** A column's name; undefined: whole rows. */
  readonly column?: string;
  /** For each role, in the order given. */
  readonly verbs: readonly (readonly Verb[])[];
}

/** Who may do what with a table: each column, and last whole rows. */
export function accessTo(table: Table, roles: RoleNames): Access[] {
  const all = Object.keys(roles).map(role => [role, ...inheritedBy(role, roles)]);
  const held = (of: readonly Pick<Table, "grants">[], verbs: readonly Verb[]) =>
    all.map(own =>
      verbs.filter(verb => own.some(role => of.some(({ grants }) => verbsOf(grants, role).includes(verb)))),
    );
  return [
    ...table.columns.map(column => ({ column: column.name, verbs: held([table, column], COLUMN_VERBS) })),
    { verbs: held([table], ["delete"]) },
  ];
}
