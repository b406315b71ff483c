import type { Direction } from "../core/direction.js";
import type { Spellings } from "../core/lower/spellings.js";
import { JOURNAL, LEDGER, LEDGER_KEPT } from "../core/schema/internal-tables.js";
import type { Column, DataType, Table } from "../core/schema/types.js";
import { VERSION } from "../version.js";
import { forgetMigration, keepMigration, makeKept, type KeptMigration } from "./kept-scripts.js";
import { forgetJournal } from "./journal.js";
import { makeTable } from "./own-tables.js";
import { rowsOfOurs } from "./session/seen-tables.js";
import type { Database } from "./session/database.js";

const column = (name: string, type: DataType, nullable = false): Column => ({ name, type, nullable });

/** The ledger as any other table, so that each dialect makes it in its own words. */
const LEDGER_TABLE: Table = {
  name: LEDGER,
  columns: [
    column("number", { kind: "integer" }),
    column("name", { kind: "varchar", length: 255 }),
    column("forward_sum", { kind: "char", length: 16 }),
    column("back_sum", { kind: "char", length: 16 }),
    column("ran_at", { kind: "varchar", length: 30 }),
    column("took_ms", { kind: "integer" }),
    column("program", { kind: "varchar", length: 40 }),
    column("spellings", { kind: "text" }, true),
  ],
  key: { name: `pk_${LEDGER}`, columns: ["number"] },
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
};

/** One migration that ran. */
export interface LedgerEntry {
  readonly number: number;
  readonly name: string;
  /** Checksums of the scripts as they were when it ran. */
  readonly forward: string;
  readonly back: string;
  /** ISO 8601 in UTC. */
  readonly ranAt: string;
  readonly tookMs: number;
  readonly program: string;
  /** How the engine spells expressions that this run was the first to send. */
  readonly spellings: Spellings;
}

/** What ran on a database, by number. Empty where there is no ledger yet. */
export async function readLedger(database: Database): Promise<LedgerEntry[]> {
  const all = `SELECT * FROM ${database.dialect.names.quote(LEDGER)} ORDER BY number`;
  const rows = await rowsOfOurs(database, LEDGER, all);
  return rows.map(row => ({
    number: Number(row["number"]),
    name: String(row["name"]),
    forward: String(row["forward_sum"]),
    back: String(row["back_sum"]),
    ranAt: String(row["ran_at"]),
    tookMs: Number(row["took_ms"]),
    program: String(row["program"]),
    spellings: spellingsIn(row["spellings"]),
  }));
}

/** What cannot be read is as if nothing had been noted: an expression may then be told as drift. */
function spellingsIn(text: unknown): Spellings {
  try {
    return typeof text === "string" ? (JSON.parse(text) as Spellings) : {};
  } catch {
    return {};
  }
}

interface LedgerRecord {
  /** The migration's number and the name of its folder. */
  readonly migration: { readonly number: number; readonly name: string };
  readonly checksums: Readonly<Record<Direction, string>>;
  readonly tookMs: number;
  readonly spellings?: Spellings | undefined;
  /** What it takes to go back without the folder. */
  readonly kept: KeptMigration;
}

/** The ledger is there. */
export async function makeLedger(database: Database): Promise<void> {
  if (!(await database.hasTable(LEDGER))) await makeTable(database, LEDGER_TABLE);
  await makeKept(database);
}

/** Notes in the ledger, which is there, that a migration ran. Part of the migration's transaction. @returns what it has of it now */
export async function recordRun(
  database: Database,
  { migration, checksums, tookMs, spellings = {}, kept }: LedgerRecord,
): Promise<LedgerEntry> {
  const { number, name } = migration;
  const entry: LedgerEntry = {
    ...{ number, name, ...checksums, spellings },
    ...{ ranAt: new Date().toISOString(), tookMs: Math.round(tookMs), program: VERSION },
  };
  const table = database.dialect.names.quote(LEDGER);
  await database.run(
    `INSERT INTO ${table} (number, name, forward_sum, back_sum, ran_at, took_ms, program, spellings) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ...[number, name, entry.forward, entry.back, entry.ranAt, entry.tookMs, entry.program],
    writtenSpellings(spellings),
  );
  await keepMigration(database, number, kept);
  return entry;
}

function writtenSpellings(spellings: Spellings): string | null {
  return Object.keys(spellings).length > 0 ? JSON.stringify(spellings) : null;
}

/** Notes with a migration that ran what the engine made of its expressions. */
export async function noteSpellings(database: Database, number: number, spellings: Spellings): Promise<void> {
  const table = database.dialect.names.quote(LEDGER);
  const sql = `UPDATE ${table} SET spellings = ? WHERE number = ?`;
  await database.run(sql, writtenSpellings(spellings), number);
}

/** Takes the note away that a migration ran. Part of the transaction that undoes it. */
export async function unrecordRun(database: Database, number: number): Promise<void> {
  await database.run(`DELETE FROM ${database.dialect.names.quote(LEDGER)} WHERE number = ?`, number);
  if (await database.hasTable(LEDGER_KEPT)) await forgetMigration(database, number);
}

/** With nothing left to record, the database is as it was before the first migration. */
export async function dropEmptyLedger(database: Database): Promise<void> {
  const { quote } = database.dialect.names;
  const [left] = await database.rows(`SELECT count(*) AS n FROM ${quote(LEDGER)}`);
  if (Number(left?.["n"]) > 0) return;
  for (const table of [LEDGER, LEDGER_KEPT, JOURNAL])
    if (await database.hasTable(table)) await database.run(`DROP TABLE ${quote(table)}`);
  forgetJournal(database);
}

/** All spellings that the runs so far have noted, the newest winning. */
export function allSpellings(entries: readonly LedgerEntry[]): Spellings {
  return Object.assign({}, ...entries.map(({ spellings }) => spellings)) as Spellings;
}
