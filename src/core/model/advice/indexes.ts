import { isServed } from "../../schema/lookups.js";
import type { Index, Table } from "../../schema/types.js";
import type { EntityDescription } from "../read/descriptions.js";
import { entitiesWithTables, type Review } from "./review.js";

/** Advice on indexes: those that serve nothing, and those that hold too much. */
export function adviseOnIndexes(review: Review): void {
  for (const [entity, table] of entitiesWithTables(review)) {
    needless(entity, table, review);
    unboundedUnique(entity, table, review);
  }
}

/** Something with an index: over which columns, and what it is called. */
interface Indexed {
  readonly name: string;
  readonly what: string;
  readonly columns: readonly string[];
}

function needless(entity: EntityDescription, table: Table, { report }: Review): void {
  const plain = table.indexes.filter(isPlain).map(index => indexed(index));
  const others: Indexed[] = [
    ...(table.key ? [{ name: table.key.name, what: "the key", columns: table.key.columns }] : []),
    ...table.uniques.map(({ name, columns }) => ({ name, what: `the unique constraint ${name}`, columns })),
    ...table.indexes.filter(index => index.unique && isOverColumns(index)).map(indexed),
    ...plain,
  ];
  for (const index of plain) {
    const list = index.columns.join();
    const twins = others.filter(other => other.name !== index.name && other.columns.join() === list);
    // Of two plain ones the first stays.
    const same = twins.find(other => !plain.includes(other) || other.name < index.name);
    const longer = others.find(
      other => other.columns.length > index.columns.length && isServed(index.columns, [other.columns]),
    );
    const over = `(${index.columns.join(", ")})`;
    if (same) {
      const what = `The index ${index.name} ${over} is the same as ${same.what}`;
      report("A307", { entity: entity.name }, what, `leave ${index.name} out`);
    } else if (twins.length === 0 && longer) {
      const what = `${longer.what} (${longer.columns.join(", ")}) begins with the columns of ${index.name} and serves in its stead`;
      report("A306", { entity: entity.name }, capital(what), `leave ${index.name} out`);
    }
  }
}

function indexed(index: Index): Indexed {
  const columns = index.parts.flatMap(part => ("column" in part ? [part.column] : []));
  return { name: index.name, what: `the index ${index.name}`, columns };
}

function isPlain(index: Index): boolean {
  return !index.unique && !index.include && isOverColumns(index);
}

/** Nothing but columns, in their usual order. */
function isOverColumns({ where, method, parts }: Index): boolean {
  return (
    where === undefined && method === undefined && parts.every(part => Object.keys(part).join() === "column")
  );
}

function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

const UNBOUNDED = ["text", "json", "bytes"];

function unboundedUnique(entity: EntityDescription, table: Table, review: Review): void {
  const { resolver, dialects, report } = review;
  const unique = [
    ...table.uniques.map(({ columns }) => columns),
    ...table.indexes.filter(each => each.unique).map(index => indexed(index).columns),
  ].flat();
  const remedy = "give it a length: @MaxLength(190) fits every index";
  for (const {
    name: dialect,
    types: { ofAnyLength },
  } of dialects) {
    if (!ofAnyLength) continue;
    const key = table.key?.options?.[dialect] ? [] : (table.key?.columns ?? []);
    for (const { field, column } of resolver.columnsOf(entity)) {
      if (!UNBOUNDED.includes(column.type.kind)) continue;
      const where = { entity: entity.name, property: field.property };
      if (key.includes(column.name))
        report("E227", where, `${ofAnyLength.key}, and ${column.name} is one`, remedy);
      else if (unique.includes(column.name))
        report("A308", where, `${column.name} is unique and of any length: ${ofAnyLength.unique}`, remedy);
    }
  }
}
