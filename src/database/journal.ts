import type { Direction } from "../core/direction.js";
import type { RowsDone, StoppedRun } from "../core/problems.js";
import { JOURNAL } from "../core/schema/internal-tables.js";
import { sha256 } from "../core/sha256.js";
import type { Statement } from "../core/sql/statements.js";
import type { Column, DataType, Table } from "../core/schema/types.js";
import { packed, unpacked, type KeptMigration } from "./kept-scripts.js";
import { makeTable } from "./own-tables.js";
import type { Database, Value } from "./session/database.js";
import { whoAmI } from "./session/who.js";

const column = (name: string, type: DataType, nullable = false): Column => ({ name, type, nullable });

const SUM: DataType = { kind: "char", length: 16 };

/** Where each statement is committed by itself: the run that has begun and is not at its end. */
const JOURNAL_TABLE: Table = {
  name: JOURNAL,
  columns: [
    column("number", { kind: "integer" }),
    column("name", { kind: "varchar", length: 255 }),
    column("direction", { kind: "varchar", length: 8 }),
    column("statements", { kind: "integer" }),
    column("done", { kind: "integer" }),
    column("done_sum", SUM),
    column("doubt", SUM, true),
    column("doubt_sum", SUM, true),
    column("began_at", { kind: "varchar", length: 30 }),
    column("run_by", { kind: "varchar", length: 255 }),
    column("script", { kind: "text" }, true),
    column("kept", { kind: "text" }, true),
    column("rows_done", { kind: "bigint" }, true),
    column("rows_of", { kind: "bigint" }, true),
  ],
  key: { name: `pk_${JOURNAL}`, columns: ["number"] },
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
};

/** A run that has begun and is not at its end. */
export interface JournalEntry {
  readonly number: number;
  readonly name: string;
  readonly direction: Direction;
  /** How many statements its script had. */
  readonly statements: number;
  /** How many of them are done for certain. */
  readonly done: number;
  /** A sum of those. */
  readonly doneSum: string;
  /** Where the next one had begun: what all that it is about was then, and a sum of the statement. */
  readonly doubt?: { readonly was: string; readonly sum: string };
  /** ISO 8601 in UTC. */
  readonly beganAt: string;
  /** Process and host. */
  readonly runBy: string;
  /** What takes a migration back from the midst, where no script on disk does. */
  readonly script?: string;
  /** What it takes to go on without the folder: the ledger does not have it yet. */
  readonly kept?: KeptMigration;
  /** How many rows have their values, where the next statement gives them some in pieces. */
  readonly rows?: RowsDone;
}

/** What a run is about. */
export type RunOf = Pick<JournalEntry, "number" | "name" | "direction" | "kept">;

/** @returns undefined where no run has stopped in the midst */
export async function readJournal(database: Database): Promise<JournalEntry | undefined> {
  const steps = database.steps ?? database.online;
  if (!steps) return undefined;
  const [row] = await steps.rowsIfThere(`SELECT * FROM ${nameIn(database)}`);
  if (!row) return undefined;
  const { doubt, doubt_sum: sum } = row;
  const { rows_done: filled, rows_of: of } = row;
  const kept = typeof row["kept"] === "string" ? unpacked(row["kept"]) : undefined;
  return {
    number: Number(row["number"]),
    name: String(row["name"]),
    direction: row["direction"] === "back" ? "back" : "forward",
    statements: Number(row["statements"]),
    done: Number(row["done"]),
    doneSum: String(row["done_sum"]),
    ...(typeof doubt === "string" && typeof sum === "string" && { doubt: { was: doubt, sum } }),
    beganAt: String(row["began_at"]),
    runBy: String(row["run_by"]),
    ...(typeof row["script"] === "string" && { script: row["script"] }),
    ...(kept && { kept }),
    ...(of !== null && of !== undefined && { rows: { done: Number(filled), of: Number(of) } }),
  };
}

/** How far a run came, for a problem. */
export function sayStopped({ name: migration, statements: of, done, ...entry }: JournalEntry): StoppedRun {
  const { direction, beganAt, runBy, rows } = entry;
  const next = Math.min(done + 1, of);
  return { migration, direction, next, of, beganAt, runBy, ...(rows && { rows }) };
}

/** Where a run is, kept in the database beside what it does. */
export interface Journal {
  /** Some statements are done; written in the transaction of the last of them. */
  readonly done: (count: number) => Promise<void>;
  /** The next one begins. */
  readonly begins: (done: number, was: string) => Promise<void>;
  /** Of the statement that begins next, so many rows are done; written in the transaction of the last of them. */
  readonly filled: (rows: RowsDone) => Promise<void>;
  /** It is at its end, or never began. */
  readonly ends: () => Promise<void>;
  /** It is at its end, and another begins at once: its first entry takes the place of the last. */
  readonly passesTo: (next: JournalEntry) => Promise<void>;
}

/** What is run. */
interface Running {
  readonly run: RunOf;
  readonly statements: readonly Statement[];
}

/** The first entry of a run. @param was what there was before its first statement, where that has begun */
export function entryOf({ run, statements }: Running, was?: string): JournalEntry {
  return {
    ...run,
    ...{ statements: statements.length, done: 0, doneSum: sumOf([]) },
    ...(was !== undefined && { doubt: { was, sum: sumOf(statements.slice(0, 1)) } }),
    ...{ beganAt: new Date().toISOString(), runBy: whoAmI() },
  };
}

/** The journal of a run that begins, or goes on. @param isBegun whether it has begun just now: what is known is its own entry */
export async function keepJournal(
  database: Database,
  { run, statements }: Running,
  known: JournalEntry | undefined,
  isBegun = false,
): Promise<Journal> {
  const table = nameIn(database);
  if (!known) await makeJournal(database);
  else if (!isBegun)
    await database.run(`UPDATE ${table} SET statements = ?, run_by = ?`, statements.length, whoAmI());
  let hasBegun = known !== undefined;
  const set = async (done: number, doubt?: JournalEntry["doubt"]) => {
    const so = { done, doneSum: sumOf(statements.slice(0, done)), ...(doubt && { doubt }) };
    // The first entry comes with the first statement: a commit for each would be two.
    if (!hasBegun) await beginJournal(database, { ...entryOf({ run, statements }), ...so });
    else
      await database.run(
        `UPDATE ${table} SET done = ?, done_sum = ?, doubt = ?, doubt_sum = ?, rows_done = NULL, rows_of = NULL`,
        ...[done, so.doneSum, doubt?.was ?? null, doubt?.sum ?? null],
      );
    hasBegun = true;
  };
  return {
    done: count => set(count),
    begins: (done, was) => set(done, { was, sum: sumOf(statements.slice(done, done + 1)) }),
    filled: ({ done, of }) => database.run(`UPDATE ${table} SET rows_done = ?, rows_of = ?`, done, of),
    ends: async () => {
      if (hasBegun) await dropEntry(database);
    },
    passesTo: next => (hasBegun ? replaceEntry(database, next) : beginJournal(database, next)),
  };
}

/** Of a run that is at its end, or did not begin after all. */
export function dropEntry(database: Database): Promise<void> {
  return database.run(`DELETE FROM ${nameIn(database)}`);
}

/** Databases whose journal was seen by this session: it is asked about once, not with each of many migrations. */
const seen = new WeakSet<Database>();

/** The journal goes with all that is recorded. */
export function forgetJournal(database: Database): void {
  seen.delete(database);
}

/** The table is there. One that an earlier version made lacks a column, and has no row now. */
async function makeJournal(database: Database): Promise<void> {
  if (seen.has(database)) return;
  if (!(await database.rows(`SELECT rows_of FROM ${nameIn(database)}`).catch(() => undefined))) {
    if (await database.hasTable(JOURNAL)) await database.run(`DROP TABLE ${nameIn(database)}`);
    await makeTable(database, JOURNAL_TABLE);
  }
  seen.add(database);
}

/** What an entry begins with, by column. */
const BEGINNING: Readonly<Record<string, (entry: JournalEntry) => Value>> = {
  number: ({ number }) => number,
  name: ({ name }) => name,
  direction: ({ direction }) => direction,
  statements: ({ statements }) => statements,
  done: ({ done }) => done,
  done_sum: ({ doneSum }) => doneSum,
  doubt: ({ doubt }) => doubt?.was ?? null,
  doubt_sum: ({ doubt }) => doubt?.sum ?? null,
  began_at: ({ beganAt }) => beganAt,
  run_by: ({ runBy }) => runBy,
  script: ({ script }) => script ?? null,
  kept: ({ kept }) => (kept ? packed(kept) : null),
};

const COLUMNS = Object.keys(BEGINNING);

function valuesOf(entry: JournalEntry): Value[] {
  return Object.values(BEGINNING).map(of => of(entry));
}

/** A run begins with an entry. */
async function beginJournal(database: Database, entry: JournalEntry): Promise<void> {
  const places = COLUMNS.map(() => "?").join(", ");
  const sql = `INSERT INTO ${nameIn(database)} (${COLUMNS.join(", ")}) VALUES (${places})`;
  await database.run(sql, ...valuesOf(entry));
}

/** The first entry of a run in the place of the last one of another. */
async function replaceEntry(database: Database, entry: JournalEntry): Promise<void> {
  const set = COLUMNS.map(name => `${name} = ?`).join(", ");
  const sql = `UPDATE ${nameIn(database)} SET ${set}, rows_done = NULL, rows_of = NULL`;
  await database.run(sql, ...valuesOf(entry));
}

/** A run that stopped in the midst is to be taken back from there: what does so is in its place in the journal. */
export async function turnBack(
  database: Database,
  stopped: JournalEntry,
  statements: readonly Statement[],
  script: string,
): Promise<void> {
  await dropEntry(database);
  const { number, name, kept } = stopped;
  const run = { number, name, direction: "back", ...(kept && { kept }) } as const;
  await beginJournal(database, { ...entryOf({ run, statements }), script });
}

/** 16 hex digits that tell statements from others. */
export function sumOf(statements: readonly Statement[]): string {
  const hash = sha256(statements.map(({ sql }) => sql).join(";\n"));
  return hash.toString("hex").slice(0, 16);
}

function nameIn({ dialect }: Database): string {
  return dialect.names.quote(JOURNAL);
}
