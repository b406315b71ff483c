import { existsSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { isOfDefinition, tableOf, type Change } from "../core/change/types.js";
import { sayChange } from "../core/change/words.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { writeModels, type ModelFile } from "../core/model/write/write-models.js";
import { addressOf } from "../core/schema/address.js";
import { partKey } from "../core/schema/canonical.js";
import { columnsOfPart } from "../core/schema/lookups.js";
import { definitionKey, isObject, type Schema, type PartKind, type Parts } from "../core/schema/types.js";
import { textFor } from "../core/sql/placeholders.js";
import type { LoadedModels } from "../project/load-models.js";
import { modelsFolder } from "../project/settings.js";
import type { OpenProject } from "./open-project.js";
import { stageModels } from "./stage-models.js";

export interface Suggestion {
  /** The class, and its file from the project's folder. */
  readonly entity: string;
  readonly file?: string;
  /** Lines of a class, or words where there is no line to give. */
  readonly lines: readonly string[];
}

/** The classes that are there, and the dialect of the database of which they are to say more. */
export interface ThereClasses {
  readonly project: OpenProject;
  readonly dialect: Dialect;
  readonly models: LoadedModels;
}

/** The schema of the classes that would be written for all of it, each in a file of its own. */
export async function readAsWritten(classes: ThereClasses, after: Schema): Promise<Schema> {
  const files = filesOf(classes, after, (_, at) => `class-${at}.ts`);
  const staged = await stageModels(files, { ...classes.project.settings, models: ["**/*.ts"] });
  try {
    return (await staged.read()).schema;
  } finally {
    staged.remove();
  }
}

/** What models say of a schema, in which the classes that are there are called as they are. */
function filesOf(
  { project: { settings }, dialect, models }: ThereClasses,
  after: Schema,
  pathOf = (file: string, _at: number) => relative(modelsFolder(settings), file),
): ModelFile[] {
  const there = new Map(
    models.entities.flatMap((entity, at) => {
      const { file } = models.locate({ ...NO_FINDING, entity: entity.name });
      const path = file === undefined ? undefined : pathOf(file, at);
      return path === undefined
        ? []
        : [[models.resolver.address(entity), { name: entity.name, path }] as const];
    }),
  );
  return writeModels(after, { dialect, naming: settings.naming, usual: settings.grants, there });
}

const NO_FINDING = { code: "", severity: "advice", what: "", remedy: "" } as const;

export interface WrittenFile {
  readonly path: string;
  readonly text: string;
}

/**
 * Writes the new classes and reads all models with them before anything is recorded: what does not load is taken away
 * again. @throws Problem E203
 */
export async function writeNewModels(classes: ThereClasses, taken: Schema, came: readonly Change[]) {
  const { project, models } = classes;
  const files = filesOf(classes, taken);
  const found = newModels(project, files, came);
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
  return { files: found, suggestions: [...suggest(files, came, models), ...suggestFiles(classes, came)] };
}

/** Takes them away again. */
export function removeFiles(files: readonly WrittenFile[]): void {
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
function lineFor(change: Change, model: ModelFile["model"], came: ReadonlySet<string>): string | undefined {
  switch (change.kind) {
    case "add column":
      return model?.lines.get(change.column.name);
    case "alter column":
      return model?.lines.get(change.after.name);
    case "add part":
      return lineOfPart(change.what, change.value, model, came);
    case "alter part":
      return lineOfPart(change.what, change.after, model, came);
    case "drop part":
      return lineOf(change.what, change.value, model);
    default:
      return undefined;
  }
}

/** What says a part: the field that brings it, where the field is new; else `@Stored`, where it can. */
function lineOfPart(
  what: PartKind,
  part: Parts[PartKind],
  model: ModelFile["model"],
  came: ReadonlySet<string>,
): string | undefined {
  const key = partKey(what, part);
  const byField = lineOf(what, part, model);
  if (model?.byField.has(key) && columnsOfPart(what, part).every(name => came.has(name))) return byField;
  return model?.parts.get(key) ?? byField;
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
    const ofRows = tableOfRows(change);
    const table = ofRows ?? tableOf(change);
    if (table === undefined || change.kind === "add table") continue;
    const file = files.get(table);
    const line =
      ofRows === undefined
        ? lineFor(change, file, columnsThatCome(changes, table))
        : (file?.rows ?? (file && "@Stored: rows: {}"));
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

/** Whose rows a change is about: what policies say stands with the table. */
function tableOfRows(change: Change): string | undefined {
  if (!isOfDefinition(change)) return undefined;
  const { kind, ...definition } = change.kind === "alter definition" ? change.after : change.definition;
  return kind === "policy" && "on" in definition ? definition.on : undefined;
}

/** What files of objects should say now. */
function suggestFiles(
  { project: { settings }, dialect, models }: ThereClasses,
  changes: readonly Change[],
): Suggestion[] {
  return changes.flatMap((change): Suggestion[] => {
    if (!isOfDefinition(change) || change.kind === "add definition") return [];
    const object = change.kind === "alter definition" ? change.after : change.definition;
    if (!isObject(object) || object.kind === "policy") return [];
    const key = definitionKey(object);
    const known = models.objects.find(({ definition }) => definitionKey(definition) === key);
    const path = [...(known?.files.values() ?? [])].map(each => relative(settings.folder, each.path));
    if (change.kind === "drop definition")
      return [{ entity: path.join(", "), lines: ["nothing: it is gone"] }];
    const own = `.${dialect.name}.sql`;
    const file =
      path.find(each => each.endsWith(own)) ?? `${(path[0] ?? object.name).replace(/\.sql$/, "")}${own}`;
    return [{ entity: file, lines: [`${textFor(object.sql, dialect.name) ?? ""};`] }];
  });
}

function columnsThatCome(changes: readonly Change[], table: string): Set<string> {
  return new Set(
    changes.flatMap(change =>
      change.kind === "add column" && change.table === table ? [change.column.name] : [],
    ),
  );
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
