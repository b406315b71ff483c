import type { Finding } from "../core/model/findings.js";
import { loadModels } from "../project/load-models.js";
import { loadSettings } from "../project/load-settings.js";
import type { TaskOptions } from "./options.js";

export interface CheckResult {
  readonly findings: readonly Finding[];
  readonly errors: number;
  readonly advice: number;
  readonly entities: number;
  readonly tables: number;
  readonly files: number;
}

/** Reads the models and lists what is wrong or worth a thought. @throws Problem E101 to E103, E200 to E202 */
export async function check(options: TaskOptions): Promise<CheckResult> {
  const { findings, schema, entities, files } = await loadModels(await loadSettings(options.project ?? "."));
  const errors = findings.filter(({ severity }) => severity === "error").length;
  return {
    findings,
    errors,
    advice: findings.length - errors,
    entities: entities.length,
    tables: schema.tables.length,
    files: files.length,
  };
}
