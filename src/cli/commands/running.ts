import type { Argv } from "yargs";
import type { Direction } from "../../core/direction.js";
import type { RanMigration } from "../../tasks/options.js";
import type { RunResult } from "../../tasks/run-migrations.js";
import type { CostReport } from "../../tasks/costs.js";
import { sayAbout, sayWaiting, sayWork } from "./say-costs.js";
import type { Session } from "../terminal/session.js";
import { colourSql } from "../words/sql-colours.js";

/** The options of commands that can take rows away. */
export interface LosingArgs {
  confirm?: string | undefined;
}

/** The options that let a run take rows or values away. */
export function losingOptions<T>(yargs: Argv<T>): Argv<T & LosingArgs> {
  return yargs.option("confirm", {
    type: "string",
    describe: "The name of a guarded target, when rows there may go",
    requiresArg: true,
  }) as Argv<T & LosingArgs>;
}

/** A line for each migration that ran. */
export function renderRan(ran: readonly RanMigration[], direction: Direction, session: Session): string[] {
  return ran.map(run => renderRun(run, direction, session));
}

/** One migration that ran, in which direction and how long that took. */
export function renderRun(
  { name, here, tookMs, goneOn }: RanMigration,
  direction: Direction,
  { colours }: Session,
): string {
  const arrow = direction === "forward" ? "→" : "←";
  const time = here ? `${Math.max(1, Math.round(tookMs))} ms` : "another process had run it already";
  const from = goneOn ? `, from statement ${goneOn.from} of ${goneOn.of} on` : "";
  return `${colours.green(arrow)} ${name}  ${colours.gray(`${time}${from}`)}`;
}

/** Scripts that are only shown, one after the other. */
export function renderScripts(scripts: NonNullable<RunResult["scripts"]>, { colours }: Session): string {
  return scripts
    .map(({ text, costs }) => colourSql([...costNotes(costs), text.trimEnd()].join("\n"), colours))
    .join("\n\n\n");
}

/** What takes long of a script, as comments before it. */
function costNotes({ statements, together }: CostReport): string[] {
  if (statements.length === 0) return [];
  const whole = together ? "; all that is locked stays so to the end" : "";
  return [
    `-- What takes long where there are many rows${whole}:`,
    ...statements.map(cost => {
      const [first = ""] = cost.sql.split("\n");
      const facts = [sayWork(cost), sayWaiting(cost), sayAbout(cost)].filter(Boolean).join(", ");
      return `--   ${cost.table}: ${facts} · ${first.length > 60 ? `${first.slice(0, 59)}…` : first}`;
    }),
    "",
  ];
}

/** How a database differs from what its migrations say, in lines; none where it does not. */
export function renderDrift(drift: readonly string[], { colours }: Session): string[] {
  if (drift.length === 0) return [];
  return [
    colours.red("The database now differs from what the migrations say; the script does something else:"),
    ...drift.map(line => `  ${line}`),
  ];
}
