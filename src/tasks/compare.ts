import { risks, type RiskLevel } from "../core/change/risk.js";
import { isOfDefinition, tableOf, type Change, type DefinitionChange } from "../core/change/types.js";
import { isObject } from "../core/schema/types.js";
import { describeChange, describeDifference, describeWithin } from "../core/change/words.js";
import { widens } from "../core/dialect/registry.js";
import { asOnline } from "../core/plan/online.js";
import { planFor } from "../core/plan/plan.js";
import type { Probe } from "../core/plan/probe.js";
import { probes } from "../core/plan/probes.js";
import { sameSchema } from "../core/schema/canonical.js";
import { runProbes, type Example } from "../database/count-rows.js";
import { withExistingDatabase } from "../database/open.js";
import { showNumber } from "../history/migration.js";
import { costsOf, costsOn, type CostReport } from "./costs.js";
import { oneTarget } from "./databases.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { dialectOf } from "../project/settings.js";
import { isToBeOnline } from "./drafted-online.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { changesBetween, readPoint, type Point } from "./points.js";
import { readState } from "./state.js";

export interface CompareOptions extends TargetOptions {
  /** @default "history" */
  readonly from?: string | undefined;
  /** @default "models" */
  readonly to?: string | undefined;
}

export interface CompareResult {
  readonly from: string;
  readonly to: string;
  readonly changes: readonly ComparedChange[];
  readonly counts: Readonly<Record<RiskLevel, number>>;
  /** What the target's rows say; undefined when it is not at the point compared from. */
  readonly rows?: RowReport;
  /** What takes as long as a table has rows, on the target's kind of database; undefined where nothing is drafted from these points. */
  readonly costs?: CostReport;
}

export interface ComparedChange {
  readonly change: Change;
  /** `add column pieces.weight` */
  readonly words: string;
  /** The table it is about, by its name after all changes. */
  readonly table?: string;
  /** The same within its table: `add column weight` */
  readonly within: string;
  /** `integer, may be null`; of what is altered only what differs. */
  readonly detail: string;
  readonly risk: RiskLevel;
  readonly reason?: string;
}

export interface RowReport {
  readonly target: string;
  readonly found: readonly {
    readonly question: string;
    readonly count: number;
    readonly meaning: Probe["meaning"];
    /** Some of them. */
    readonly examples: readonly Example[];
    /** What shows all of them, as SQL. */
    readonly query?: string;
  }[];
}

/** What differs between two points, how risky it is, and which rows are concerned. @throws Problem E106, E203 */
export async function compare({
  from = "history",
  to = "models",
  ...options
}: CompareOptions): Promise<CompareResult> {
  const project = await openProject(options);
  const [start, end] = [await readPoint(project, from, options), await readPoint(project, to, options)];
  const changes = changesBetween(project.history(), start, end);
  const { keepDropped } = project.settings;
  const compared = withRisks(changes, keepDropped);
  const live = start.live ?? end.live;
  const asked = changes.length > 0 && !live ? await askTarget(project, start, changes, options) : {};
  return {
    from: start.name,
    to: end.name,
    changes: compared,
    counts: countRisks(compared),
    ...asked,
  };
}

/** Changes with their words and their risks; `keep`: what they take away goes into the attic. */
export function withRisks(changes: readonly Change[], keep: boolean): ComparedChange[] {
  const found = risks(changes, { keep, widens });
  return changes.map((change, at) => {
    const { level, reason } = found[at]!;
    const table = called(isOfDefinition(change) ? standsOn(change) : tableOf(change), changes);
    return {
      change,
      words: describeChange(change),
      detail: describeDifference(change),
      within: describeWithin(change),
      ...(table !== undefined && { table }),
      risk: level,
      ...(reason !== undefined && { reason }),
    };
  });
}

/** What a trigger or a policy stands on. */
function standsOn(change: DefinitionChange): string | undefined {
  const definition = "after" in change ? change.after : change.definition;
  return isObject(definition) ? definition.on : undefined;
}

/** A table by the name it has after all changes. */
function called(table: string | undefined, changes: readonly Change[]): string | undefined {
  const renamed = changes.find(change => change.kind === "rename table" && change.from === table);
  return renamed?.kind === "rename table" ? renamed.to : table;
}

function countRisks(changes: readonly ComparedChange[]): Record<RiskLevel, number> {
  const counts: Record<RiskLevel, number> = { safe: 0, kept: 0, "rows may refuse": 0, "loses data": 0 };
  for (const { risk } of changes) counts[risk] += 1;
  return counts;
}

/** Only a database that stands at the point compared from can tell which rows are concerned, and how many there are. */
async function askTarget(
  project: OpenProject,
  start: Point,
  changes: readonly Change[],
  options: TargetOptions,
): Promise<Pick<CompareResult, "rows" | "costs">> {
  const target = await oneTarget(project.settings, options.target, options, true);
  const dialect = dialectOf(target);
  const keeping = project.settings.keepDropped
    ? ({
        number: showNumber((project.history().migrations.at(-1)?.number ?? 0) + 1),
        direction: "forward",
      } as const)
    : undefined;
  const planOn = (each: Dialect) => planFor(each, start.schema, changes, keeping);
  const whole = planOn(dialect);
  // As it would be drafted.
  const plan = isToBeOnline(project, planOn) ? asOnline(whole, dialect) : whole;
  const asked = await withExistingDatabase(
    target,
    { mode: "read", ...watched(options, target) },
    async database => {
      const state = await readState(database, project.history());
      if (!state.schema || !sameSchema(state.schema, start.schema)) return undefined;
      const results = await runProbes(database, probes(plan, dialect));
      const found = results.map(({ question, count, meaning, examples = [], sight }) => ({
        ...{ question, count, meaning, examples },
        ...(sight && { query: sight.sql }),
      }));
      return { rows: { target: target.name, found }, costs: await costsOn(database, plan) };
    },
  );
  return asked ?? { costs: costsOf(plan, dialect) };
}
