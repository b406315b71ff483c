import { lossesOf, madeBy } from "../change/loss.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import type { RenderPlan } from "../dialect/shared/render-plan.js";
import { addressOf } from "../schema/address.js";
import { losesNothingOn } from "./kept.js";

/** Tables and columns, as they are called before a forward plan, whose values going back cannot bring again. */
export function excusedBack(plan: RenderPlan, dialect: Dialect): string[] {
  const restored = new Set(
    (plan.attic?.kept ?? []).flatMap(kept => {
      const address = addressOf(kept.table);
      if (kept.kind === "table") return [address];
      return kept.key.length === 0 ? [] : kept.columns.map(({ name }) => `${address}.${name}`);
    }),
  );
  return lossesOf(plan.changes, losesNothingOn(dialect))
    .map(({ thing }) => thing)
    .filter(thing => !restored.has(thing));
}

/** Tables and columns, as they are called after it, whose values it makes anew when it runs again: random keys, moments. */
export function excusedAgain({ changes }: RenderPlan): string[] {
  return madeBy(changes);
}
