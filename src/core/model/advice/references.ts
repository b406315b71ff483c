import { addressOf } from "../../schema/address.js";
import { isServed, leadingLists } from "../../schema/lookups.js";
import type { ForeignKey, Table } from "../../schema/types.js";
import type { EntityDescription } from "../read/descriptions.js";
import { entitiesWithTables, referenceFields, type Review } from "./review.js";

/** Advice on references: those no index serves, those that go in circles, entities beside all others. */
export function adviseOnReferences(review: Review): void {
  for (const [entity, table] of entitiesWithTables(review)) unindexed(entity, table, review);
  circles(review);
  lonely(review);
}

/** Deleting a row referred to looks for those that refer to it: without an index, through the whole table. */
function unindexed(entity: EntityDescription, table: Table, { resolver, report }: Review): void {
  const leading = leadingLists(table);
  for (const field of referenceFields(entity)) {
    const columns = resolver.namesOf(entity, field.property);
    if (columns.length === 0 || isServed(columns, leading)) continue;
    report(
      "A305",
      { entity: entity.name, property: field.property },
      `The reference ${columns.join(", ")} has no index: each delete in ${table.foreignKeys.find(each => each.columns.join() === columns.join())?.references.table ?? "the other table"} reads all of ${table.name}`,
      "leave out `index: false`",
    );
  }
}

/** Rows that each need the other first. */
function circles({ resolver, tables, report }: Review): void {
  const needs = new Map(
    tables.map(table => [
      addressOf(table),
      table.foreignKeys
        .filter(each => isRequired(each, table) && !isItself(each, table))
        .map(({ references }) => references.table),
    ]),
  );
  const told = new Set<string>();
  for (const [at, table] of tables.entries()) {
    const start = addressOf(table);
    const circle = findCircle(start, needs);
    if (!circle || circle.some(name => told.has(name))) continue;
    for (const name of circle) told.add(name);
    const way = [...circle, start].join(" → ");
    report(
      "A310",
      { entity: resolver.entities[at]?.name ?? table.name },
      circle.length === 1
        ? `Every row of ${start} must refer to one: the first can refer to nothing but itself`
        : `The required references ${way} run in a circle: no row can be the first`,
      'make one of them @IsOptional(), or say deferrable: "deferred" and add the rows in one transaction',
    );
  }
}

function isRequired({ columns, deferrable }: ForeignKey, table: Table): boolean {
  const nullable = columns.some(name => table.columns.find(each => each.name === name)?.nullable);
  return !nullable && deferrable !== "deferred";
}

/** A row that refers to its own columns is its own answer. */
function isItself({ columns, references }: ForeignKey, table: Table): boolean {
  return references.table === addressOf(table) && references.columns.join() === columns.join();
}

/** The tables on a way from one back to itself. */
function findCircle(start: string, needs: ReadonlyMap<string, readonly string[]>): string[] | undefined {
  const seen = new Set<string>();
  const walk = (at: string): string[] | undefined => {
    for (const next of needs.get(at) ?? []) {
      if (next === start) return [at];
      if (seen.has(next)) continue;
      seen.add(next);
      const rest = walk(next);
      if (rest) return [at, ...rest];
    }
    return undefined;
  };
  return walk(start);
}

function lonely(review: Review): void {
  if (review.resolver.entities.length < 2) return;
  const linked = new Set(
    review.tables.flatMap(table =>
      table.foreignKeys.flatMap(({ references }) => [addressOf(table), references.table]),
    ),
  );
  for (const [entity, table] of entitiesWithTables(review)) {
    if (linked.has(addressOf(table))) continue;
    review.report(
      "A314",
      { entity: entity.name },
      `${entity.name} refers to no other entity, and none refers to it`,
      "add the reference that is missing, if one is",
    );
  }
}
