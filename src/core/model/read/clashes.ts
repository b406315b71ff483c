import type { Class } from "../../../modelling/facts.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { firstOf } from "../../lists.js";
import { addressOf } from "../../schema/address.js";
import { cutName } from "../../schema/naming.js";
import { partsOf, type Schema, type Table } from "../../schema/types.js";
import type { ColumnResolver } from "./column-resolver.js";
import type { Report } from "./findings.js";

/** Names that two things want. SQLite and MariaDB tell names apart without regard to case, so nobody may rely on it. */
export function reportClashes(tables: readonly Table[], resolver: ColumnResolver, report: Report): void {
  const owners = new Map<string, string>();
  for (const [at, table] of tables.entries()) {
    const entity = resolver.entities[at]?.name ?? table.name;
    const name = addressOf(table).toLowerCase();
    const owner = owners.get(name);
    if (owner) {
      report(
        "E221",
        { entity },
        `${owner} and ${entity} are both stored in the table ${table.name}`,
        "give one of them another name with @Stored({ table: … })",
      );
    }
    owners.set(name, owner ?? entity);
    const columns = new Set<string>();
    for (const column of table.columns) {
      const key = column.name.toLowerCase();
      if (columns.has(key)) {
        report(
          "E222",
          { entity },
          `Two fields of ${entity} are stored in the column ${column.name}`,
          "give one of them another name with @Field({ column: … })",
        );
      }
      columns.add(key);
    }
    const { key, uniques, indexes, foreignKeys, checks } = table;
    const keys = key ? [key] : [];
    for (const twice of [
      [...keys, ...uniques, ...indexes],
      [...keys, ...uniques, ...foreignKeys, ...checks],
    ].flatMap(namedTwice)) {
      report(
        "E230",
        { entity },
        `Two constraints of ${entity} would be called ${twice}`,
        "remove one of them, or name the check otherwise",
      );
    }
  }
}

/** Indexes and constraints are told apart by their names, each among themselves; a unique constraint is both. */
function namedTwice(parts: readonly { readonly name: string }[]): string[] {
  const names = parts.map(({ name }) => name).filter(name => name !== "");
  return [...new Set(names.filter((name, at) => names.indexOf(name) !== at))];
}

/** Constraints that are to be looked at when a transaction ends, where a dialect looks at each statement. */
export function reportUndeferred(
  tables: readonly Table[],
  resolver: ColumnResolver,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const deferred = (each: Table) =>
      [...(each.key ? [each.key] : []), ...each.uniques, ...each.foreignKeys].filter(part => part.deferrable);
    if (deferred(table).length === 0) continue;
    for (const dialect of dialects) {
      const held = deferred(firstOf(dialect.types.settle({ tables: [table] }).tables)).map(({ columns }) =>
        columns.join(),
      );
      for (const { name, columns } of deferred(table).filter(part => !held.includes(part.columns.join()))) {
        report(
          "A300",
          { entity: resolver.entities[at]?.name ?? table.name },
          `${name || columns.join(", ")} is looked at after each statement: ${dialect.title} does not defer it`,
          "order the statements of a transaction so that it holds all along there",
        );
      }
    }
  }
}

const OWN = "emberset_";

/** Names that a dialect in use does not take. */
export function reportNames(
  tables: readonly Table[],
  resolver: ColumnResolver,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const entity = resolver.entities[at]?.name ?? table.name;
    for (const name of [table.name, ...table.columns.map(column => column.name)]) {
      // A migration makes tables and columns that are called so for the while.
      if (name.toLowerCase().startsWith(OWN))
        report(
          "E231",
          { entity },
          `The name ${JSON.stringify(name)} cannot be: Emberset's own begin with ${OWN}`,
          "choose another name",
        );
      for (const dialect of dialects) {
        const reason = dialect.names.cannotHold(name);
        if (reason)
          report(
            "E231",
            { entity },
            `The name ${JSON.stringify(name)} cannot be: ${reason}`,
            "choose another name",
          );
      }
    }
  }
}

/** Names of types, sequences and namespaces: SQL of the developer's own speaks of them, so they are never cut. */
export function reportOverlong(schema: Schema, dialects: readonly Dialect[], report: Report): void {
  const given = { ...schema, tables: schema.tables.filter(({ namespace }) => namespace !== undefined) };
  for (const { title, names, types } of dialects) {
    const { tables, definitions = [] } = types.settle(given);
    const uncut = [...definitions, ...tables].flatMap(each => [
      ...("kind" in each ? [each.name] : []),
      ...(each.namespace === undefined ? [] : [each.namespace]),
    ]);
    for (const name of new Set(uncut))
      if (cutName(name, names.limit) !== name)
        report(
          "E231",
          { entity: name },
          `The name ${JSON.stringify(name)} cannot be: ${title} takes no more than ${names.limit} bytes`,
          "choose a shorter one",
        );
  }
}

/** Names that are told apart across tables, after they were cut to what the dialect takes. */
export function reportShared(
  tables: readonly Table[],
  resolver: ColumnResolver,
  dialects: readonly Dialect[],
  report: Report,
): void {
  const told = new Set<string>();
  for (const dialect of dialects) {
    const owners = new Map<string, string>();
    for (const [at, table] of tables.entries()) {
      const entity = resolver.entities[at]?.name ?? table.name;
      const { kinds, tables: withTables } = dialect.names.shared;
      const parts = kinds.flatMap(kind => partsOf(table, kind)).map(({ name }) => name);
      for (const given of [...(withTables ? [table.name] : []), ...parts].filter(Boolean)) {
        const name = cutName(given, dialect.names.limit);
        const address = addressOf({
          ...(table.namespace !== undefined && { namespace: table.namespace }),
          name,
        });
        const owner = owners.get(address.toLowerCase());
        owners.set(address.toLowerCase(), owner ?? entity);
        // What one entity has twice among its parts is told by itself; a part called like the table is not.
        if (
          owner === undefined ||
          (owner === entity && !isOwnTable(given, parts, table)) ||
          told.has(address)
        )
          continue;
        told.add(address);
        report(
          "E232",
          { entity },
          `${owner} and ${entity} both bring something called ${name}, which ${dialect.title} tells apart across tables`,
          "give one of them another name",
        );
      }
    }
  }
}

/** Whether a name is that of a table and of one of its parts. */
function isOwnTable(name: string, parts: readonly string[], table: Table): boolean {
  return name.toLowerCase() === table.name.toLowerCase() && parts.some(part => part === name);
}

/** Entities that are part of another: its rows would be in two tables, or its key within a row. */
export function reportNested(resolver: ColumnResolver, report: Report): void {
  for (const entity of resolver.entities) {
    for (let cls: unknown = Object.getPrototypeOf(entity.cls); cls; cls = Object.getPrototypeOf(cls)) {
      const base = resolver.entityOf(cls as Class);
      if (!base) continue;
      report(
        "E233",
        { entity: entity.name },
        `${entity.name} extends ${base.name}, which is an entity: its rows would have to stand in two tables`,
        `let both extend a class without @Stored(), or refer: @Key() @RefersTo(() => ${base.name})`,
      );
    }
    const wholes = new Map(entity.fields.flatMap(({ within }) => within.map(whole => [whole.of, whole])));
    for (const { of, cls } of wholes.values()) {
      if (!cls || !resolver.entityOf(cls)) continue;
      report(
        "E233",
        { entity: entity.name, property: of },
        `${cls.name} is an entity, not a value object`,
        `write @RefersTo(() => ${cls.name}), or remove @Stored() from ${cls.name}`,
      );
    }
  }
}
