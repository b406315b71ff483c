import { existsSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { diff } from "../core/change/diff.js";
import { tableOf, type Change } from "../core/change/types.js";
import { describeChange, describeDetail } from "../core/change/words.js";
import { mergeHeld } from "../core/dialect/merge-held.js";
import { learnSpellings, respell } from "../core/lower/spellings.js";
import { writeModels, type ModelFile } from "../core/model/write/write-models.js";
import { problems } from "../core/problems.js";
import { addressOf } from "../core/schema/address.js";
import { columnsOfPart } from "../core/schema/lookups.js";
import type { Schema, PartKind, Parts } from "../core/schema/types.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { withDatabase } from "../database/open.js";
import { showNumber } from "../history/migration.js";
import { draftMigration, writeDraft, type Draft } from "../history/write.js";
import type { LoadedModels } from "../project/load-models.js";
import { chooseTarget } from "../project/load-settings.js";
import { modelsFolder } from "../project/settings.js";
import { readHeld, record } from "./adopt.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { openProject, type OpenProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import { refuseUnsound } from "./run-migrations.js";
import { readState } from "./state.js";

export interface AdoptDriftOptions extends TargetOptions {
  /** What the migration is called. @default "drift" */
  readonly title?: string | undefined;
  /** Draft a second migration that brings the database back to the history. @default false */
  readonly putRight?: boolean | undefined;
}

export interface AdoptDriftResult {
  readonly target: string;
  /** What the database had beyond the history, and the history now has too. */
  readonly changes: readonly ComparedChange[];
  readonly migration: { readonly number: number; readonly name: string; readonly folder: string };
  /** The migration that takes it away again, not yet run. */
  readonly putRight?: { readonly number: number; readonly name: string; readonly folder: string };
  /** What was written, from the project's folder. */
  readonly written: readonly string[];
  /** What the models should say, where they do not yet: lines for classes that are there. */
  readonly suggestions: readonly Suggestion[];
}

export interface Suggestion {
  /** The class, and its file from the project's folder. */
  readonly entity: string;
  readonly file?: string;
  /** Lines of a class, or words where there is no line to give. */
  readonly lines: readonly string[];
}

/**
 * Takes in what a database has beyond the history: a migration that records it, marked as run there.
 * @throws Problem E112, E203, E300 to E305, E400 to E415, E500, E501, E505, E510, E901
 */
export async function adoptDrift({
  title = "drift",
  putRight = false,
  ...options
}: AdoptDriftOptions): Promise<AdoptDriftResult> {
  const project = await openProject(options);
  const { settings } = project;
  const target = chooseTarget(settings, options.target);
  const history = project.history();
  return withDatabase(target, { mode: "change", trace: options.trace }, async database => {
    const { dialect } = database;
    const state = await readState(database, history);
    refuseUnsound(state, target);
    const pending = state.entries
      .filter(entry => entry.state === "pending")
      .map(({ number }) => showNumber(number));
    if (pending.length > 0) throw problems.pendingFirst({ target: target.name, pending });
    const { held } = await readHeld(database);
    const spellings = allSpellings(await readLedger(database));
    const after = mergeHeld(history.schema, { dialect, held, spellings });
    const changes = diff(history.schema, after);
    if (changes.length === 0) {
      throw problems.nothingToAdopt({ target: target.name, label: target.label, drift: true });
    }
    const learned = dialect.catalog.respells ? learnSpellings(dialect.types.settle(after), held) : {};
    const left = diff(respell(dialect.types.settle(after), learned), held);
    if (left.length > 0) throw problems.unsaid({ differences: left.map(sayChange) });

    const draft = draftMigration(history, title, changes, project.dialects);
    const { files, suggestions } = putRight
      ? { files: [], suggestions: [] }
      : await writeNewModels(project, after, changes);
    try {
      await database.exclusively(async () => {
        await record(database, draft, learned);
        writeDraft(draft);
      });
    } catch (error) {
      removeFiles(files);
      throw error;
    }
    const next = putRight ? draftBack(project, title) : undefined;
    const facts = ({ migration: { number, name, folder } }: Draft) => ({ number, name, folder });
    const scripts = [draft, ...(next ? [next] : [])].flatMap(each =>
      ["migration.json", ...each.scripts.keys()].map(file => join(each.migration.folder, file)),
    );
    return {
      target: target.name,
      changes: withRisks(changes, false),
      migration: facts(draft),
      ...(next && { putRight: facts(next) }),
      written: [...files.map(({ path }) => path), ...scripts].map(file => relative(settings.folder, file)),
      suggestions,
    };
  });
}

/** From what the history has taken in, back to what it was: the models have not changed. */
function draftBack(project: OpenProject, title: string): Draft {
  const history = project.history();
  const before = history.migrations.at(-1)!.schemaBefore;
  const keep = project.settings.keepDropped;
  const changes = diff(history.schema, before);
  const draft = draftMigration(history, `put ${title} right`, changes, project.dialects, { keep });
  writeDraft(draft);
  return draft;
}

function sayChange(change: Change): string {
  return [describeChange(change), describeDetail(change)].filter(Boolean).join(": ");
}

/** What models say of a schema, in which the classes that are there are called as they are. */
function filesOf({ settings, dialects }: OpenProject, after: Schema, models: LoadedModels): ModelFile[] {
  const there = new Map(
    models.entities.flatMap(entity => {
      const { file } = models.locate({ ...NO_FINDING, entity: entity.name });
      const path = file === undefined ? undefined : relative(modelsFolder(settings), file);
      return path === undefined
        ? []
        : [[models.resolver.address(entity), { name: entity.name, path }] as const];
    }),
  );
  return writeModels(after, { dialect: dialects[0]!, naming: settings.naming, there });
}

const NO_FINDING = { code: "", severity: "advice", what: "", remedy: "" } as const;

interface WrittenFile {
  readonly path: string;
  readonly text: string;
}

/**
 * Writes the new classes and reads all models with them before anything is recorded: what does not load is taken away
 * again. @throws Problem E203
 */
async function writeNewModels(project: OpenProject, after: Schema, changes: readonly Change[]) {
  const models = await project.soundModels();
  const found = newModels(project, filesOf(project, after, models), changes);
  try {
    for (const { path, text } of found) {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
    }
    if (found.length > 0) await project.soundModels();
  } catch (error) {
    removeFiles(found);
    throw error;
  }
  return { files: found, suggestions: suggest(filesOf(project, after, models), changes, models) };
}

function removeFiles(files: readonly WrittenFile[]): void {
  for (const { path } of files) rmSync(path, { force: true });
}

/** Classes for tables that the history did not know, where their files are free. */
function newModels(
  { settings }: OpenProject,
  files: readonly ModelFile[],
  changes: readonly Change[],
): WrittenFile[] {
  const added = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  return files
    .filter(({ model }) => model && added.has(model.table))
    .map(({ path, text }) => ({ path: join(modelsFolder(settings), path), text }))
    .filter(({ path }) => !existsSync(path));
}

/** What a class says of the thing that a change brings; undefined where there is no line for it. */
function lineFor(change: Change, model: ModelFile["model"]): string | undefined {
  switch (change.kind) {
    case "add column":
      return model?.lines.get(change.column.name);
    case "alter column":
      return model?.lines.get(change.after.name);
    case "add part":
      return (
        model?.parts.get(`${change.what} ${change.value.name}`) ?? lineOf(change.what, change.value, model)
      );
    case "alter part":
      return (
        model?.parts.get(`${change.what} ${change.after.name}`) ?? lineOf(change.what, change.after, model)
      );
    case "drop part":
      return lineOf(change.what, change.value, model);
    default:
      return undefined;
  }
}

/** The field that says a part, or that it has none, by itself. */
function lineOf(what: PartKind, part: Parts[PartKind], model: ModelFile["model"]): string | undefined {
  const columns = columnsOfPart(what, part);
  return columns.length === 1 ? model?.lines.get(columns[0]!) : undefined;
}

/** What the classes that are there should say now. */
function suggest(
  written: readonly ModelFile[],
  changes: readonly Change[],
  models: LoadedModels,
): Suggestion[] {
  const files = new Map(written.flatMap(({ model }) => (model ? [[model.table, model]] : [])));
  const entities = new Map(
    models.schema.tables.flatMap((table, at) => {
      const entity = models.entities[at];
      return entity ? [[addressOf(table), entity.name]] : [];
    }),
  );
  const byTable = new Map<string, string[]>();
  for (const change of changes) {
    const table = tableOf(change);
    if (table === undefined || change.kind === "add table") continue;
    const line = lineFor(change, files.get(table));
    const lines = byTable.get(table) ?? [];
    const said = line ?? sayChange(change);
    if (!lines.includes(said)) lines.push(said);
    byTable.set(table, lines);
  }
  return [...byTable].map(([table, lines]) => ({
    entity: entities.get(table) ?? table,
    lines: withListsTogether(lines),
  }));
}

/** What several lines say of one list of @Stored, as one line. */
function withListsTogether(lines: readonly string[]): string[] {
  const lists = new Map<string, string[]>();
  const list = (line: string) => /^(@Stored: \w+: )\[([^]*)\]$/.exec(line);
  for (const line of lines) {
    const [, start, items] = list(line) ?? [];
    if (start !== undefined) lists.set(start, [...(lists.get(start) ?? []), items!]);
  }
  const others = lines.filter(line => !list(line));
  return [...others, ...[...lists].map(([start, items]) => `${start}[${items.join(", ")}]`)];
}
