import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { RenderPlan } from "../core/dialect/shared/render-plan.js";
import { goesInPieces } from "../core/plan/online.js";
import type { OpenProject } from "./open-project.js";

/**
 * Whether a draft is to run while others write, as the targets say: all of them, or those in which rows get values.
 * @param planOn what it is to a dialect
 */
export function isToBeOnline(
  { settings, dialects }: Pick<OpenProject, "settings" | "dialects">,
  planOn: (dialect: Dialect) => RenderPlan,
): boolean {
  return (
    settings.online.length > 0 ||
    dialects.some(dialect => isAmong(settings.batches, dialect) && goesInPieces(planOn(dialect), dialect))
  );
}

/** Whether a dialect is one of some, by name. */
export function isAmong(names: readonly string[], { name }: Dialect): boolean {
  return names.includes(name);
}
