import { addressOf } from "../../schema/address.js";
import { cutName } from "../../schema/naming.js";
import { ATTIC } from "../../schema/internal-tables.js";
import type { Column, ForeignKey, Table } from "../../schema/types.js";
import { matchSql, restoreSql, type AtticSyntax } from "../shared/attic.js";
import type { KeptBesideKey, KeptTable } from "../shared/kept.js";
import { freeNumber } from "../shared/numbering.js";
import type { RenderPlan } from "../shared/render-plan.js";
import { atticTables } from "./catalog/queries.js";
import { NAME_LIMIT, quote, quoteList, quoteTable } from "./names.js";
import { goOnSql, isGenerated, keepCounterSql, restoreCounterSql } from "./render/sequences.js";
import { quietlySql } from "./render/stamps.js";
import { createIndexSql, createTableSql, notesSql, renameTableSql } from "./render/tables.js";
import { alterTableSql } from "./render/clauses.js";
import { castSql } from "./retyping.js";
import { dimensionsOver, typeOf } from "./types.js";

export const attic: AtticSyntax = {
  addressFor,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  // Not every type can be compared by itself.
  same: (a, b) => `${a}::text IS NOT DISTINCT FROM ${b}::text`,
  turned: (before, after, value) => `(${castSql(before, after, value)})::${typeOf(after)}`,
  deleteFrom: table => `DELETE FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t SET ${set.join(", ")} FROM ${from} AS k WHERE ${where}`,
  copies: (table, plan) => !canMove(table, plan),
  counters: { keep: keepCounterSql, restore: restoreCounterSql },
  byTrigger: ["type", "conversion", "columns"],
  numbers: {
    name: freeNumber,
    give: (table, number) => [
      `ALTER TABLE ${table} ADD COLUMN ${quote(number)} bigint GENERATED ALWAYS AS IDENTITY`,
    ],
    take: (table, number) => [`ALTER TABLE ${table} DROP COLUMN ${quote(number)}`],
    held: columns => `md5(ROW(${quoteList(columns.map(({ name }) => name))})::text)`,
    heldType: "text",
  },
};

/** A namespace for each migration, and for each namespace it takes tables from: all that hangs on a table fits in. */
function addressFor(number: string, table: Pick<Table, "name" | "namespace">, column?: string): string {
  const namespace = [`${ATTIC}${number}`, table.namespace].filter(Boolean).join("_");
  const name = column === undefined ? table.name : `${table.name}_${column}`;
  return addressOf({ namespace: cutName(namespace, NAME_LIMIT), name: cutName(name, NAME_LIMIT) });
}

/** The attic as a plan needs it: values of types made by migrations are kept as texts. */
export function atticFor(plan: RenderPlan): AtticSyntax {
  return {
    ...attic,
    typeOf: column => {
      const dimensions = ownType(column, plan);
      return dimensions === undefined ? typeOf(column) : `text${dimensions}`;
    },
    keepable: column => keepableSql(column, plan),
  };
}

function keepableSql(column: Column, plan: RenderPlan): string {
  const dimensions = ownType(column, plan);
  const name = quote(column.name);
  return dimensions === undefined ? name : `${name}::text${dimensions} AS ${name}`;
}

/**
 * `[]` for each dimension where a column is of a type made by a migration; undefined elsewhere. This migration or a later
 * one may change such a type, or drop it: nothing in the attic may hang on it.
 */
function ownType(column: Column, { before, after }: RenderPlan): string | undefined {
  return dimensionsOver(column, [...(before.definitions ?? []), ...(after.definitions ?? [])]);
}

/** Whether a table can be moved into the attic as it is, and stay there whatever becomes of the types beside it. */
function canMove(table: Table, { before, after, attic }: RenderPlan): boolean {
  const text = JSON.stringify(table);
  // What is there only after the migration is nothing the table can hang on.
  const { definitions = [] } = attic?.direction === "back" ? after : before;
  return !definitions.some(({ name }) => text.includes(JSON.stringify(name).slice(1, -1)));
}

/**
 * Puts a table into the attic instead of dropping it. What is moved takes its indexes, constraints and counters along,
 * and none of its rows is touched. @param references those it has left
 */
export function keepTableSql(
  { table, address: kept }: KeptTable,
  references: readonly ForeignKey[],
  plan: RenderPlan,
): string[] {
  const address = addressOf(table);
  if (!canMove(table, plan)) {
    const columns = table.columns
      .filter(({ computed }) => !computed)
      .map(column => keepableSql(column, plan));
    return [
      `CREATE TABLE ${quoteTable(kept)} AS SELECT ${columns.join(", ")} FROM ${quoteTable(address)}`,
      `DROP TABLE ${quoteTable(address)}`,
    ];
  }
  const dropped = references.map(({ name }) => `DROP CONSTRAINT ${quote(name)}`);
  return [
    ...(dropped.length > 0 ? [alterTableSql(address, dropped.join(", "))] : []),
    ...renameTableSql(address, kept, table),
  ];
}

/** Takes it out again as a table without references. */
export function takeTableSql({ table, address: kept }: KeptTable, plan: RenderPlan): string[] {
  const address = addressOf(table);
  if (canMove(table, plan)) return renameTableSql(kept, address, table);
  const columns = table.columns.filter(({ computed }) => !computed);
  const values = columns.map(column => {
    const name = quote(column.name);
    return ownType(column, plan) === undefined ? name : `${name}::${typeOf(column)}`;
  });
  return [
    ...createTableSql(table),
    `INSERT INTO ${quoteTable(address)} (${quoteList(columns.map(({ name }) => name))}) ` +
      `OVERRIDING SYSTEM VALUE SELECT ${values.join(", ")} FROM ${quoteTable(kept)}`,
    ...columns.filter(({ identity }) => identity).map(column => goOnSql(address, column)),
    `DROP TABLE ${quoteTable(kept)}`,
    ...table.indexes.map(index => createIndexSql(table, index)),
    ...notesSql(table, table.columns, true),
  ];
}

/** Gives columns of a table their old values; none of it is an update in the eyes of stamps. */
export function restoreValuesSql(kept: KeptBesideKey, table: Table, plan: RenderPlan): string[] {
  const set = kept.columns.map(column => {
    const name = quote(column.name);
    const cast = ownType(column, plan) === undefined ? "" : `::${typeOf(column)}`;
    return `${name} = k.${name}${cast}`;
  });
  // What counts by itself always takes no other value.
  const always = kept.columns.filter(({ name }) =>
    table.columns.some(each => each.name === name && each.identity === "always" && isGenerated(each)),
  );
  const given = (word: string) =>
    always.map(({ name }) =>
      alterTableSql(addressOf(table), `ALTER COLUMN ${quote(name)} SET GENERATED ${word}`),
    );
  const restored = quietlySql(addressOf(table), restoreSql(kept, attic, set));
  return [...given("BY DEFAULT"), ...restored, ...given("ALWAYS")];
}

/** Puts null where a column will get its old values; the key of the attic is still of its later types. */
export function clearValuesSql(kept: KeptBesideKey, column: Column, table: Table): string[] {
  const [address, name] = [addressOf(table), quote(column.name)];
  const update = attic.updateFrom({
    table: quoteTable(address),
    from: quoteTable(kept.address),
    set: [`${name} = NULL`],
    where: matchSql(
      kept.key.map(part => ({ ...part, now: part.was })),
      attic,
    ),
  });
  return [
    ...(column.nullable ? [] : [alterTableSql(address, `ALTER COLUMN ${name} DROP NOT NULL`)]),
    ...quietlySql(address, update),
  ];
}
