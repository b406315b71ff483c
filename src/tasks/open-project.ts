import type { Dialect } from "../core/dialect/dialect.js";
import { problems } from "../core/problems.js";
import { readHistory, type History } from "../history/read.js";
import { loadModels, type LoadedModels } from "../project/load-models.js";
import { loadSettings } from "../project/load-settings.js";
import { dialectsInUse, type Settings } from "../project/settings.js";
import type { TaskOptions } from "./options.js";
import { sayFinding } from "./say-finding.js";

export interface OpenProject {
  readonly settings: Settings;
  readonly dialects: readonly Dialect[];
  readonly history: () => History;
  /** @throws Problem E203 when the models have an error */
  readonly soundModels: () => Promise<LoadedModels>;
}

/** The project a folder belongs to; history and models are read when asked for. */
export async function openProject({ project = "." }: TaskOptions): Promise<OpenProject> {
  const settings = await loadSettings(project);
  return {
    settings,
    dialects: dialectsInUse(settings),
    history: () => readHistory(settings.migrations),
    soundModels: async () => {
      const models = await loadModels(settings);
      const errors = models.findings.filter(({ severity }) => severity === "error");
      if (errors.length > 0) throw problems.wrongModels({ findings: errors.map(sayFinding) });
      return models;
    },
  };
}
