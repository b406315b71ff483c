import type { Dialect } from "../dialect/dialect.js";
import { addressOf } from "../schema/address.js";
import type { Table } from "../schema/types.js";
import type { Columns } from "./columns.js";
import type { Report } from "./findings.js";

/** Names that two things want. SQLite and MariaDB tell names apart without regard to case, so nobody may rely on it. */
export function reportClashes(tables: readonly Table[], models: Columns, report: Report): void {
  const owners = new Map<string, string>();
  for (const [at, table] of tables.entries()) {
    const entity = models.entities[at]?.name ?? table.name;
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
    const { uniques, indexes, foreignKeys, checks } = table;
    for (const twice of [
      [...uniques, ...indexes],
      [...uniques, ...foreignKeys, ...checks],
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
  models: Columns,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const deferred = (each: Table) =>
      [...(each.key ? [each.key] : []), ...each.uniques, ...each.foreignKeys].filter(part => part.deferrable);
    if (deferred(table).length === 0) continue;
    for (const dialect of dialects) {
      const held = deferred(dialect.settle({ tables: [table] }).tables[0]!).map(({ columns }) =>
        columns.join(),
      );
      for (const { name, columns } of deferred(table).filter(part => !held.includes(part.columns.join()))) {
        report(
          "A300",
          { entity: models.entities[at]?.name ?? table.name },
          `${name || columns.join(", ")} is looked at after each statement: ${dialect.title} does not defer it`,
          "order the statements of a transaction so that it holds all along there",
        );
      }
    }
  }
}

/** Names that a dialect in use does not take. */
export function reportNames(
  tables: readonly Table[],
  models: Columns,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const entity = models.entities[at]?.name ?? table.name;
    for (const name of [table.name, ...table.columns.map(column => column.name)]) {
      for (const dialect of dialects) {
        const reason = dialect.cannotHoldName(name);
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
