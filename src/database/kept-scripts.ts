import { basename } from "node:path";
import { gunzipSync, gzipSync } from "node:zlib";
import { LEDGER_KEPT } from "../core/schema/internal-tables.js";
import { meaningfulTokens } from "../core/sql/tokens.js";
import type { Table } from "../core/schema/types.js";
import { makeTable } from "./own-tables.js";
import { rowsOfOurs } from "./session/seen-tables.js";
import type { Database } from "./session/database.js";

/** What it takes to go back, beside the ledger: one row a migration that ran. */
const KEPT_TABLE: Table = {
  name: LEDGER_KEPT,
  columns: [
    { name: "number", type: { kind: "integer" }, nullable: false },
    { name: "files", type: { kind: "text" }, nullable: false },
  ],
  key: { name: `pk_${LEDGER_KEPT}`, columns: ["number"] },
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
};

/** What a database keeps of a migration that ran there. */
export interface KeptMigration {
  /** The files of its folder by name: its record, and the scripts of this dialect. */
  readonly files: Readonly<Record<string, string>>;
  /** Whether it was recorded as run where its tables had been before. */
  readonly adopted?: boolean;
  /** Statements for what stood around things that the migration dropped: rights, owners and the like. */
  readonly surroundings?: readonly string[];
}

/** The table is there. */
export async function makeKept(database: Database): Promise<void> {
  if (!(await database.hasTable(LEDGER_KEPT))) await makeTable(database, KEPT_TABLE);
}

/** Keeps a migration that ran, in the table that is there. Part of the migration's transaction. */
export async function keepMigration(database: Database, number: number, kept: KeptMigration): Promise<void> {
  const orReplace = database.dialect.rows.orReplace("number", "files");
  const sql = `INSERT INTO ${nameIn(database)} (number, files) VALUES (?, ?) ${orReplace}`;
  await database.run(sql, number, packed(kept));
}

/** The same goes into each of many databases. */
const known = new Map<string, string>();

/** As it stands in a row. */
export function packed(kept: KeptMigration): string {
  const { adopted, surroundings = [], files } = kept;
  const key = [String(adopted), surroundings.join("\n"), ...Object.entries(files).flat()].join("\0");
  const made = known.get(key) ?? gzipSync(JSON.stringify(kept)).toString("base64");
  if (known.size > 200) known.clear();
  known.set(key, made);
  return made;
}

/** Lets go of one that was undone. */
export async function forgetMigration(database: Database, number: number): Promise<void> {
  await database.run(`DELETE FROM ${nameIn(database)} WHERE number = ?`, number);
}

/** What is kept of a migration; undefined where nothing is, as of what ran before anything was kept, or it cannot be read. */
export async function keptMigration(database: Database, number: number): Promise<KeptMigration | undefined> {
  const sql = `SELECT files FROM ${nameIn(database)} WHERE number = ?`;
  const [row] = await rowsOfOurs(database, LEDGER_KEPT, sql, number);
  return row && unpacked(String(row["files"]));
}

/** @returns undefined where it cannot be read */
export function unpacked(text: string): KeptMigration | undefined {
  try {
    const bytes = Buffer.from(text, "base64");
    const kept = JSON.parse(
      gunzipSync(bytes, { maxOutputLength: MOST }).toString(),
    ) as Partial<KeptMigration>;
    return typeof kept.files === "object" ? { ...kept, files: kept.files } : undefined;
  } catch {
    return undefined;
  }
}

/**
 * Whether a script says what the one that a database keeps says: white space and comments aside, it is the same.
 * @param file the script's name in its folder
 */
export async function saysTheSame(
  database: Database,
  number: number,
  { file, text }: { readonly file: string; readonly text: string },
): Promise<boolean> {
  const kept = (await keptMigration(database, number))?.files[basename(file)];
  if (typeof kept !== "string") return false;
  const { tokens } = database.dialect;
  const [was, now] = [kept, text].map(each => meaningfulTokens(each, tokens).texts.join(" "));
  return was === now;
}

/** In bytes: a row of somebody else's is not to fill the memory. */
const MOST = 512 * 1024 * 1024;

function nameIn({ dialect }: Database): string {
  return dialect.names.quote(LEDGER_KEPT);
}
