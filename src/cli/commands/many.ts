import type { Argv } from "yargs";
import type { Direction } from "../../core/direction.js";
import type { ManyResult, Outcome } from "../../tasks/many.js";
import type { RunResult } from "../../tasks/run-migrations.js";
import { count } from "../terminal/layout.js";
import type { Session } from "../terminal/session.js";
import { wordsFor } from "../words/problems.js";

/** The options of commands that work on many databases. */
export interface ManyArgs {
  goOn?: boolean | undefined;
}

/** What becomes of the others where one of many fails. */
export function manyOptions<T>(yargs: Argv<T>): Argv<T & ManyArgs> {
  return yargs.option("go-on", {
    type: "boolean",
    describe: "Of a target that is many databases: go on with the others where one fails",
  }) as Argv<T & ManyArgs>;
}

/** What came of many databases: those that failed by reason, and one line for all. */
export function renderMany(
  { target, databases, done, failed, left }: ManyResult<RunResult>,
  direction: Direction,
  { colours }: Session,
): string {
  const ran = databases.flatMap(each => (each.state === "done" ? each.result.ran : []));
  const scripts = databases.find(each => each.state === "done" && (each.result.scripts?.length ?? 0) > 0);
  const drifted = databases.filter(each => each.state === "done" && each.result.drift.length > 0);
  const verb = direction === "forward" ? "ran" : "undone";
  const parts = [
    `${done} of ${count(databases.length, "database")} of ${target}: ${count(ran.length, "migration")} ${verb}`,
    ...(failed > 0 ? [colours.red(`${failed} failed`)] : []),
    ...(left > 0 ? [`${left} not begun`] : []),
  ];
  return [
    ...(scripts?.state === "done" && scripts.result.scripts
      ? [...scripts.result.scripts.map(({ text }) => text.trimEnd()), ""]
      : []),
    ...byReason(databases).flatMap(([{ code, what, repair }, names]) => [
      `${colours.red(code)} ${colours.bold(what)}`,
      `  ${colours.gray("on")}      ${names.join(", ")}`,
      ...(repair === undefined ? [] : [`  ${colours.gray("repair")}  ${repair}`]),
      "",
    ]),
    ...drifted.map(each =>
      colours.red(
        `${each.target} now differs from what the migrations say: emberset status --target ${each.target}`,
      ),
    ),
    parts.join(", "),
    ...(failed + left > 0
      ? [colours.gray("The same again does what is left: those that are done have nothing pending")]
      : []),
  ].join("\n");
}

interface Reason {
  readonly code: string;
  readonly what: string;
  readonly repair?: string | undefined;
}

/** The databases that failed, by what went wrong with them. */
function byReason(databases: readonly Outcome<unknown>[]): [Reason, string[]][] {
  const reasons = new Map<string, string[]>();
  for (const each of databases) {
    if (each.state !== "failed") continue;
    const { code } = each.problem;
    const { what, repair } = wordsFor(each.problem);
    // What is said of one by its name is said of all alike.
    const key = JSON.stringify({ code, what, repair }).replaceAll(each.target, EACH);
    reasons.set(key, [...(reasons.get(key) ?? []), each.target]);
  }
  return [...reasons].map(([key, names]) => {
    const said = names.length === 1 ? key.replaceAll(EACH, names[0]!) : key;
    return [JSON.parse(said) as Reason, names];
  });
}

const EACH = "(each)";
