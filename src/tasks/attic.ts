import type { Kept, KeptBesideKey, KeptCounter, Numbered } from "../core/dialect/shared/kept.js";
import { thingThatCounts } from "../core/dialect/shared/attic.js";
import { namesThrough } from "../core/change/names.js";
import { problems } from "../core/problems.js";
import { addressOf, tablesByAddress } from "../core/schema/address.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import type { Change } from "../core/change/types.js";
import { copyBack, emptyKept, readAttic } from "../database/attic.js";
import type { Database } from "../database/session/database.js";
import { withDatabase } from "../database/open.js";
import { showNumber, type Migration } from "../history/migration.js";
import { migrationPlan } from "../history/script.js";
import { oneTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type MayLose, type TargetOptions, watched } from "./options.js";
import { readState } from "./state.js";

/** One thing that the attic of a database keeps. */
export interface AtticEntry {
  /** The migration that put it there; undefined: the history has none that did. */
  readonly migration?: { readonly number: number; readonly name: string };
  /** When that ran, in ISO 8601. */
  readonly since?: string;
  /** `shelves`, `glazes.notes`; where the history does not know it, its address there. */
  readonly things: readonly string[];
  readonly kind: "table" | "columns" | "values" | "counter" | "rows" | "unknown";
  /** The address of the table that holds it. */
  readonly place: string;
  readonly rows: number;
  /** On disk; null where the engine does not tell. */
  readonly bytes: number | null;
  /** Whether going back puts it where it was. */
  readonly comesBack: boolean;
}

export interface AtticResult {
  readonly target: string;
  readonly entries: readonly AtticEntry[];
}

/** What the attic of a target keeps. @throws Problem E104, E300 to E304, E400 to E414 */
export async function listAttic(options: TargetOptions): Promise<AtticResult> {
  return withAttic(options, "read", async ({ database, found }) => ({
    target: database.target.name,
    entries: found.map(({ entry }) => entry),
  }));
}

export interface AtticChoice extends TargetOptions {
  /** A migration's number. */
  readonly number: number;
  /** One of the things it put there, as the list calls it. @default all of them */
  readonly thing?: string | undefined;
}

export interface RestoreResult {
  readonly target: string;
  readonly restored: readonly { readonly things: readonly string[]; readonly rows: number }[];
}

/**
 * Copies what is kept back to where it was, where that is there again: rows that are missing, values where none stands.
 * @throws Problem E104, E300 to E304, E400 to E414, E512, E514
 */
export async function restoreFromAttic(options: AtticChoice): Promise<RestoreResult> {
  return withAttic(options, "change", async ({ database, found, later }) => {
    // Where something counts, and what tells rows, is for going back alone: rows may have come meanwhile.
    const isRows = ({ entry }: Found) => hasRows(entry) || options.thing !== undefined;
    const chosen = choose(found, options, database).filter(isRows);
    const tables = tablesByAddress(withoutInternal(await database.readCatalog()).schema);
    const copies = chosen.map(({ entry, kept }) => {
      const refuse = (reason: string) =>
        problems.noPlaceLeft({ what: entry.things.join(", "), reason, address: entry.place });
      if (entry.kind === "counter") throw refuse("only going back lets it count on where it stood");
      if (kept?.kind !== "table" && kept?.key.some(({ number }) => number))
        throw refuse("nothing but all that they hold tells the rows apart: only going back finds them");
      if (!kept || !entry.comesBack) throw refuse("nothing tells which row it belongs to");
      const moved = followed(kept, later(entry.migration!.number));
      const address = moved.kind === "table" ? addressOf(moved.table) : moved.now;
      const target = tables.get(address);
      if (!target) throw refuse(`there is no table ${address}`);
      const missing = moved.kind === "table" ? [] : missingColumns(moved, target.columns);
      if (missing.length > 0) throw refuse(`${address} has no column ${missing.join(", ")}`);
      return { entry, kept: moved, target };
    });
    return database.exclusively(async () => {
      const restored: RestoreResult["restored"][number][] = [];
      for (const { entry, kept, target } of copies)
        restored.push({ things: entry.things, rows: await copyBack(database, kept, target) });
      return { target: database.target.name, restored };
    });
  });
}

function missingColumns(
  { columns, key }: KeptBesideKey,
  there: readonly { readonly name: string }[],
): string[] {
  const names = [...columns.map(({ name }) => name), ...key.map(({ now }) => now)];
  return names.filter(name => !there.some(column => column.name === name));
}

export interface PurgeOptions extends TargetOptions {
  /** A migration's number; all of the attic when left out. */
  readonly number?: number | undefined;
  readonly thing?: string | undefined;
  readonly mayLose?: MayLose | undefined;
}

export interface PurgeResult {
  readonly target: string;
  readonly purged: readonly AtticEntry[];
}

/**
 * Lets go of rows in the attic for good. Going back works on, and brings tables without their rows and columns
 * without their values. @throws Problem E104, E300 to E304, E400 to E414, E512, E513
 */
export async function purgeAttic({ mayLose, ...options }: PurgeOptions): Promise<PurgeResult> {
  return withAttic(options, "change", async ({ database, found }) => {
    const { number } = options;
    const chosen = (number === undefined ? found : choose(found, { ...options, number }, database)).filter(
      ({ entry }) => entry.rows > 0 && hasRows(entry),
    );
    const { name, guarded } = database.target;
    const losses = chosen.map(
      ({ entry }) => `${entry.rows} row${entry.rows === 1 ? "" : "s"} kept of ${entry.things.join(", ")}`,
    );
    if (losses.length > 0 && !(await mayLose?.(losses, { name, guarded })))
      throw problems.wouldPurge({ target: name, losses, guarded });
    await database.exclusively(async () => {
      for (const { entry } of chosen) await emptyKept(database, entry.place);
    });
    return { target: name, purged: chosen.map(({ entry }) => entry) };
  });
}

interface Found {
  readonly entry: AtticEntry;
  /** undefined: the history does not know what it is, or it is no row or value. */
  readonly kept?: Kept;
}

interface OpenAttic {
  readonly database: Database;
  readonly found: readonly Found[];
  /** What the migrations that ran behind one of a number have changed. */
  readonly later: (number: number) => readonly Change[];
}

async function withAttic<T>(
  options: TargetOptions,
  mode: "read" | "change",
  work: (attic: OpenAttic) => Promise<T>,
): Promise<T> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  return withDatabase(target, { mode, ...watched(options, target) }, async database =>
    work(await openAttic(project, database)),
  );
}

async function openAttic(project: OpenProject, database: Database): Promise<OpenAttic> {
  const { entries } = await readState(database, project.history());
  const ran = entries.flatMap(({ migration, run }) => (migration && run ? [{ migration, run }] : []));
  const known = new Map(
    ran.flatMap(({ migration, run }) =>
      keptOf(migration, database).map(kept => [kept.address, { kept, migration, since: run.ranAt }] as const),
    ),
  );
  const found = (await readAttic(database)).map(({ address: place, rows, bytes }): Found => {
    const source = known.get(place);
    if (!source) return { entry: { things: [place], kind: "unknown", place, rows, bytes, comesBack: false } };
    const { kept, migration, since } = source;
    const { number, name } = migration;
    const common = { migration: { number, name }, since, place, rows, bytes };
    if (!("kind" in kept))
      return { entry: { ...common, things: [addressOf(kept.table)], kind: "rows", comesBack: true } };
    if (isCounter(kept))
      return { entry: { ...common, things: [thingThatCounts(kept)], kind: "counter", comesBack: true } };
    const comesBack = kept.kind === "table" || kept.key.length > 0;
    return { entry: { ...common, things: thingsOf(kept), kind: kept.kind, comesBack }, kept };
  });
  const later = (number: number) =>
    ran.filter(({ migration }) => migration.number > number).flatMap(({ migration }) => migration.changes);
  return { database, found, later };
}

/** What a migration has put into the attic of a database. */
function keptOf(migration: Migration, { dialect }: Database): readonly (Kept | KeptCounter | Numbered)[] {
  const { attic } = migration.kept ? migrationPlan(migration, "forward", dialect) : {};
  return [...(attic?.kept ?? []), ...(attic?.counters ?? []), ...(attic?.numbered ?? [])];
}

/** Whether what is kept is rows or values, rather than what going back needs to know. */
function hasRows({ kind }: AtticEntry): boolean {
  return kind !== "counter" && kind !== "rows";
}

function isCounter(kept: Kept | KeptCounter): kept is KeptCounter {
  return kept.kind === "sequence" || kept.kind === "counting";
}

function thingsOf(kept: Kept): string[] {
  const address = addressOf(kept.table);
  return kept.kind === "table" ? [address] : kept.columns.map(({ name }) => `${address}.${name}`);
}

function choose(
  found: readonly Found[],
  { number, thing }: AtticChoice,
  { target }: Database,
): readonly Found[] {
  const chosen = found.filter(
    ({ entry }) =>
      entry.migration?.number === number && (thing === undefined || entry.things.includes(thing)),
  );
  if (chosen.length > 0) return chosen;
  const kept = found.map(({ entry }) =>
    [entry.migration && showNumber(entry.migration.number), ...entry.things].filter(Boolean).join(" "),
  );
  const wanted = [showNumber(number), thing].filter(Boolean).join(" ");
  throw problems.nothingKept({ target: target.name, wanted, kept });
}

/** What is kept, under the names that its table and the columns of its key have by now. */
function followed(kept: Kept, changes: readonly Change[]): Kept {
  if (kept.kind === "table") return kept;
  const { after } = namesThrough(changes);
  const key = kept.key.map(part => ({ ...part, now: after(kept.now, part.now) }));
  return { ...kept, now: after(kept.now), key };
}
