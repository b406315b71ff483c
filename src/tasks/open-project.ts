import type { Dialect } from "../core/dialect/shared/dialect.js";
import { Problem, problems } from "../core/problems.js";
import { readHistory, readTornHistory, type History, type TornHistory } from "../history/read.js";
import { loadModels, type LoadedModels } from "../project/load-models.js";
import { loadSettings } from "../project/load-settings.js";
import { dialectsInUse, type Settings } from "../project/settings.js";
import type { TaskOptions } from "./options.js";
import { refuseErrors } from "./way.js";

export interface OpenProject {
  readonly settings: Settings;
  readonly dialects: readonly Dialect[];
  readonly history: () => History;
  /** The same where two migrations may have one number. */
  readonly tornHistory: () => TornHistory;
  /** @throws Problem E203 when the models have an error */
  readonly soundModels: () => Promise<LoadedModels>;
  /** The same, where there are models and none has an error. */
  readonly modelsIfSound: () => Promise<LoadedModels | undefined>;
}

/** The project a folder belongs to; history and models are read when asked for. */
export async function openProject({ project = "." }: TaskOptions): Promise<OpenProject> {
  const settings = await loadSettings(project);
  return {
    settings,
    dialects: dialectsInUse(settings),
    history: () => readHistory(settings.migrations),
    tornHistory: () => readTornHistory(settings.migrations),
    soundModels: () => loadSound(settings),
    modelsIfSound: () => loadSound(settings).catch(noModels),
  };
}

async function loadSound(settings: Settings): Promise<LoadedModels> {
  const models = await loadModels(settings);
  refuseErrors(models.findings);
  return models;
}

const MODEL_CODES: readonly string[] = [
  problems.noModels,
  problems.unreadableModel,
  problems.failingModel,
  problems.wrongModels,
].map(({ code }) => code);

/** What is wrong with the models is for the one who checks them; anything else is still thrown. */
function noModels(error: unknown): undefined {
  if (error instanceof Problem && MODEL_CODES.includes(error.code)) return undefined;
  throw error;
}
