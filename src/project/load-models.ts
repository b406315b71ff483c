import { readFileSync } from "node:fs";
import { buildSchema } from "../core/model/build-schema.js";
import type { ModelSchema } from "../core/model/read/model-schema.js";
import { describeEntities } from "../core/model/read/entities.js";
import type { EntityDescription } from "../core/model/read/descriptions.js";
import { writtenProperties } from "../core/model/read/written-properties.js";
import type { Finding } from "../core/model/read/findings.js";
import { readObjects, type ObjectFile } from "../core/model/read/objects.js";
import { Problem, problems } from "../core/problems.js";
import { recordedDefinitions, storedClasses } from "../modelling/facts.js";
import { CompileError, loadModules } from "./compile.js";
import { filesLike } from "./files-like.js";
import { dialectsInUse, type Settings } from "./settings.js";
import { openSourceCache } from "./source-cache.js";
import { openSources } from "./sources.js";
import { zip } from "../core/lists.js";
import { messageOf, textOf } from "../core/errors.js";

export interface LoadedModels extends ModelSchema {
  readonly entities: readonly EntityDescription[];
  readonly files: readonly string[];
  /** A finding with its file and line. */
  readonly locate: (finding: Finding) => Finding;
  /** The file an entity's class is in, where that is known. */
  readonly fileOf: (entity: EntityDescription) => string | undefined;
}

/**
 * Loads a project's models and works out the schema they describe. Findings know their file and line.
 * @throws Problem E200, E201, E202
 */
export async function loadModels(settings: Settings): Promise<LoadedModels> {
  const files = await filesLike(settings.models, settings.folder);
  if (files.length === 0) throw problems.noModels({ patterns: settings.models });
  const known = new Set(storedClasses());
  const defined = recordedDefinitions().length;
  const modules = await loadOrExplain(files, settings);
  const fileOf = new Map(
    zip(modules, files).flatMap(([module, file]) => Object.values(module).map(value => [value, file])),
  );
  const fresh = storedClasses().filter(cls => !known.has(cls));
  const cache = openSourceCache(settings.folder);
  const sources = openSources(fileOf, cache);
  const byPlace = (cls: unknown) => files.indexOf(fileOf.get(cls) ?? "");
  const entities = describeEntities(
    fresh.sort((a, b) => byPlace(a) - byPlace(b)),
    cls => sources.written(cls) ?? writtenProperties(cls),
  );
  if (entities.length === 0) throw problems.noModels({ patterns: settings.models });
  const dialects = dialectsInUse(settings);
  const written = readObjects(await objectFiles(settings), dialects);
  const model = buildSchema(entities, settings.naming, dialects, {
    definitions: recordedDefinitions().slice(defined),
    objects: written.objects,
    declared: sources.declared,
    roles: { known: settings.roles, usual: settings.grants },
  });
  const locate = (finding: Finding): Finding => {
    if (finding.file !== undefined) return finding;
    const entity = entities.find(({ name }) => name === finding.entity);
    return { ...finding, ...(entity && sources.locationOf(entity, finding.property)) };
  };
  const findings = [...model.findings.map(locate), ...written.findings];
  cache.keep();
  return {
    ...model,
    findings,
    entities,
    files,
    locate,
    fileOf: entity => sources.locationOf(entity, undefined)?.file,
  };
}

/** The files with SQL of the developer's own. @throws Problem E200 */
async function objectFiles({ folder, objects }: Settings): Promise<ObjectFile[]> {
  const paths = await filesLike(objects, folder);
  return paths.map(path => {
    try {
      return { path, text: readFileSync(path, "utf8") };
    } catch (error) {
      throw problems.unreadableModel({ file: path, reason: messageOf(error) }, error);
    }
  });
}

async function loadOrExplain(
  files: readonly string[],
  { folder }: Settings,
): Promise<Record<string, unknown>[]> {
  try {
    return await loadModules(files, folder);
  } catch (error) {
    if (error instanceof Problem) throw error;
    if (error instanceof CompileError) {
      throw problems.unreadableModel(
        { file: error.file, ...(error.line && { line: error.line }), reason: error.reason },
        error,
      );
    }
    const message = messageOf(error);
    const stack = textOf(error, "stack");
    const at = files
      .map(file => ({
        file,
        line: new RegExp(`${file.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}:(\\d+)`).exec(stack)?.[1],
      }))
      .find(({ line }) => line !== undefined);
    throw problems.failingModel(
      { file: at?.file ?? folder, ...(at && { line: Number(at.line) }), reason: message },
      error,
    );
  }
}
