import { inReferenceOrder, rowMaker, type MadeUp, type Style } from "../core/rows/made-up.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import type { Column, ForeignKey, Schema, Table } from "../core/schema/types.js";
import { uniqueLists } from "../core/schema/lookups.js";
import { zip } from "../core/lists.js";
import { literalOf } from "./made-up-rows.js";
import { EngineError, type Database } from "./session/database.js";

/** Rows that are put in at once. */
export const BATCH = 1000;

/** Letters of a statement's rows, beyond which the next ones come with another: servers take no statement of any length. */
const STATEMENT = 1_000_000;

/** Attempts at a row that the database refuses, or that is there already. */
const TRIES = 24;

/** How many keys of a table others choose from. */
const KEYS = 20_000;

/** Rows of a table that nothing could be made up for are given up after so many in a row. */
const PATIENCE = 12;

export interface FilledTable {
  readonly table: string;
  /** How many rows it got. */
  readonly rows: number;
  /** How many were asked for and could not be made up, and what the database said last. */
  readonly refused?: { readonly rows: number; readonly reason: string };
}

export interface FillOptions {
  readonly style: Style;
  /** How many rows a table gets, by its address; 0: none. */
  readonly rows: (address: string) => number;
  /** Told after each batch. */
  readonly onRows?: ((table: string, done: number, of: number) => void) | undefined;
}

/** A row by column. */
export type Row = ReadonlyMap<string, MadeUp>;

/** A table as models say it, and its name as the database holds it. */
interface Held {
  readonly table: Table;
  readonly sql: string;
}

/**
 * Puts made-up rows into tables, in reference order; references in a circle are set at the end where they may be null. Called
 * where all of it is undone when it fails.
 * @param schema in portable words
 */
export async function fillRows(
  database: Database,
  schema: Schema,
  { style, rows, onRows }: FillOptions,
): Promise<FilledTable[]> {
  const { dialect } = database;
  const held = new Map(
    zip(schema.tables, dialect.types.settle(schema).tables).map(([table, settled]): [string, Held] => [
      addressOf(table),
      { table, sql: quoteAddress(addressOf(settled), dialect.names.quote) },
    ]),
  );
  const result: FilledTable[] = [];
  const late: { readonly held: Held; readonly foreignKey: ForeignKey }[] = [];
  const done = new Set<string>();
  for (const table of inReferenceOrder(schema)) {
    const address = addressOf(table);
    const wanted = rows(address);
    const own = held.get(address)!;
    done.add(address);
    if (wanted === 0) continue;
    for (const foreignKey of table.foreignKeys)
      if (!done.has(foreignKey.references.table)) late.push({ held: own, foreignKey });
    // Of a table that refers to itself a part comes first, which the rest refers to.
    const isOwn = table.foreignKeys.some(({ references }) => references.table === address);
    const first = isOwn ? Math.ceil(wanted / 4) : wanted;
    const work = {
      style,
      unlike: unlikeRows(table),
      onRows: (made: number) => onRows?.(address, made, wanted),
    };
    let filled = await fillTable(database, own, {
      ...work,
      from: 0,
      wanted: first,
      keys: await keysFor(database, own.table, held),
    });
    if (first < wanted && !filled.refused) {
      const keys = await keysFor(database, own.table, held);
      filled = await fillTable(database, own, { ...work, from: filled.rows, wanted, keys });
    }
    result.push({ table: address, ...filled });
  }
  for (const { held: own, foreignKey } of late)
    await tie(database, own, held.get(foreignKey.references.table)!, foreignKey, style);
  return result;
}

type Keys = ReadonlyMap<string, readonly (readonly MadeUp[])[]>;

const keyOf = (address: string, columns: readonly string[]) => `${address}\0${columns.join("\0")}`;

/** The keys that a table's references may hold. */
async function keysFor(database: Database, table: Table, held: ReadonlyMap<string, Held>): Promise<Keys> {
  const keys = new Map<string, (readonly MadeUp[])[]>();
  for (const { references } of table.foreignKeys) {
    const other = held.get(references.table);
    if (other)
      keys.set(
        keyOf(references.table, references.columns),
        await readKeys(database, other, references.columns),
      );
  }
  return keys;
}

async function readKeys(
  { dialect, rows }: Database,
  { sql }: Held,
  columns: readonly string[],
): Promise<MadeUp[][]> {
  const names = columns.map(dialect.names.quote).join(", ");
  const found = await rows(`SELECT ${names} FROM ${sql} ORDER BY ${names} LIMIT ${KEYS}`);
  return found.map(row => columns.map(name => row[name] as MadeUp));
}

interface TableWork {
  readonly style: Style;
  /** How many of the rows are there already. */
  readonly from: number;
  readonly wanted: number;
  readonly keys: Keys;
  /** Whether a row is like none that was made. */
  readonly unlike: (row: Row) => boolean;
  readonly onRows: (made: number) => void;
}

async function fillTable(
  database: Database,
  { table, sql }: Held,
  { style, from, wanted, keys, unlike, onRows }: TableWork,
): Promise<Omit<FilledTable, "table">> {
  const maker = rowMaker(table, new Map(), (to, columns) => keys.get(keyOf(to, columns)) ?? [], style);
  let [at, made, refused, inARow, reason] = [
    from,
    from,
    0,
    0,
    "no value can be made up that keeps to its rules",
  ];
  /** A row that is like none before it, as far as that can be told here. */
  const next = (): Row | undefined => {
    for (let tries = 0; tries < TRIES; tries += 1, at += 1) {
      const row = maker.row(at, false);
      if (!row || !unlike(row)) continue;
      at += 1;
      return row;
    }
    return undefined;
  };
  const put = async (rows: readonly Row[]): Promise<void> => {
    const said = await tried(database, () => insertRows(database, sql, rows));
    if (said === undefined) {
      made += rows.length;
      inARow = 0;
      return;
    }
    if (rows.length > 1) {
      const middle = rows.length >> 1;
      await put(rows.slice(0, middle));
      return put(rows.slice(middle));
    }
    reason = said;
    for (let tries = 0; tries < TRIES && inARow < PATIENCE; tries += 1) {
      const other = next();
      if (!other) break;
      const again = await tried(database, () => insertRows(database, sql, [other]));
      if (again === undefined) {
        made += 1;
        inARow = 0;
        return;
      }
      reason = again;
    }
    inARow += 1;
    refused += 1;
  };
  while (made + refused < wanted && inARow < PATIENCE) {
    const batch: Row[] = [];
    while (batch.length < Math.min(BATCH, wanted - made - refused)) {
      const row = next();
      if (!row) break;
      batch.push(row);
    }
    if (batch.length === 0) break;
    await put(batch);
    onRows(made);
  }
  return { rows: made, ...(made < wanted && { refused: { rows: wanted - made, reason } }) };
}

/** Whether no row before has the same in a key or a unique list; what the database gives is not known here. */
function unlikeRows(table: Table): (row: Row) => boolean {
  const lists = [...uniqueLists(table), ...table.uniques.map(({ columns }) => columns)].map(columns => ({
    columns,
    seen: new Set<string>(),
  }));
  return row => {
    const keys = lists.map(({ columns }) => {
      const values = columns.map(name => row.get(name));
      return values.some(value => value === undefined || value === null)
        ? undefined
        : JSON.stringify(values).toLowerCase();
    });
    if (lists.some(({ seen }, at) => keys[at] !== undefined && seen.has(keys[at]))) return false;
    lists.forEach(({ seen }, at) => keys[at] !== undefined && seen.add(keys[at]));
    return true;
  };
}

/** Work that is undone by itself when the engine refuses it. @returns what the engine said */
export async function tried({ run }: Database, work: () => Promise<void>): Promise<string | undefined> {
  await run("SAVEPOINT emberset_rows");
  try {
    await work();
    await run("RELEASE SAVEPOINT emberset_rows");
    return undefined;
  } catch (error) {
    if (!(error instanceof EngineError)) throw error;
    await run("ROLLBACK TO SAVEPOINT emberset_rows");
    return error.message;
  }
}

/**
 * Rows with one statement for each list of columns.
 * @param overriding what stands before VALUES where columns that count are given values
 * @throws EngineError
 */
export async function insertRows(
  { dialect, runScripted }: Database,
  into: string,
  rows: readonly Row[],
  overriding = "",
): Promise<void> {
  const lists = new Map<string, RowList>();
  let last: RowList | undefined;
  for (const row of rows) {
    let values = "";
    let at = 0;
    let isAlike = last !== undefined;
    for (const [name, value] of row) {
      if (value === undefined) continue;
      isAlike &&= last!.names[at] === name;
      values += `${at === 0 ? "" : ", "}${literalOf(value, dialect)}`;
      at += 1;
    }
    if (!isAlike || last!.names.length !== at) {
      const names = [...row].flatMap(([name, value]) => (value === undefined ? [] : [name]));
      const key = names.join("\0");
      last = lists.get(key) ?? { names, values: [] };
      lists.set(key, last);
    }
    last!.values.push(`(${values})`);
  }
  for (const { names, values } of lists.values()) {
    if (names.length === 0)
      for (let at = 0; at < values.length; at += 1)
        await runScripted(`INSERT INTO ${into} ${dialect.rows.emptyRow}`);
    else
      for (const some of statementsOf(values))
        await runScripted(
          `INSERT INTO ${into} (${names.map(dialect.names.quote).join(", ")}) ${overriding}VALUES ${some}`,
        );
  }
}

/** Rows that have values for the same columns. */
interface RowList {
  readonly names: readonly string[];
  /** `(1, 'Anna')` */
  readonly values: string[];
}

/** As many of the rows in one text as a statement may have. */
function* statementsOf(values: readonly string[]): Generator<string> {
  let [from, letters] = [0, 0];
  for (const [at, text] of values.entries()) {
    if (at > from && letters + text.length > STATEMENT) {
      yield values.slice(from, at).join(", ");
      [from, letters] = [at, 0];
    }
    letters += text.length;
  }
  yield values.slice(from).join(", ");
}

/** How many rows of a table are tied to others after the fact. */
const TIED = 2000;

/** Sets references in a circle, which could not be known when their rows were made. */
async function tie(
  database: Database,
  from: Held,
  to: Held,
  { columns, references }: ForeignKey,
  style: Style,
): Promise<void> {
  const { table, sql } = from;
  const isNullable = columns.every(name => table.columns.find(each => each.name === name)?.nullable);
  const isComputed = columns.some(name => table.columns.find((each: Column) => each.name === name)?.computed);
  if (!isNullable || isComputed || !table.key || !to) return;
  const { quote } = database.dialect.names;
  const own = (await readKeys(database, from, table.key.columns)).slice(0, TIED);
  const others = await readKeys(database, to, references.columns);
  const literal = (value: MadeUp) => literalOf(value, database.dialect);
  for (const [at, key] of own.entries()) {
    if (others.length === 0 || style.isAbsent(columns[0]!, at, true)) continue;
    const chosen = others[style.choose(others.length, at)]!;
    const values = columns.map((name, index) => `${quote(name)} = ${literal(chosen[index])}`).join(", ");
    const where = table.key.columns
      .map((name, index) => `${quote(name)} = ${literal(key[index])}`)
      .join(" AND ");
    await tried(database, () => database.runScripted(`UPDATE ${sql} SET ${values} WHERE ${where}`));
  }
}
