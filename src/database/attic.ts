import { matchSql } from "../core/dialect/shared/attic.js";
import type { Kept, KeptBesideKey, KeptTable } from "../core/dialect/shared/kept.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import type { Table } from "../core/schema/types.js";
import type { Database } from "./session/database.js";

/** One table of a database's attic. */
interface AtticTable {
  /** Its address. */
  readonly address: string;
  readonly rows: number;
  /** What it takes on disk, indexes included; null where the engine does not tell. */
  readonly bytes: number | null;
}

/** All that the attic of a database holds. */
export async function readAttic(database: Database): Promise<AtticTable[]> {
  const found = await database.rows(database.dialect.attic.tables);
  const tables: AtticTable[] = [];
  for (const { name, namespace, bytes } of found) {
    const address = addressOf({
      name: String(name),
      ...(namespace !== null && { namespace: String(namespace) }),
    });
    const [row] = await database.rows(`SELECT count(*) AS n FROM ${quoted(address, database)}`);
    tables.push({ address, rows: Number(row?.["n"]), bytes: bytes === null ? null : Number(bytes) });
  }
  return tables;
}

/** Takes all rows out of a table of the attic; the table stays, so that going back still finds it. */
export async function emptyKept(database: Database, address: string): Promise<void> {
  await database.run(database.dialect.rows.emptySql(quoted(address, database)));
}

/**
 * Puts what is kept back where it was: rows that are not there, values where none stands. The attic keeps its own.
 * @param target the table as it is now; its columns by the names they have now
 * @returns how many rows came or got a value
 */
export async function copyBack(database: Database, kept: Kept, target: Table): Promise<number> {
  return kept.kind === "table" ? copyRows(database, kept, target) : copyValues(database, kept, target);
}

async function copyRows(database: Database, { table, address }: KeptTable, target: Table): Promise<number> {
  const { quote } = database.dialect.names;
  const [from, to] = [quoted(address, database), quoted(addressOf(target), database)];
  const columns = table.columns.filter(
    ({ name, computed }) =>
      !computed && target.columns.some(column => column.name === name && !column.computed),
  );
  const list = (alias: string) => columns.map(({ name }) => `${alias}${quote(name)}`).join(", ");
  const key = (target.key?.columns ?? []).map(name => ({ was: name, now: name }));
  const fresh =
    key.length > 0
      ? ` WHERE NOT EXISTS (SELECT 1 FROM ${to} AS t WHERE ${matchSql(key, database.dialect.attic)})`
      : "";
  const before = await count(database, to);
  const { overriding } = database.dialect.rows.copying;
  await database.run(
    `INSERT INTO ${to} (${list("")}) ${overriding}SELECT ${list("k.")} FROM ${from} AS k${fresh}`,
  );
  return (await count(database, to)) - before;
}

async function copyValues(database: Database, kept: KeptBesideKey, target: Table): Promise<number> {
  const {
    attic,
    names: { quote },
  } = database.dialect;
  const [from, to] = [quoted(kept.address, database), quoted(addressOf(target), database)];
  const [match, before] = [matchSql(kept.key, attic), await countMissing(database, kept, to)];
  for (const column of kept.columns) {
    const name = quote(column.name);
    const where = `${match} AND t.${name} IS NULL`;
    await database.run(attic.updateFrom({ table: to, from, set: [`${name} = k.${name}`], where }));
  }
  return before - (await countMissing(database, kept, to));
}

/** How many values of the kept columns are null in a table. */
async function countMissing(database: Database, { columns }: KeptBesideKey, table: string): Promise<number> {
  const counts = columns.map(({ name }) => `count(*) - count(${database.dialect.names.quote(name)})`);
  const [row] = await database.rows(`SELECT ${counts.join(" + ")} AS n FROM ${table}`);
  return Number(row?.["n"]);
}

async function count(database: Database, table: string): Promise<number> {
  const [row] = await database.rows(`SELECT count(*) AS n FROM ${table}`);
  return Number(row?.["n"]);
}

function quoted(address: string, { dialect }: Database): string {
  return quoteAddress(address, dialect.names.quote);
}
