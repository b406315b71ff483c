import { mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { invert } from "../core/change/invert.js";
import { apply } from "../core/change/apply.js";
import type { Change } from "../core/change/types.js";
import { describeChange } from "../core/change/words.js";
import type { Block, Dialect } from "../core/dialect/dialect.js";
import { isLossy } from "../core/dialect/attic.js";
import { renderFor, type Keeping } from "../core/dialect/plan.js";
import type { Direction } from "../core/direction.js";
import { problems } from "../core/problems.js";
import { fingerprint } from "../core/schema/canonical.js";
import { FORMAT, scriptName, showNumber, type Migration, type MigrationRecord } from "./migration.js";
import { RECORD_FILE, type History } from "./read.js";

export interface DraftOptions {
  /** Scripts to be written by hand. @default false */
  readonly blank?: boolean | undefined;
  /** What is taken away goes into the attic. @default false: it is lost */
  readonly keep?: boolean | undefined;
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
  { blank = false, keep = false }: DraftOptions = {},
): Draft {
  const previous = history.migrations.at(-1);
  const number = (previous?.number ?? 0) + 1;
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
    ...(keep && changes.some(takesAway) && { kept: true }),
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

/** The migration's folder appears whole or not at all. */
export function writeDraft({ migration, scripts }: Draft): void {
  const parent = join(migration.folder, "..");
  mkdirSync(parent, { recursive: true });
  const scratch = mkdtempSync(join(parent, ".draft-"));
  try {
    writeFileSync(join(scratch, RECORD_FILE), recordText(migration));
    for (const [name, text] of scripts) writeFileSync(join(scratch, name), text);
    renameSync(scratch, migration.folder);
  } catch (error) {
    rmSync(scratch, { recursive: true, force: true });
    throw error;
  }
}

/** Puts a draft in the place of a migration's folder. The old one is away only once the new one is whole. */
export function replaceDraft(draft: Draft, folder: string): void {
  const away = join(folder, "..", `.old-${process.pid}`);
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

/** One line for each change: a change to a change shows as one changed line. */
function recordText({
  format,
  number,
  title,
  parent,
  before,
  after,
  kept,
  changes,
}: MigrationRecord): string {
  const facts = { format, number, title, parent, before, after, ...(kept !== undefined && { kept }) };
  const head = Object.entries(facts).map(
    ([key, value]) => `  ${JSON.stringify(key)}: ${JSON.stringify(value)},`,
  );
  const lines = changes.map(change => `    ${JSON.stringify(change)}`);
  return `{\n${head.join("\n")}\n  "changes": [${lines.length > 0 ? `\n${lines.join(",\n")}\n  ` : ""}]\n}\n`;
}

/** A script to be written by hand. */
function blankText({ number, title }: Migration, direction: Direction, dialect: Dialect): string {
  const lines = [
    `Emberset · migration ${showNumber(number)} · ${title} · ${direction} · ${dialect.name}`,
    direction === "forward"
      ? "Written by hand: statements that change rows, each ended with a semicolon. No change of the schema is recorded."
      : "Written by hand: what takes the forward script back.",
  ];
  return `${lines.map(comment).join("\n")}\n`;
}

/** A script as it is drafted. */
export function scriptText(migration: Migration, direction: Direction, dialect: Dialect): string {
  const { number, title } = migration;
  const forward = direction === "forward";
  const before = forward ? migration.schemaBefore : migration.schemaAfter;
  const changes = forward ? migration.changes : invert(migration.changes);
  const count = `${changes.length} change${changes.length === 1 ? "" : "s"}`;
  const header = [
    `Emberset · migration ${showNumber(number)} · ${title} · ${direction} · ${dialect.name}`,
    ...listing(
      `${count}:`,
      changes.map(change => `${describeChange(change)}${fateOf(change, migration, direction)}`),
    ),
  ];
  const blocks = renderFor(dialect, before, changes, keepingOf(migration, direction));
  const body = blocks.length > 0 ? blocks.map(blockText) : [comment(`nothing to do on ${dialect.title}`)];
  const notes = dialect.scriptNotes(blocks);
  return `${[[...header, ...notes].map(comment).join("\n"), ...body].join("\n\n")}\n`;
}

/** How a migration keeps what it takes away, run in one direction; undefined: it does not. */
export function keepingOf({ kept, number }: Migration, direction: Direction): Keeping | undefined {
  return kept ? { number: showNumber(number), direction } : undefined;
}

/** What becomes of what a change takes away, or of what was there before it. */
function fateOf(change: Change, { kept }: Migration, direction: Direction): string {
  if (direction === "forward") {
    if (!takesAway(change)) return "";
    const what = change.kind === "alter column" ? "old values " : "";
    return kept ? ` (${what}kept in the attic)` : ` (${what}lost)`;
  }
  return kept && takesAway(invert([change])[0]!) ? " (restored from the attic)" : "";
}

/** Whether a change leaves rows or values nowhere, unless they are kept. */
export function takesAway(change: Change): boolean {
  if (change.kind === "drop column") return !change.column.computed;
  return change.kind === "drop table" || isLossy(change);
}

function blockText({ title, details = [], statements }: Block): string {
  return [
    comment(title),
    ...details.map(detail => comment(`  ${detail}`)),
    ...statements.map(statement => `${statement};`),
  ].join("\n");
}

/** Items with dots between them, on as many lines as it takes. */
function listing(lead: string, items: readonly string[]): string[] {
  const lines = [lead];
  for (const [at, item] of items.entries()) {
    const text = at < items.length - 1 ? `${item} ·` : item;
    if (lines.at(-1)!.length + text.length < LINE_WIDTH) lines[lines.length - 1] += ` ${text}`;
    else lines.push(`  ${text}`);
  }
  return lines;
}

const LINE_WIDTH = 116;

/** A comment line cannot be broken out of, whatever a name holds. */
function comment(text: string): string {
  return `-- ${text.replace(/[\r\n\u2028\u2029]+/g, " ")}`;
}
