import type { Dialect } from "../dialect/shared/dialect.js";
import type { Hindrance, RenderPlan } from "../dialect/shared/render-plan.js";

/** What of a plan cannot be done while others write; none where all can, or where a dialect knows one writer only. */
export function hindrancesOf(plan: RenderPlan, { render }: Dialect): readonly Hindrance[] {
  return render.online?.hindrances(plan) ?? [];
}

/** A plan as it is carried out while others write; as it was where not all of it can be. */
export function asOnline(plan: RenderPlan, dialect: Dialect): RenderPlan {
  const may = dialect.render.online && hindrancesOf(plan, dialect).length === 0;
  return may ? { ...plan, online: true } : plan;
}

/** Whether rows get values in pieces, as far as the whole can be done while others write. */
export function goesInPieces(plan: RenderPlan, dialect: Dialect): boolean {
  const { online, blocks } = dialect.render;
  const asSteps = asOnline(plan, dialect);
  const isFill = (sql: string) => online?.fills(sql) !== undefined;
  return asSteps.online === true && blocks(asSteps).some(({ statements }) => statements.some(isFill));
}
