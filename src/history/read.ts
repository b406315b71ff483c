import { sha256 } from "../core/sha256.js";
import { existsSync, readdirSync, readFileSync, statSync } from "node:fs";
import { basename, join } from "node:path";
import {
  Equals,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsInt,
  IsNotEmpty,
  IsObject,
  IsOptional,
  IsString,
  Matches,
  Min,
  ValidateIf,
  validateSync,
} from "class-validator";
import { apply } from "../core/change/apply.js";
import type { Direction } from "../core/direction.js";
import { problems } from "../core/problems.js";
import { fingerprint } from "../core/schema/canonical.js";
import { EMPTY_SCHEMA, type Schema, type Table } from "../core/schema/types.js";
import { FORMAT, scriptName, showNumber, type Migration, type MigrationRecord } from "./migration.js";
import { tidy } from "./left-over.js";
import { messageOf, textOf } from "../core/errors.js";

export const RECORD_FILE = "migration.json";

/** All migrations of a project in their order. */
export interface History {
  readonly folder: string;
  readonly migrations: readonly Migration[];
  /** The schema after the newest. */
  readonly schema: Schema;
}

/** A history in which two migrations have one number, as after a merge: it is told up to there. */
export interface TornHistory extends History {
  /** Those that share a number; none: all is well. */
  readonly doubled: readonly Migration[];
  /** The names of what stands behind them. */
  readonly beyond: readonly string[];
}

/**
 * Reads a folder of migrations and folds their changes, checking each against its fingerprints.
 * @throws Problem E300, E301, E302, E304
 */
export function readHistory(folder: string): History {
  return unlessFolded(folder, leftOut => readWhole(folder, leftOut));
}

function readWhole(folder: string, leftOut: ReadonlySet<string>): History {
  const { doubled: names, ...torn } = readFolders(folder, leftOut);
  const [first, second] = names;
  if (first !== undefined && second !== undefined)
    throw problems.doubled({ number: showNumber(parseInt(first, 10)), folders: [first, second] });
  return { folder, ...foldAll(folder, torn.names) };
}

/** The same, but that two migrations may have one number. @throws Problem E300, E301, E304 */
export function readTornHistory(folder: string): TornHistory {
  const read = (leftOut: ReadonlySet<string>) => {
    const { names, doubled, beyond } = readFolders(folder, leftOut);
    const { migrations, schema } = foldAll(folder, names);
    const readOne = (name: string) => readMigration(join(folder, name), name, migrations.at(-1), schema);
    return { folder, migrations, schema, doubled: doubled.map(readOne), beyond };
  };
  const torn = unlessFolded(folder, read);
  if (torn.doubled.length === 0) return torn;
  const leftOut = leftOver(folder);
  return leftOut.size > 0 ? read(leftOut) : torn;
}

/** What a baseline stands for, and which stands beside it all the same, as after a merge, is left out. */
function unlessFolded<T>(folder: string, read: (leftOut: ReadonlySet<string>) => T): T {
  try {
    return read(new Set());
  } catch (error) {
    const leftOut = leftOver(folder);
    if (leftOut.size === 0) throw error;
    return read(leftOut);
  }
}

/** Folders of migrations for which a baseline beside them stands, by their names. */
export function leftOver(folder: string): Set<string> {
  const names = existsSync(folder) ? readdirSync(folder).filter(isFolderName) : [];
  const folded = new Set(
    names.flatMap(name => {
      try {
        const { folds } = JSON.parse(readFileSync(join(folder, name, RECORD_FILE), "utf8")) as {
          folds?: unknown;
        };
        return Array.isArray(folds) ? (folds as unknown[]) : [];
      } catch {
        return [];
      }
    }),
  );
  return new Set(names.filter(name => folded.has(name)));
}

/** A migration that follows another, wherever that stands. @throws Problem E300 */
export function readAfter(folder: string, name: string, previous: Migration): Migration {
  return readMigration(join(folder, name), name, previous, previous.schemaAfter);
}

function foldAll(folder: string, names: readonly string[]): Pick<History, "migrations" | "schema"> {
  const migrations: Migration[] = [];
  let schema = EMPTY_SCHEMA;
  for (const name of names) {
    const migration = readMigration(join(folder, name), name, migrations.at(-1), schema);
    migrations.push(migration);
    schema = migration.schemaAfter;
  }
  return { migrations, schema };
}

const FOLDER_NAME = /^(\d{4,})-[\p{L}\p{N}][\p{L}\p{N}-]*$/u;

/** Whether a migration's folder may be called so. */
export function isFolderName(name: string): boolean {
  return FOLDER_NAME.test(name);
}

/** The names of the migrations' folders, numbered one after the other without a gap, up to where two have one number. */
interface Folders {
  readonly names: readonly string[];
  readonly doubled: readonly string[];
  readonly beyond: readonly string[];
}

function readFolders(folder: string, leftOut: ReadonlySet<string>): Folders {
  if (!existsSync(folder)) return { names: [], doubled: [], beyond: [] };
  tidy(folder);
  const names = readdirSync(folder, { withFileTypes: true })
    .filter(entry => entry.isDirectory() && !entry.name.startsWith(".") && !leftOut.has(entry.name))
    .map(({ name }) => name)
    .sort((a, b) => parseInt(a, 10) - parseInt(b, 10) || (a < b ? -1 : 1));
  // A baseline that stands for others has the number of the last of them.
  let expected = Math.max(1, parseInt(names[0] ?? "1", 10));
  for (const [at, name] of names.entries()) {
    const number = Number(FOLDER_NAME.exec(name)?.[1]);
    if (Number.isNaN(number)) throw problems.strayFolder({ folder: join(folder, name) });
    if (number === expected) {
      expected += 1;
      continue;
    }
    const before = names[at - 1];
    if (before && parseInt(before, 10) === number) {
      const doubled = names.filter(each => parseInt(each, 10) === number);
      return { names: names.slice(0, at - 1), doubled, beyond: names.slice(at - 1 + doubled.length) };
    }
    throw problems.gap({ missing: showNumber(expected), after: name });
  }
  return { names, doubled: [], beyond: [] };
}

class RecordShape {
  @Equals(FORMAT, { message: `format must be ${FORMAT}, the format this program reads` }) format!: number;
  @IsInt() @Min(1) number!: number;
  @IsString() @IsNotEmpty() title!: string;
  @ValidateIf(({ parent }: RecordShape) => parent !== null) @IsString() parent!: string | null;
  @Matches(/^[0-9a-f]{16}$/, { message: "before must be a fingerprint of 16 hex digits" }) before!: string;
  @Matches(/^[0-9a-f]{16}$/, { message: "after must be a fingerprint of 16 hex digits" }) after!: string;
  @IsArray() @IsObject({ each: true }) changes!: MigrationRecord["changes"];
  @IsOptional() @IsBoolean() kept?: boolean;
  @IsOptional() @IsBoolean() online?: boolean;
  @IsOptional() @IsArray() @ArrayNotEmpty() @Matches(FOLDER_NAME, { each: true }) folds?: string[];
}

function readMigration(
  folder: string,
  name: string,
  previous: Migration | undefined,
  schemaBefore: Schema,
): Migration {
  const file = join(folder, RECORD_FILE);
  const broken = (reason: string, cause?: unknown) => problems.brokenMigration({ file, reason }, cause);
  const record = readRecord(file, broken);
  if (record.number !== parseInt(name, 10))
    throw broken(`it says its number is ${record.number}, its folder says ${name}`);
  const parent = previous?.name ?? null;
  if (!previous && record.number !== parseInt(record.folds?.at(-1) ?? "1", 10))
    throw problems.gap({
      missing: showNumber(record.folds ? parseInt(record.folds.at(-1)!, 10) : 1),
      after: name,
    });
  if (previous && record.folds)
    throw broken("it stands for migrations from the first on, and is not the first");
  if (record.parent !== parent && record.parent !== previous?.folds?.at(-1)) {
    throw broken(`it follows ${record.parent ?? "nothing"}, but stands behind ${parent ?? "nothing"}`);
  }
  if (record.before !== fingerprint(schemaBefore)) {
    throw broken("the schema before it is not the one it was written for; a migration before it was changed");
  }
  const schemaAfter = fold(record, schemaBefore, broken);
  return { ...record, name, folder, schemaBefore, schemaAfter };
}

type Broken = (reason: string, cause?: unknown) => Error;

function readRecord(file: string, broken: Broken): MigrationRecord {
  const text = readIfThere(file);
  if (text === undefined) throw broken("there is no migration.json");
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw broken(`it is not JSON (${messageOf(error)})`, error);
  }
  if (typeof json !== "object" || json === null || Array.isArray(json))
    throw broken("it is not a JSON object");
  // By hand: a deep copy of every change would take longer than all the rest.
  const shape = Object.assign(new RecordShape(), json);
  const faults = validateSync(shape, { whitelist: true, forbidNonWhitelisted: true }).flatMap(
    ({ constraints = {} }) => Object.values(constraints),
  );
  if (faults.length > 0) throw broken(faults.join("; "));
  return json as MigrationRecord;
}

/** Changes are not judged by their form: they must lead from the one fingerprint to the other. */
function fold(record: MigrationRecord, before: Schema, broken: Broken): Schema {
  refuseOdd(record, broken);
  let [after, print]: [Schema, string] = [before, ""];
  try {
    after = apply(before, record.changes);
    // What has not the form of a schema cannot be told from others, either.
    print = fingerprint(after);
  } catch (error) {
    throw broken(`a change does not fit (${messageOf(error)})`, error);
  }
  if (print !== record.after) throw broken("its changes do not lead to the schema it records");
  return after;
}

/** What is no list, and empty, tells itself from an empty list by no fingerprint. */
function refuseOdd({ changes }: MigrationRecord, broken: Broken): void {
  for (const change of changes) {
    const table: unknown = "table" in change ? change.table : undefined;
    if (typeof table !== "object" || table === null) continue;
    const odd = LISTS.find(name => !Array.isArray((table as Readonly<Record<string, unknown>>)[name]));
    if (odd !== undefined) throw broken(`a change does not fit (${odd} of a table must be a list)`);
  }
}

const LISTS = ["columns", "uniques", "indexes", "foreignKeys", "checks"] as const satisfies (keyof Table)[];

export interface Script {
  readonly file: string;
  readonly text: string;
  /** 16 hex digits of the SHA-256 of the text, line ends aside. */
  readonly checksum: string;
}

/** @throws Problem E303 when the migration has no script for the dialect */
export function readScript(migration: Migration, direction: Direction, dialect: string): Script {
  const file = join(migration.folder, scriptName(direction, dialect));
  const stamp = stampOf(file);
  if (stamp === undefined) throw problems.missingScript({ file, dialect });
  // Many databases run the same one: as long as nobody writes to it, it is what it was.
  const known = scripts.get(migration)?.get(file);
  if (known?.stamp === stamp) return known.script;
  const text = readIfThere(file);
  if (text === undefined) throw problems.missingScript({ file, dialect });
  const script = { file, text, checksum: checksumOf(text) };
  const own = scripts.get(migration) ?? new Map<string, Stamped>();
  scripts.set(migration, own.set(file, { script, stamp }));
  return script;
}

interface Stamped {
  readonly script: Script;
  readonly stamp: string;
}

const scripts = new WeakMap<Migration, Map<string, Stamped>>();

/** What changes whenever somebody writes to a file; undefined: there is none. */
function stampOf(file: string): string | undefined {
  const stat = statSync(file, { bigint: true, throwIfNoEntry: false });
  return stat && `${stat.ino} ${stat.size} ${stat.mtimeNs} ${stat.ctimeNs}`;
}

/** One call to the file system where asking first would be two. */
function readIfThere(file: string): string | undefined {
  try {
    return readFileSync(file, "utf8");
  } catch (error) {
    if (textOf(error, "code") === "ENOENT") return undefined;
    throw error;
  }
}

/** The files of a migration that a database keeps, by their names: its record, and the scripts of one dialect. */
export function filesOf(
  { folder }: Pick<Migration, "folder">,
  scripts: Readonly<Record<Direction, Pick<Script, "file" | "text">>>,
): Record<string, string> {
  const record = readIfThere(join(folder, RECORD_FILE));
  const files = [scripts.forward, scripts.back].map(({ file, text }) => [basename(file), text] as const);
  return { ...(record !== undefined && { [RECORD_FILE]: record }), ...Object.fromEntries(files) };
}

/** Version control may turn line ends; that is no edit. */
export function checksumOf(text: string): string {
  return sha256(text.replaceAll("\r\n", "\n")).toString("hex").slice(0, 16);
}
