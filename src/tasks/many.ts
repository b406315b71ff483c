import { Problem } from "../core/problems.js";
import type { Settings, TargetList, TargetSettings } from "../project/settings.js";
import { databasesOf } from "./databases.js";
import type { TaskOptions } from "./options.js";

export interface ManyOptions {
  /** Whether the others go on where one has failed; the canary must not fail. @default false */
  readonly goOn?: boolean | undefined;
}

/** What came of the databases of a list. */
export interface ManyResult<R> {
  readonly target: string;
  /** In the order of the list, the canary first. */
  readonly databases: readonly Outcome<R>[];
  readonly done: number;
  readonly failed: number;
  /** Those that were not begun any more. */
  readonly left: number;
}

/** What came of one of them. */
export type Outcome<R> = {
  /** `tenants/acme` */
  readonly target: string;
  /** The file, or the URL without its password. */
  readonly place: string;
} & (
  | { readonly state: "done"; readonly result: R; readonly tookMs: number }
  | { readonly state: "failed"; readonly problem: Problem; readonly tookMs: number }
  | { readonly state: "left" }
);

/** Whether what a task gave is of a list. */
export function isMany<R>(result: R | ManyResult<R>): result is ManyResult<R> {
  return typeof result === "object" && result !== null && "databases" in result;
}

/**
 * Does some work on each database of a list, several at once, the canary alone before all others. Where one fails, no
 * other is begun, unless they are to go on; what has begun comes to its end.
 * @throws what is no Problem, and Problem E128
 */
export async function overMany<R>(
  settings: Settings,
  list: TargetList,
  options: TaskOptions & ManyOptions,
  work: (target: TargetSettings) => Promise<R>,
): Promise<ManyResult<R>> {
  const targets = await databasesOf(settings, list, options);
  const outcomes = new Map<TargetSettings, Outcome<R>>();
  let isStopped = false;
  const one = async (target: TargetSettings) => {
    const outcome = await outcomeOf(target, work);
    outcomes.set(target, outcome);
    const place = { done: outcomes.size, of: targets.length };
    const facts = { target: target.name, state: outcome.state === "done" ? "done" : "failed" } as const;
    options.onEvent?.({ kind: "database done", ...facts, ...place, outcome });
    const isCanary = target === targets[0];
    if (outcome.state === "failed")
      isStopped ||= !options.goOn || isCanary || options.signal?.aborted === true;
  };
  const [canary, ...others] = targets;
  await one(canary!);
  const waiting = [...others];
  const worker = async () => {
    for (let next = waiting.shift(); next && !isStopped; next = waiting.shift()) await one(next);
  };
  await Promise.all(Array.from({ length: list.parallel }, worker));
  const databases = targets.map(
    (target): Outcome<R> =>
      outcomes.get(target) ?? { target: target.name, place: target.label, state: "left" },
  );
  const count = (state: string) => databases.filter(each => each.state === state).length;
  return {
    target: list.name,
    databases,
    done: count("done"),
    failed: count("failed"),
    left: count("left"),
  };
}

async function outcomeOf<R>(
  target: TargetSettings,
  work: (target: TargetSettings) => Promise<R>,
): Promise<Outcome<R>> {
  const facts = { target: target.name, place: target.label };
  const start = performance.now();
  try {
    const result = await work(target);
    return { ...facts, state: "done", result, tookMs: performance.now() - start };
  } catch (problem) {
    if (!(problem instanceof Problem)) throw problem;
    return { ...facts, state: "failed", problem, tookMs: performance.now() - start };
  }
}
