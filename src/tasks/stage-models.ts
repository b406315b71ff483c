import { mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import type { ModelFile } from "../core/model/write/write-models.js";
import { problems } from "../core/problems.js";
import { filesLike } from "../project/files-like.js";
import { loadModels, type LoadedModels } from "../project/load-models.js";
import { modelsFolder, objectsFolder, type Settings } from "../project/settings.js";

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
 * Models, and files of objects, are written aside and read back before any of them is taken for good.
 * @throws Problem E113 where the project's patterns would not find one
 */
export async function stageModels(
  models: readonly ModelFile[],
  settings: Settings,
  objects: readonly Pick<ModelFile, "path" | "text">[] = [],
): Promise<Staged> {
  const within = (root: string, { path, text }: Pick<ModelFile, "path" | "text">) => ({
    name: join(relative(settings.folder, root), path),
    text,
  });
  const files = [
    ...models.map(file => within(modelsFolder(settings), file)),
    ...objects.map(file => within(objectsFolder(settings), file)),
  ];
  const folder = mkdtempSync(join(settings.folder, ".adopt-"));
  for (const { name, text } of files) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  const remove = () => rmSync(folder, { recursive: true, force: true });
  const names = files.map(({ name }) => name);
  const found = [
    ...(await filesLike(settings.models, folder)),
    ...(await filesLike(settings.objects, folder)),
  ].map(path => relative(folder, path));
  const hidden = names.filter(name => !found.includes(name));
  if (hidden.length > 0) {
    remove();
    throw problems.hiddenModels({ files: hidden, patterns: [...settings.models, ...settings.objects] });
  }
  return {
    files: names,
    read: () => loadModels({ ...settings, folder }),
    keep: () => {
      for (const { name } of files) {
        const to = join(settings.folder, name);
        mkdirSync(dirname(to), { recursive: true });
        renameSync(join(folder, name), to);
      }
    },
    remove,
  };
}
