import type { Finding } from "../core/model/read/findings.js";
import { Problem } from "../core/problems.js";
import { adviseOnHistory } from "../core/model/advice/history.js";
import { readHistory } from "../history/read.js";
import { loadModels, type LoadedModels } from "../project/load-models.js";
import { loadSettings } from "../project/load-settings.js";
import type { TaskOptions } from "./options.js";
import { errorsEitherWay, startAfter } from "./way.js";

export interface CheckResult {
  readonly findings: readonly Finding[];
  readonly errors: number;
  readonly advice: number;
  /** What nobody need do anything about. */
  readonly notes: number;
  readonly entities: number;
  readonly tables: number;
  readonly files: number;
}

/** Reads the models and lists what is wrong or worth a thought. @throws Problem E101 to E103, E200 to E202 */
export async function check(options: TaskOptions): Promise<CheckResult> {
  const settings = await loadSettings(options.project ?? ".");
  const models = await loadModels(settings);
  const { schema, entities, files } = models;
  const findings = [...models.findings, ...historyAdvice(models, settings.migrations)];
  const count = (kind: Finding["severity"]) => findings.filter(({ severity }) => severity === kind).length;
  return {
    findings,
    errors: count("error"),
    advice: count("advice"),
    notes: count("note"),
    entities: entities.length,
    tables: schema.tables.length,
    files: files.length,
  };
}

/** Models can be read whatever has become of the migrations: those have commands of their own to tell. */
function historyAdvice(models: LoadedModels, folder: string): Finding[] {
  try {
    const { migrations } = readHistory(folder);
    const advice = adviseOnHistory(models, startAfter(migrations)).filter(
      ({ severity }) => severity === "advice",
    );
    return [...errorsEitherWay(models, migrations), ...advice].map(models.locate);
  } catch (error) {
    if (error instanceof Problem) return [];
    throw error;
  }
}
