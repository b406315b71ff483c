import pluralize from "pluralize";
import { addressOf, parseAddress, tablesByAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { columnsOfPart } from "../../schema/lookups.js";
import type { Check, Column, ForeignKey, Schema, Table } from "../../schema/types.js";
import { classNameFor, fileNameFor, propertyFor } from "./code.js";

/** A class that somebody has written, with its file from the models' folder. */
export interface ThereClass {
  readonly name: string;
  readonly path: string;
}

/** A class before it is written: what it and its properties are called. */
export interface ClassPlan {
  readonly table: Table;
  readonly name: string;
  readonly path: string;
  /** Properties by column, for columns that are fields and for references of one column. */
  readonly properties: ReadonlyMap<string, string>;
  readonly references: readonly ReferencePlan[];
  readonly taken: Set<string>;
}

export interface ReferencePlan {
  readonly foreignKey: ForeignKey;
  readonly property: string;
  /** Whether its one column is its own rather than that of a field beside it. */
  readonly own: boolean;
  /** Whether at most one row refers to each. */
  readonly single: boolean;
}

/** The class, the file and the properties for each table of a schema, no two of the same name. */
export function planClasses(
  schema: Schema,
  there: ReadonlyMap<string, ThereClass> = new Map<string, ThereClass>(),
): ClassPlan[] {
  const byAddress = tablesByAddress(schema);
  const classes = new Set([...there.values()].map(({ name }) => name));
  const paths = new Set([...there.values()].map(({ path }) => path.replace(/\.ts$/, "")));
  return schema.tables.map(table => {
    const known = there.get(addressOf(table));
    if (known) return { table, ...known, ...planProperties(table, byAddress) };
    const name = classNameFor(table.name, classes, pluralize.singular);
    classes.add(name);
    const folder =
      table.namespace === undefined ? "" : `${fileNameFor(propertyFor(table.namespace, new Set()))}/`;
    let path = `${folder}${fileNameFor(name)}`;
    while (paths.has(path)) path += "-2";
    paths.add(path);
    return { table, name, path: `${path}.ts`, ...planProperties(table, byAddress) };
  });
}

function planProperties(
  table: Table,
  byAddress: ReadonlyMap<string, Table>,
): Pick<ClassPlan, "properties" | "references" | "taken"> {
  const taken = new Set<string>();
  const take = (text: string) => {
    const property = propertyFor(text, taken);
    taken.add(property);
    return property;
  };
  const owned = new Map<string, ForeignKey>();
  for (const foreignKey of table.foreignKeys) {
    const [column] = foreignKey.columns;
    const known = table.columns.find(({ name }) => name === column);
    if (known && !owned.has(known.name) && ownsColumn(foreignKey, known, table, byAddress))
      owned.set(known.name, foreignKey);
  }
  const properties = new Map<string, string>();
  for (const { name } of table.columns.filter(each => !owned.has(each.name)))
    properties.set(name, take(name));
  for (const [column, { references }] of owned) {
    const base = withoutEnding(column, references.columns[0] ?? "");
    properties.set(
      column,
      take(base === "" ? pluralize.singular(parseAddress(references.table).name) : base),
    );
  }
  const references = table.foreignKeys.flatMap((foreignKey): ReferencePlan[] => {
    const target = byAddress.get(foreignKey.references.table);
    if (!target) return [];
    const [column = ""] = foreignKey.columns;
    const own = owned.get(column) === foreignKey;
    const property = (own ? properties.get(column) : undefined) ?? take(pluralize.singular(target.name));
    return [{ foreignKey, property, own, single: isUnique(table, foreignKey.columns) }];
  });
  return { properties, references, taken };
}

/** `potter_id` without `id` → `potter`, in whatever capitals. */
function withoutEnding(column: string, ending: string): string {
  if (!column.toLowerCase().endsWith(ending.toLowerCase())) return column;
  return column.slice(0, column.length - ending.length).replace(/[_ ]$/, "");
}

/** Whether a reference can bring its column along: all that the column is follows from what it refers to. */
function ownsColumn(
  foreignKey: ForeignKey,
  column: Column,
  table: Table,
  byAddress: ReadonlyMap<string, Table>,
): boolean {
  const target = byAddress.get(foreignKey.references.table);
  const [referred] = foreignKey.references.columns;
  const key = target?.columns.find(({ name }) => name === referred);
  const stated = table.checks.some(
    check =>
      check.column === column.name ||
      (isOfRules(check) && columnsOfPart("check", check).includes(column.name)),
  );
  return (
    foreignKey.columns.length === 1 &&
    key !== undefined &&
    equal(key.type, column.type) &&
    equal(key.collation, column.collation) &&
    !column.identity &&
    !column.computed &&
    !column.stamp &&
    !stated &&
    !(column.nullable && table.key?.columns.includes(column.name)) &&
    // A key that refers to itself would have no type of its own.
    !(target === table && (referred === column.name || table.key?.columns.includes(column.name)))
  );
}

function isUnique(table: Table, columns: readonly string[]): boolean {
  const same = (others: readonly string[]) =>
    others.length === columns.length && others.every(name => columns.includes(name));
  return [...(table.key ? [table.key] : []), ...table.uniques].some(each => same(each.columns));
}

/** Whether a check came of rules rather than of SQL. */
export function isOfRules({ rules }: Check): boolean {
  return rules.every(({ kind }) => kind !== "sql");
}
