import type { Replacement } from "../../change/loss.js";
import { BECAME, copySql, keptWhile, listOf, type AtticSyntax } from "./attic.js";
import type { Kept, KeptBesideKey, KeptColumns, KeptValues } from "./kept.js";
import type { Block, RenderPlan } from "./render-plan.js";

/** Values that are kept while others write: where rows lack one and get it, by what gives it to them, each with its row. */
export function keptByFilling(plan: RenderPlan): KeptValues[] {
  return keptByTrigger(plan, ["fill"]);
}

/** All values that triggers keep, of those that give rows a value too. */
export function keptByTriggers(
  plan: RenderPlan,
  { byTrigger = [] }: Pick<AtticSyntax, "byTrigger">,
): KeptValues[] {
  return keptByTrigger(plan, ["fill", ...byTrigger]);
}

/** Triggers know names as they are: none of these may change. */
function keptByTrigger(plan: RenderPlan, by: readonly (Replacement | "columns")[]): KeptValues[] {
  if (!plan.online) return [];
  return keptWhile(plan, "forward").filter(
    (kept): kept is KeptValues =>
      kept.kind === "values" &&
      by.includes(kept.by) &&
      kept.change.before.name === kept.change.after.name &&
      isToldAtOnce(kept) &&
      kept.key.every(({ was, now, retyped }) => was === now && !retyped),
  );
}

/** Columns that go, and that a trigger keeps until they do. */
export function keptColumnsByTrigger(
  plan: RenderPlan,
  { byTrigger = [] }: Pick<AtticSyntax, "byTrigger">,
): KeptColumns[] {
  if (!plan.online || !byTrigger.includes("columns")) return [];
  return keptWhile(plan, "forward").filter(
    (kept): kept is KeptColumns => kept.kind === "columns" && isToldAtOnce(kept),
  );
}

/** Whether a row is told by what it holds all the while, and not at the end of a transaction alone. */
function isToldAtOnce({ table, key }: KeptBesideKey): boolean {
  const waits = [...(table.key ? [table.key] : []), ...table.uniques].some(
    ({ columns, deferrable }) =>
      deferrable !== undefined &&
      columns.length === key.length &&
      key.every(({ was }) => columns.includes(was)),
  );
  return key.length > 0 && !waits && key.every(({ number }) => !number);
}

/** A plan with no more in the attic than what is kept under a lock. */
export function keptUnderLock(plan: RenderPlan, syntax: Pick<AtticSyntax, "byTrigger">): RenderPlan {
  const filled: readonly Kept[] = [...keptByTriggers(plan, syntax), ...keptColumnsByTrigger(plan, syntax)];
  if (!plan.attic || filled.length === 0) return plan;
  return { ...plan, attic: { ...plan.attic, kept: plan.attic.kept.filter(each => !filled.includes(each)) } };
}

/** The tables for what is kept so. @param tableOf how a table is called by then */
export function roomForTriggers(
  plan: RenderPlan,
  syntax: AtticSyntax,
  tableOf: (kept: KeptValues) => string,
): Block[] {
  const { table, quote, typeOf } = syntax;
  return keptByTriggers(plan, syntax).map(kept => ({
    title: `make room for ${listOf(kept)} in the attic`,
    statements: [
      `CREATE TABLE ${table(kept.address)} AS ${copySql({ ...kept, only: false }, tableOf(kept), syntax)} LIMIT 0`,
      `ALTER TABLE ${table(kept.address)} ADD COLUMN ${quote(BECAME)} ${typeOf(kept.change.after)}`,
    ],
  }));
}

/** For the trigger that fills: what a row was told by, that it lacked a value, and which it has now. */
export function keepFilledSql(
  { address, key, columns }: KeptValues,
  now: string,
  syntax: AtticSyntax,
): string {
  const { table, quote } = syntax;
  const names = [...key.map(({ was }) => was), ...columns.map(({ name }) => name), BECAME].map(quote);
  const values = [...key.map(each => `OLD.${quote(each.now)}`), "NULL", `NEW.${quote(now)}`];
  return `INSERT INTO ${table(address)} (${names.join(", ")}) VALUES (${values.join(", ")})`;
}
