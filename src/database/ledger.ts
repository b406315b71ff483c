import type { Direction } from "../core/direction.js";
import type { Spellings } from "../core/lower/spellings.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { blocksFor } from "../core/plan/plan.js";
import { LEDGER } from "../core/schema/internal-tables.js";
import { EMPTY_SCHEMA, type Column, type DataType, type Table } from "../core/schema/types.js";
import { VERSION } from "../version.js";
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

function ledgerStatements(dialect: Dialect): string[] {
  const blocks = blocksFor(dialect, EMPTY_SCHEMA, [{ kind: "add table", table: LEDGER_TABLE }]);
  return blocks.flatMap(({ statements }) => statements);
}

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
  if (!(await database.hasTable(LEDGER))) return [];
  const rows = await database.rows(`SELECT * FROM ${database.dialect.names.quote(LEDGER)} ORDER BY number`);
  return rows.map(row => ({
    number: Number(row["number"]),
    name: String(row["name"]),
    forward: String(row["forward_sum"]),
    back: String(row["back_sum"]),
    ranAt: String(row["ran_at"]),
    tookMs: Number(row["took_ms"]),
    program: String(row["program"]),
    spellings: row["spellings"] === null ? {} : (JSON.parse(String(row["spellings"])) as Spellings),
  }));
}

/** Whether one migration is recorded as run; undefined where there is no ledger yet. */
export async function hasRun(database: Database, number: number): Promise<boolean | undefined> {
  if (!(await database.hasTable(LEDGER))) return undefined;
  const rows = await database.rows(
    `SELECT 1 FROM ${database.dialect.names.quote(LEDGER)} WHERE number = ?`,
    number,
  );
  return rows.length > 0;
}

interface LedgerRecord {
  /** The migration's number and the name of its folder. */
  readonly migration: { readonly number: number; readonly name: string };
  readonly direction: Direction;
  readonly checksums: Readonly<Record<Direction, string>>;
  readonly tookMs: number;
  readonly spellings?: Spellings | undefined;
  /** Whether the ledger is there. */
  readonly known: boolean;
}

/** Notes that a migration ran forward, or takes the note away when it ran back. Part of the migration's transaction. */
export async function recordRun(
  database: Database,
  { migration, direction, checksums, tookMs, spellings, known }: LedgerRecord,
): Promise<void> {
  const table = database.dialect.names.quote(LEDGER);
  if (direction === "forward") {
    if (!known) for (const sql of ledgerStatements(database.dialect)) await database.run(sql);
    await database.run(
      `INSERT INTO ${table} (number, name, forward_sum, back_sum, ran_at, took_ms, program, spellings) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
      migration.number,
      migration.name,
      checksums.forward,
      checksums.back,
      new Date().toISOString(),
      Math.round(tookMs),
      VERSION,
      spellings && Object.keys(spellings).length > 0 ? JSON.stringify(spellings) : null,
    );
    return;
  }
  await database.run(`DELETE FROM ${table} WHERE number = ?`, migration.number);
  // With nothing left to record, the database is as it was before the first migration.
  const left = await database.rows(`SELECT count(*) AS n FROM ${table}`);
  if (Number(left[0]?.["n"]) === 0) await database.run(`DROP TABLE ${table}`);
}

/** All spellings that the runs so far have noted, the newest winning. */
export function allSpellings(entries: readonly LedgerEntry[]): Spellings {
  return Object.assign({}, ...entries.map(({ spellings }) => spellings)) as Spellings;
}
