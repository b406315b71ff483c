import { inheritedBy, verbsOf, type RoleNames } from "../schema/grants.js";
import { isObject, type Column, type Grant, type Schema, type Table } from "../schema/types.js";
import type { Catalog, Dialect } from "./shared/dialect.js";

/**
 * The dialect for databases where some roles are spoken of: what others may do is not looked at, and left as it is. What a
 * role has by another is not told again of it: not every engine tells the two apart.
 */
export function withRoles(dialect: Dialect, roles: RoleNames): Dialect {
  const key = JSON.stringify(roles);
  const ofDialect = made.get(dialect) ?? new Map<string, Dialect>();
  made.set(dialect, ofDialect);
  const known = ofDialect.get(key);
  if (known) return known;
  const by = new Map(Object.keys(roles).map(role => [role, inheritedBy(role, roles)]));
  const tables = new WeakMap<Table, Table>();
  const catalogs = new WeakMap<Catalog, Catalog>();
  const granted = (schema: Schema): Schema => ({
    ...(by.size > 0 ? schema : withoutPolicies(schema)),
    tables: schema.tables.map(table => {
      const found = tables.get(table) ?? ownGrants(table, by);
      tables.set(table, found);
      return found;
    }),
  });
  const changed: Dialect = {
    ...dialect,
    types: { ...dialect.types, settle: schema => dialect.types.settle(granted(schema)) },
    catalog: {
      ...dialect.catalog,
      read: results => {
        const catalog = dialect.catalog.read(results);
        const read = catalogs.get(catalog);
        if (read) return read;
        const { schema, leftAlone } = catalog;
        const known = granted(schema);
        const others = (schema.definitions ?? []).filter(each => !known.definitions?.includes(each));
        const own = others.flatMap(each =>
          isObject(each) && each.on !== undefined
            ? [{ kind: each.kind, name: each.name, table: each.on }]
            : [],
        );
        const made = { schema: known, leftAlone: [...leftAlone, ...own] };
        catalogs.set(catalog, made);
        return made;
      },
    },
  };
  ofDialect.set(key, changed);
  return changed;
}

/** A schema as a database holds it where no role is spoken of, such as a scratch database. */
export function withoutRoles(schema: Schema): Schema {
  return { ...withoutPolicies(schema), tables: schema.tables.map(table => ownGrants(table, new Map())) };
}

function withoutPolicies({ definitions, ...rest }: Schema): Schema {
  const kept = definitions?.filter(({ kind }) => kind !== "policy");
  return { ...rest, ...(kept && kept.length > 0 && { definitions: kept }) };
}

/** The same dialect each time: what is settled is remembered by it. */
const made = new WeakMap<Dialect, Map<string, Dialect>>();

function ownGrants(table: Table, by: ReadonlyMap<string, ReadonlySet<string>>): Table {
  if (!table.grants && table.columns.every(({ grants }) => !grants)) return table;
  const columns = table.columns.map(column => withOwn(column, [column, table], by));
  return { ...withOwn(table, [table], by), columns };
}

/** @param above where another role's grants give a role the same */
function withOwn<T extends Table | Column>(
  of: T,
  above: readonly { readonly grants?: readonly Grant[] }[],
  by: ReadonlyMap<string, ReadonlySet<string>>,
): T {
  const { grants = [], ...rest } = of;
  const own = grants.flatMap(({ role, verbs }): Grant[] => {
    const others = [...(by.get(role) ?? [])];
    const has = others.flatMap(other => above.flatMap(each => verbsOf(each.grants, other)));
    const left = verbs.filter(verb => !has.includes(verb));
    return by.has(role) && left.length > 0 ? [{ role, verbs: left }] : [];
  });
  return (own.length > 0 ? { ...rest, grants: own } : rest) as T;
}
