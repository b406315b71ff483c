import { apply } from "../core/change/apply.js";
import { invert } from "../core/change/invert.js";
import type { Change } from "../core/change/types.js";
import type { CatalogRow } from "../core/dialect/shared/dialect.js";
import { blocksFor } from "../core/plan/plan.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import type { Column, Schema, Table } from "../core/schema/types.js";
import type { Database } from "./session/database.js";
import { literalOf } from "./made-up-rows.js";

/** Rows are asked for, and put in, so many at a time. */
const BATCH = 100;

type Row = CatalogRow;

/** Rows that were taken of one table, each once. */
type Taken = Map<string, Row>;

/**
 * Copies rows of one database into another of the same dialect that holds the same tables, all of them empty: the
 * newest of each table, and whatever they refer to.
 * @param schema what both hold, in portable words
 * @param count how many rows of each table, beside those that others refer to
 * @returns how many rows were copied
 * @throws Problem E4xx when a table or column is not there
 */
export async function copySample(
  source: Database,
  target: Database,
  schema: Schema,
  count: number,
): Promise<number> {
  const { tables } = source.dialect.types.settle(schema);
  const taken = await takeRows(source, tables, count);
  await withoutReferences(target, schema, async () => {
    for (const table of tables) {
      const rows = [...taken.get(addressOf(table))!.values()];
      for (let at = 0; at < rows.length; at += BATCH)
        await target.run(insertText(target, table, rows.slice(at, at + BATCH)));
      if (rows.length > 0)
        for (const statement of target.dialect.rows.copying.after(table)) await target.run(statement);
    }
  });
  return [...taken.values()].reduce((sum, rows) => sum + rows.size, 0);
}

/** The newest rows of each table, and all that these refer to, and so on. */
async function takeRows(
  source: Database,
  tables: readonly Table[],
  count: number,
): Promise<Map<string, Taken>> {
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  const taken = new Map(tables.map((table): [string, Taken] => [addressOf(table), new Map()]));
  const asked = new Set<string>();
  let waiting: { readonly table: Table; readonly row: Row }[] = [];
  const take = (table: Table, rows: readonly Row[]) => {
    const known = taken.get(addressOf(table))!;
    for (const row of rows) {
      const print = JSON.stringify(Object.values(row), (_, value: unknown) =>
        typeof value === "bigint" ? String(value) : value,
      );
      if (known.has(print)) continue;
      known.set(print, row);
      waiting.push({ table, row });
    }
  };
  for (const table of tables) take(table, await source.rows(newest(source, table, count)));
  while (waiting.length > 0) {
    const conditions = new Map<Table, Set<string>>();
    for (const { table, row } of waiting)
      for (const { columns, references } of table.foreignKeys) {
        const other = byAddress.get(references.table);
        if (!other || columns.some(name => row[name] === null)) continue;
        const values = columns.map(name => literalOf(row[name], source.dialect));
        const condition = references.columns
          .map((name, at) => `${source.dialect.names.quote(name)} = ${values[at]}`)
          .join(" AND ");
        const key = JSON.stringify([references.table, condition]);
        if (asked.has(key)) continue;
        asked.add(key);
        conditions.set(other, (conditions.get(other) ?? new Set()).add(condition));
      }
    waiting = [];
    for (const [table, wanted] of conditions) {
      const list = [...wanted];
      for (let at = 0; at < list.length; at += BATCH) {
        const where = list.slice(at, at + BATCH).map(each => `(${each})`);
        take(table, await source.rows(`${selection(source, table)} WHERE ${where.join(" OR ")}`));
      }
    }
  }
  return taken;
}

function ownColumns({ columns }: Table): Column[] {
  return columns.filter(({ computed }) => !computed);
}

function selection({ dialect }: Database, table: Table): string {
  const names = ownColumns(table).map(column => dialect.rows.copying.exactly(column));
  return `SELECT ${names.join(", ")} FROM ${quoteAddress(addressOf(table), dialect.names.quote)}`;
}

function newest(source: Database, table: Table, count: number): string {
  const key = table.key?.columns.map(name => `${source.dialect.names.quote(name)} DESC`) ?? [];
  const order = key.length > 0 ? ` ORDER BY ${key.join(", ")}` : "";
  return `${selection(source, table)}${order} LIMIT ${count}`;
}

function insertText({ dialect }: Database, table: Table, rows: readonly Row[]): string {
  const columns = ownColumns(table);
  const values = rows.map(row => `(${columns.map(({ name }) => literalOf(row[name], dialect)).join(", ")})`);
  const names = columns.map(({ name }) => dialect.names.quote(name)).join(", ");
  const into = `${quoteAddress(addressOf(table), dialect.names.quote)} (${names})`;
  return `INSERT INTO ${into} ${dialect.rows.copying.overriding}VALUES ${values.join(", ")}`;
}

/** While rows come in any order, references are not held against them. */
async function withoutReferences(
  database: Database,
  schema: Schema,
  work: () => Promise<void>,
): Promise<void> {
  const { dialect } = database;
  const { unchecked } = dialect.rows.copying;
  if (unchecked) {
    await database.run(unchecked.start);
    await work();
    return database.run(unchecked.end);
  }
  const drops = schema.tables.flatMap(table =>
    table.foreignKeys.map((value): Change => ({
      kind: "drop part",
      table: addressOf(table),
      what: "foreign key",
      value,
    })),
  );
  const run = async (before: Schema, changes: readonly Change[]) => {
    for (const { statements } of blocksFor(dialect, before, changes))
      for (const statement of statements) await database.run(statement);
  };
  await run(schema, drops);
  await work();
  await run(apply(schema, drops), invert(drops));
}
