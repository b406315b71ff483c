import { sha256 } from "../core/sha256.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { inReferenceOrder, rowMaker, type MadeUp } from "../core/rows/made-up.js";
import type { RowPrint } from "../core/rows/prints.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import type { Rule, Schema, Table } from "../core/schema/types.js";
import { EngineError, type Database } from "./session/database.js";
import { zip } from "../core/lists.js";

/** Rows that are refused one after the other before a table is left empty. */
const PATIENCE = 6;

/** How many keys of a table references choose from. */
const KEYS = 500;

/**
 * Puts made-up rows into tables that have none, in reference order. A row that the database refuses is left out.
 * @param schema in portable words
 * @param rules further rules that rows keep to, by table's address and column
 * @returns how many rows each table got, by address
 */
export async function fillTables(
  database: Database,
  schema: Schema,
  {
    rows,
    rules,
  }: { readonly rows: number; readonly rules: (table: string) => ReadonlyMap<string, readonly Rule[]> },
): Promise<Map<string, number>> {
  const { dialect } = database;
  const held = new Map(
    zip(schema.tables, dialect.types.settle(schema).tables).map(([table, settled]) => [
      addressOf(table),
      settled,
    ]),
  );
  const tableSql = (address: string) => quoteAddress(addressOf(held.get(address)!), dialect.names.quote);
  const keys = new Map<string, (readonly MadeUp[])[]>();
  const readKeys = async (address: string, columns: readonly string[]) => {
    const names = columns.map(dialect.names.quote).join(", ");
    const found = await database.rows(
      `SELECT ${names} FROM ${tableSql(address)} ORDER BY ${names} LIMIT ${KEYS}`,
    );
    keys.set(
      keyOf(address, columns),
      found.map(row => columns.map(name => row[name] as MadeUp)),
    );
  };
  const filled = new Map<string, number>();
  for (const table of inReferenceOrder(schema)) {
    const address = addressOf(table);
    if ((await database.rows(`SELECT 1 AS n FROM ${tableSql(address)} LIMIT 1`)).length > 0) continue;
    for (const { references } of table.foreignKeys)
      if (held.has(references.table)) await readKeys(references.table, references.columns);
    const maker = rowMaker(table, rules(address), (to, columns) => keys.get(keyOf(to, columns)) ?? []);
    let [made, refused] = [0, 0];
    for (let at = 0; at < rows && (made > 0 || refused < PATIENCE); at += 1) {
      const taken =
        (await insert(database, tableSql(address), maker.row(at, false))) ||
        (await insert(database, tableSql(address), maker.row(at, true)));
      if (taken) made += 1;
      else refused += 1;
    }
    filled.set(address, made);
  }
  return filled;
}

function keyOf(address: string, columns: readonly string[]): string {
  return JSON.stringify([address, columns]);
}

async function insert(
  { dialect, runScripted }: Database,
  into: string,
  row: ReadonlyMap<string, MadeUp> | undefined,
): Promise<boolean> {
  if (!row) return false;
  const names = [...row.keys()].map(dialect.names.quote).join(", ");
  const values = [...row.values()].map(value => literalOf(value, dialect)).join(", ");
  try {
    await runScripted(
      `INSERT INTO ${into} ${names === "" ? dialect.rows.emptyRow : `(${names}) VALUES (${values})`}`,
    );
    return true;
  } catch (error) {
    if (error instanceof EngineError) return false;
    throw error;
  }
}

/** A value, made up or as a driver gives it, as SQL writes it. */
export function literalOf(value: unknown, dialect: Dialect): string {
  if (value === null || value === undefined) return "NULL";
  if (value instanceof ArrayBuffer) return literalOf(new Uint8Array(value), dialect);
  if (value instanceof Uint8Array) return dialect.rows.bytesLiteral(Buffer.from(value).toString("hex"));
  if (value instanceof Date) return dialect.rows.literalSql(value.toISOString());
  if (typeof value === "bigint") return String(value);
  if (typeof value === "object" && "bytes" in value) return dialect.rows.bytesLiteral(String(value.bytes));
  return dialect.rows.literalSql(
    typeof value === "number" || typeof value === "boolean" ? value : String(value),
  );
}

/** Prints of the rows of tables, by address. @param tables settled */
export async function printRows(
  database: Database,
  tables: readonly Table[],
): Promise<Map<string, RowPrint>> {
  const prints = new Map<string, RowPrint>();
  for (const table of tables) {
    const address = addressOf(table);
    const names = table.columns.map(({ name }) => name);
    const list = names.map(database.dialect.names.quote).join(", ");
    const rows = await database.rows(
      `SELECT ${list} FROM ${quoteAddress(address, database.dialect.names.quote)}`,
    );
    const print = (columns: readonly string[]) => {
      const lines = rows.map(row => JSON.stringify(columns.map(name => plain(row[name])))).sort();
      return sha256(lines.join("\n")).toString("hex");
    };
    prints.set(address, {
      rows: rows.length,
      whole: print(names),
      columns: new Map(names.map(name => [name, print([name])])),
    });
  }
  return prints;
}

function plain(value: unknown): unknown {
  if (typeof value === "bigint") return String(value);
  if (value instanceof ArrayBuffer) return Buffer.from(value).toString("hex");
  return value instanceof Uint8Array ? Buffer.from(value).toString("hex") : value;
}
