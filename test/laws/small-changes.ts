import type { ForeignKey, Schema, Table } from "../../src/core/schema/types.js";
import { addressOf } from "../../src/core/schema/address.js";
import { placeholderOf } from "../../src/core/sql/tokens.js";

const ACTIONS: readonly ForeignKey["onDelete"][] = ["cascade", "no action", "restrict"];

/** The schema with small things otherwise: names of parts, rules of references, checks, indexes, what may be null, lengths, columns at the end. */
export function withSmallChanges(schema: Schema, seed: number): Schema {
  let turn = seed;
  // As a generator of numbers: https://en.wikipedia.org/wiki/Linear_congruential_generator
  const roll = (sides: number) => {
    turn = (turn * 1103515245 + 12345) % 2147483648;
    return Math.floor((turn / 2147483648) * sides);
  };
  const referred = new Set(
    schema.tables.flatMap(({ foreignKeys }) => foreignKeys.map(({ references }) => references.table)),
  );
  const tables = schema.tables.map(table =>
    roll(4) === 0 ? table : changed(table, referred.has(addressOf(table)), roll),
  );
  return { ...schema, tables };
}

function changed(table: Table, isReferred: boolean, roll: (sides: number) => number): Table {
  const renamed = <T extends { readonly name: string }>(part: T): T =>
    part.name !== "" && roll(3) === 0 ? { ...part, name: `${part.name}_x` } : part;
  const held = new Set([
    ...(table.key?.columns ?? []),
    ...table.foreignKeys.flatMap(({ columns }) => columns),
  ]);
  const inReferences = new Set(table.foreignKeys.flatMap(({ columns }) => columns));
  const columns = table.columns.map(column => {
    const isNumber = column.type.kind === "integer" || column.type.kind === "bigint";
    const isFree = !isReferred && !inReferences.has(column.name) && !column.identity && !column.computed;
    // A key that is a number is one thing as an integer and another as any other, on SQLite.
    if (isNumber && isFree && roll(3) === 0)
      return { ...column, type: { kind: column.type.kind === "integer" ? "bigint" : "integer" } as const };
    if (held.has(column.name) || column.identity || column.computed || column.stamp || roll(3) > 0)
      return column;
    const { type } = column;
    if (type.kind === "varchar" && roll(2) === 0)
      return { ...column, type: { ...type, length: type.length + 1 + roll(60) } };
    if (!column.nullable && column.default === undefined && type.kind === "varchar" && roll(2) === 0)
      return { ...column, default: { kind: "value", value: "a" } as const };
    return { ...column, nullable: !column.nullable };
  });
  // MariaDB lets no check speak of what counts, or of what a reference may set to null.
  const free = columns.filter(({ name, identity }) => !identity && !held.has(name)).map(({ name }) => name);
  const some = free[roll(Math.max(1, free.length))];
  // Of a text or bytes of any length, not every engine indexes all.
  const indexed = columns.find(
    ({ name, type }) => free.includes(name) && /^(?:integer|bigint|smallint|date|varchar)$/.test(type.kind),
  )?.name;
  const taken = columns.some(({ name }) => name === "more");
  const hasMore = !taken && roll(3) === 0;
  const checks = [
    ...table.checks
      .filter(() => roll(4) > 0)
      .map(check => (check.column === undefined ? renamed(check) : check)),
    ...(hasMore && roll(2) === 0 ? [{ name: `ck_${table.name}_more`, rules: [holds("more")] }] : []),
    ...(some === undefined || roll(2) === 0
      ? []
      : [{ name: `ck_${table.name}_small`, rules: [holds(some)] }]),
  ];
  return {
    ...table,
    ...(table.key && { key: renamed(table.key) }),
    columns: !hasMore
      ? columns
      : [...columns, { name: "more", type: { kind: "varchar", length: 9 }, nullable: true }],
    uniques: table.uniques.map(renamed),
    indexes: [
      ...table.indexes.filter(() => roll(4) > 0).map(renamed),
      ...(indexed === undefined || roll(3) > 0
        ? []
        : [{ name: `ix_${table.name}_small`, parts: [{ column: indexed }] }]),
    ],
    checks,
    foreignKeys: table.foreignKeys.map(reference =>
      renamed(roll(2) === 0 ? { ...reference, onDelete: ACTIONS[roll(ACTIONS.length)]! } : reference),
    ),
  };
}

/** Whatever a row has. */
function holds(column: string) {
  const name = placeholderOf(column);
  return { kind: "sql", sql: `${name} IS NULL OR ${name} IS NOT NULL` } as const;
}
