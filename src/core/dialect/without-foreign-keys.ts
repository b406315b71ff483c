import { isServed, leadingLists } from "../schema/lookups.js";
import { constraintName } from "../schema/naming.js";
import type { Index, Schema, Table } from "../schema/types.js";
import type { Dialect } from "./shared/dialect.js";

/** The dialect for databases that keep relations without constraints: each gets an index instead. */
export function withoutForeignKeys(dialect: Dialect): Dialect {
  const known = made.get(dialect);
  if (known) return known;
  const tables = new WeakMap<Table, Table>();
  const indexed = (table: Table): Table => {
    const found = tables.get(table) ?? withIndexes(table);
    tables.set(table, found);
    return found;
  };
  const changed: Dialect = {
    ...dialect,
    types: {
      ...dialect.types,
      settle: (schema: Schema) => dialect.types.settle({ ...schema, tables: schema.tables.map(indexed) }),
    },
  };
  made.set(dialect, changed);
  return changed;
}

/** The same dialect each time: what is settled is remembered by it. */
const made = new WeakMap<Dialect, Dialect>();

function withIndexes(table: Table): Table {
  if (table.foreignKeys.length === 0) return table;
  const leading = leadingLists(table);
  const indexes: Index[] = [...table.indexes];
  for (const { columns } of table.foreignKeys) {
    if (isServed(columns, leading)) continue;
    leading.push(columns);
    indexes.push({
      name: constraintName("ix", table.name, columns),
      parts: columns.map(column => ({ column })),
    });
  }
  return { ...table, foreignKeys: [], indexes };
}
