import { chmodSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { basename, join } from "node:path";
import { apply } from "../core/change/apply.js";
import type { Change } from "../core/change/types.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { problems } from "../core/problems.js";
import { fingerprint } from "../core/schema/canonical.js";
import { FORMAT, scriptName, showNumber, type Migration, type MigrationRecord } from "./migration.js";
import { AWAY, DRAFT } from "./left-over.js";
import { RECORD_FILE, type History } from "./read.js";
import { stopsCounting } from "../core/change/loss.js";
import { blankText, scriptText, takesAway } from "./script.js";

export interface DraftOptions {
  /** Scripts to be written by hand. @default false */
  readonly blank?: boolean | undefined;
  /** What is taken away goes into the attic. @default false: it is lost */
  readonly keep?: boolean | undefined;
  /** It is run while others write. @default false */
  readonly online?: boolean | undefined;
  /** The migrations it stands for, of which the last had its number. */
  readonly folds?: readonly Pick<Migration, "name" | "number">[] | undefined;
}

export interface Draft {
  readonly migration: Migration;
  /** The scripts' texts by file name. */
  readonly scripts: ReadonlyMap<string, string>;
}

/** The next migration, worked out and not yet written. @throws Problem E305 */
export function draftMigration(
  history: History,
  title: string,
  changes: readonly Change[],
  dialects: readonly Dialect[],
  { blank = false, keep = false, online = false, folds }: DraftOptions = {},
): Draft {
  const previous = history.migrations.at(-1);
  const number = folds?.at(-1)?.number ?? (previous?.number ?? 0) + 1;
  const name = `${showNumber(number)}-${slug(title)}`;
  const schemaBefore = history.schema;
  const schemaAfter = apply(schemaBefore, changes);
  const migration: Migration = {
    format: FORMAT,
    number,
    title,
    parent: previous?.name ?? null,
    before: fingerprint(schemaBefore),
    after: fingerprint(schemaAfter),
    changes,
    ...(keep && changes.some(change => takesAway(change) || stopsCounting(change)) && { kept: true }),
    ...(online && { online: true }),
    ...(folds && { folds: folds.map(each => each.name) }),
    name,
    folder: join(history.folder, name),
    schemaBefore,
    schemaAfter,
  };
  const text = blank ? blankText : scriptText;
  const scripts = dialects.flatMap(dialect => [
    [scriptName("forward", dialect.name), text(migration, "forward", dialect)] as const,
    [scriptName("back", dialect.name), text(migration, "back", dialect)] as const,
  ]);
  return { migration, scripts: new Map(scripts) };
}

/** `Add glaze recipes!` → `add-glaze-recipes` */
function slug(title: string): string {
  const words = title
    .normalize("NFC")
    .toLowerCase()
    .match(/[\p{L}\p{N}]+/gu);
  if (!words) throw problems.noTitle({ title });
  return [...words.join("-")].slice(0, 60).join("").replace(/-$/, "");
}

/** The migration's folder appears whole or not at all. @param instead whether it takes the place of one that is there */
export function writeDraft({ migration, scripts }: Draft, instead = false): void {
  writeFolder(migration.folder, new Map([[RECORD_FILE, recordText(migration)], ...scripts]), instead);
}

/**
 * A folder of files appears whole or not at all.
 * @param files texts by name @param instead whether it takes the place of one that is there
 */
export function writeFolder(folder: string, files: ReadonlyMap<string, string>, instead = false): void {
  const parent = join(folder, "..");
  mkdirSync(parent, { recursive: true });
  const scratch = mkdtempSync(join(parent, `${DRAFT}${process.pid}-`));
  try {
    for (const [name, text] of files) writeFileSync(join(scratch, name), text);
    // Made for the moment it is nobody else's; made to stay it is as any other folder.
    chmodSync(scratch, 0o777 & ~process.umask());
    if (instead) rmSync(folder, { recursive: true });
    renameSync(scratch, folder);
  } catch (error) {
    rmSync(scratch, { recursive: true, force: true });
    throw error;
  }
}

/** Puts a draft in the place of a migration's folder. The old one is away only once the new one is whole. */
export function replaceDraft(draft: Draft, folder: string): void {
  const away = join(folder, "..", `${AWAY}${process.pid}-${basename(folder)}`);
  renameSync(folder, away);
  try {
    writeDraft(draft);
  } catch (error) {
    renameSync(away, folder);
    throw error;
  }
  rmSync(away, { recursive: true, force: true });
}

/** Writes other changes into a migration's record; its scripts stay as they are. */
export function rewriteRecord(migration: Migration, changes: readonly Change[]): void {
  const after = fingerprint(apply(migration.schemaBefore, changes));
  const scratch = join(migration.folder, `.record-${process.pid}`);
  writeFileSync(scratch, recordText({ ...migration, after, changes }));
  renameSync(scratch, join(migration.folder, RECORD_FILE));
}

/** A record as it is written, one line for each change: a change to a change shows as one changed line. */
export function recordText({
  format,
  number,
  title,
  parent,
  before,
  after,
  kept,
  online,
  folds,
  changes,
}: MigrationRecord): string {
  const facts = {
    ...{ format, number, title, parent, before, after },
    ...(kept !== undefined && { kept }),
    ...(online !== undefined && { online }),
    ...(folds !== undefined && { folds }),
  };
  const head = Object.entries(facts).map(
    ([key, value]) => `  ${JSON.stringify(key)}: ${JSON.stringify(value)},`,
  );
  const lines = changes.map(change => `    ${JSON.stringify(change)}`);
  return `{\n${head.join("\n")}\n  "changes": [${lines.length > 0 ? `\n${lines.join(",\n")}\n  ` : ""}]\n}\n`;
}
