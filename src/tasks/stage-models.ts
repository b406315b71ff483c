import { mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { glob } from "tinyglobby";
import type { ModelFile } from "../core/model/write/write-models.js";
import { problems } from "../core/problems.js";
import { loadModels, type LoadedModels } from "../project/load-models.js";
import { modelsFolder, type Settings } from "../project/settings.js";

interface Staged {
  /** The models' files, from the project's folder. */
  readonly files: readonly string[];
  /** Reads them as any project's models are read. @throws Problem E200 to E202 */
  readonly read: () => Promise<LoadedModels>;
  /** Moves them to where they belong. */
  readonly keep: () => void;
  readonly remove: () => void;
}

/**
 * Models are written aside and read back before any of them is taken for good.
 * @throws Problem E113 where the project's patterns would not find one
 */
export async function stageModels(files: readonly ModelFile[], settings: Settings): Promise<Staged> {
  const root = modelsFolder(settings);
  const folder = mkdtempSync(join(settings.folder, ".adopt-"));
  const pathOf = (file: ModelFile) => join(folder, relative(settings.folder, root), file.path);
  for (const file of files) {
    mkdirSync(dirname(pathOf(file)), { recursive: true });
    writeFileSync(pathOf(file), file.text);
  }
  const remove = () => rmSync(folder, { recursive: true, force: true });
  const names = files.map(({ path }) => join(relative(settings.folder, root), path));
  const found = await glob([...settings.models], { cwd: folder });
  const hidden = names.filter(name => !found.includes(name));
  if (hidden.length > 0) {
    remove();
    throw problems.hiddenModels({ files: hidden, patterns: settings.models });
  }
  return {
    files: names,
    read: () => loadModels({ ...settings, folder }),
    keep: () => {
      for (const file of files) {
        const to = join(root, file.path);
        mkdirSync(dirname(to), { recursive: true });
        renameSync(pathOf(file), to);
      }
    },
    remove,
  };
}
