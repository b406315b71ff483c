import { readFileSync } from "node:fs";
import { glob } from "tinyglobby";
import { dialects } from "../core/dialect/registry.js";
import { buildSchema, type ModelSchema } from "../core/model/build-schema.js";
import { describeEntities, type EntityDescription } from "../core/model/entities.js";
import type { Finding } from "../core/model/findings.js";
import { problems } from "../core/problems.js";
import { recordedDefinitions, storedClasses } from "../modelling/facts.js";
import { CompileError, loadModules } from "./compile.js";
import { dialectsInUse, type Settings } from "./settings.js";

export interface LoadedModels extends ModelSchema {
  readonly entities: readonly EntityDescription[];
  readonly files: readonly string[];
}

/**
 * Loads a project's models and works out the schema they describe. Findings know their file and line.
 * @throws Problem E200, E201, E202
 */
export async function loadModels(settings: Settings): Promise<LoadedModels> {
  const files = (await glob([...settings.models], { cwd: settings.folder, absolute: true })).sort();
  if (files.length === 0) throw problems.noModels({ patterns: settings.models });
  const known = new Set(storedClasses());
  const defined = recordedDefinitions().length;
  const modules = await loadOrExplain(files, settings);
  const fileOf = new Map(
    modules.flatMap((module, at) => Object.values(module).map(value => [value, files[at]!])),
  );
  const fresh = storedClasses().filter(cls => !known.has(cls));
  const byPlace = (cls: unknown) => files.indexOf(fileOf.get(cls) ?? "");
  const entities = describeEntities(fresh.sort((a, b) => byPlace(a) - byPlace(b)));
  if (entities.length === 0) throw problems.noModels({ patterns: settings.models });
  const model = buildSchema(
    entities,
    settings.naming,
    dialectsInUse(settings).map(name => dialects[name]),
    recordedDefinitions().slice(defined),
  );
  const placed = model.findings.map(finding => withPlace(finding, entities, fileOf));
  return { ...model, findings: placed, entities, files };
}

async function loadOrExplain(
  files: readonly string[],
  { folder }: Settings,
): Promise<Record<string, unknown>[]> {
  try {
    return await loadModules(files, folder);
  } catch (error) {
    if (error instanceof CompileError) {
      throw problems.unreadableModel(
        { file: error.file, ...(error.line && { line: error.line }), reason: error.reason },
        error,
      );
    }
    const { message, stack = "" } = error as Error;
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

/** Where in its file a finding is: the line that declares the property, or else the class. */
function withPlace(
  finding: Finding,
  entities: readonly EntityDescription[],
  fileOf: ReadonlyMap<unknown, string>,
): Finding {
  const entity = entities.find(({ name }) => name === finding.entity);
  const file = entity && fileOf.get(entity.cls);
  if (!file) return finding;
  const lines = readFileSync(file, "utf8").split("\n");
  const start = lines.findIndex(line => new RegExp(`\\bclass\\s+${entity.name}\\b`).test(line));
  const property = finding.property?.replaceAll("$", "\\$");
  const found =
    property === undefined
      ? -1
      : lines.findIndex(
          (line, at) => at > start && new RegExp(`(?:^|[\\s)])${property}\\s*[!?]?\\s*[:;=]`).test(line),
        );
  return { ...finding, file, line: (found >= 0 ? found : Math.max(start, 0)) + 1 };
}
