import { zip } from "../../src/core/lists.js";
import { addressOf } from "../../src/core/schema/address.js";
import { equal } from "../../src/core/schema/canonical.js";
import type { Column, Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { lineageOf } from "./lineage.js";
import type { Way } from "./there-and-back.js";

/** A column of one row that a client writes to. */
export interface Cell {
  readonly table: string;
  readonly column: string;
  /** The condition that finds its row. */
  readonly where: string;
  readonly kind: "text" | "number";
}

const KINDS: Readonly<Record<string, Cell["kind"]>> = {
  text: "text",
  varchar: "text",
  integer: "number",
  bigint: "number",
  smallint: "number",
  double: "number",
};

/**
 * The cells that mean the same all the while they are there: of tables and columns that keep their names, types and keys,
 * or go, with nothing else taking their names.
 */
export async function steadyCells({ dialect, rows }: Database, way: Way): Promise<Cell[]> {
  const { quote } = dialect.names;
  const settle = (schema: Schema) => dialect.types.settle(schema).tables;
  const lines = lineageOf(way.a, way.changes);
  const after = new Map(
    zip(settle(way.b), way.b.tables).map(([now, { name }]) => [
      now.name,
      { now, line: lines.get(addressOf({ name })) },
    ]),
  );
  const cells: Cell[] = [];
  for (const [table, given] of zip(settle(way.a), way.a.tables)) {
    const { key, columns, name } = table;
    const becomes = after.get(name);
    if (!key || (becomes && becomes.line?.start !== addressOf(given))) continue;
    const stays = (column: Column) => {
      const now = becomes?.now.columns.find(each => each.name === column.name);
      return now !== undefined && !now.computed && equal(now.type, column.type) && isSame(column.name);
    };
    const isSame = (column: string) => becomes?.line?.columns.get(column) === column;
    const goes = (column: Column) => !becomes?.now.columns.some(each => each.name === column.name);
    const keys = columns.filter(column => key.columns.includes(column.name));
    if (becomes && !keys.every(stays)) continue;
    const told = new Set([key, ...table.foreignKeys].flatMap(part => part.columns));
    const free = zip(columns, given.columns).flatMap(([column, { type }]) => {
      const kind = KINDS[type.kind];
      const isFree = !told.has(column.name) && !column.computed && !column.stamp;
      return kind && isFree && (stays(column) || goes(column)) ? [{ column: column.name, kind }] : [];
    });
    const list = keys.map(each => quote(each.name)).join(", ");
    for (const row of await rows(`SELECT ${list} FROM ${quote(name)}`)) {
      const where = keys
        .map(each => `${quote(each.name)} = ${literal(row[each.name], dialect.rows.literalSql)}`)
        .join(" AND ");
      for (const each of free) cells.push({ table: name, where, ...each });
    }
  }
  return cells;
}

function literal(value: CatalogRow[string], textSql: (text: string) => string): string {
  return typeof value === "number" ? String(value) : textSql(String(value));
}

/** A client that writes one cell after the other, and remembers what it was told is written. */
export function writeUntil(client: Database, cells: readonly Cell[]) {
  const { quote } = client.dialect.names;
  const acknowledged = new Map<Cell, string>();
  let stopped = false;
  const work = async () => {
    for (let turn = 1; !stopped; turn += 1) {
      const cell = cells[turn % cells.length]!;
      const value = String(turn % 1000);
      const sql = `UPDATE ${quote(cell.table)} SET ${quote(cell.column)} = ${cell.kind === "text" ? `'w${value}'` : value} WHERE ${cell.where}`;
      await client.run(sql).then(
        () => acknowledged.set(cell, cell.kind === "text" ? `w${value}` : value),
        // Refused, so it need not be there.
        () => new Promise(resolve => setTimeout(resolve, 1)),
      );
    }
    return acknowledged;
  };
  return { stop: () => (stopped = true), done: work() };
}

/** What a cell holds; undefined: its row is not there. */
export async function heldIn({ dialect, rows }: Database, cell: Cell): Promise<string | undefined> {
  const { quote } = dialect.names;
  const [row] = await rows(
    `SELECT ${quote(cell.column)} AS held FROM ${quote(cell.table)} WHERE ${cell.where}`,
  );
  return row && String(row["held"]);
}
