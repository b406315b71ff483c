import type { CommandModule } from "yargs";
import type { BackResult } from "../../tasks/back.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { isMany } from "../../tasks/many.js";
import { manyOptions, renderMany, type ManyArgs } from "./many.js";
import { renderDrift, losingOptions, renderRan, renderScripts, type LosingArgs } from "./running.js";

interface Args extends GlobalArgs, LosingArgs, ManyArgs {
  target?: string | undefined;
  count?: number | undefined;
  to?: number | undefined;
  show?: boolean | undefined;
  baseline?: boolean | undefined;
}

/** `emberset back` */
export function backCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "back",
    describe: "Undo the newest migrations",
    builder: yargs =>
      manyOptions(losingOptions(yargs))
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .option("count", {
          type: "number",
          describe: "How many; one when left out",
          requiresArg: true,
          conflicts: "to",
        })
        .option("to", {
          type: "number",
          describe: "The migration to go back to, which stays; 0 undoes all",
          requiresArg: true,
        })
        .option("baseline", {
          type: "boolean",
          describe: "Undo a baseline too: drops what was there before it was adopted",
        })
        .option("show", { type: "boolean", describe: "Print the SQL and run nothing" })
        .check(
          ({ count: number }) =>
            number === undefined ||
            (Number.isInteger(number) && number > 0) ||
            "--count must be a whole number above 0",
        )
        .check(
          ({ to }) =>
            to === undefined || (Number.isInteger(to) && to >= 0) || "--to must be a migration's number",
        )
        .example("$0 back", "Undo the newest migration")
        .example("$0 back --to 0", "Undo all"),
    handler: async args => {
      const { target, count: number, to, show, baseline, goOn } = args;
      const options = {
        ...session.taskOptions(args),
        target,
        count: number,
        to,
        show,
        baseline,
        mayLose: session.mayLose(args),
      };
      const { backAll } = await import("../../tasks/back.js");
      const result = await backAll({ ...options, goOn });
      if (isMany(result)) session.many(result, shown => renderMany(shown, "back", session));
      else session[show ? "raw" : "result"](result, shown => render(shown, session));
    },
  };
}

function render(result: BackResult, session: Session): string {
  const { target, ran, scripts, editedBack } = result;
  if (scripts) return renderScripts(scripts, session);
  if (ran.length === 0) return `Nothing to undo: ${target} is there already.`;
  return [
    ...editedBack.map(name =>
      session.colours.yellow(`The back script of ${name} was edited after it ran; it was run as it is now.`),
    ),
    ...renderRan(result.goneOn, "forward", session),
    ...renderRan(ran, "back", session),
    `${count(ran.filter(({ here }) => here).length, "migration")} undone on ${target}.`,
    ...renderDrift(result.drift, session),
  ].join("\n");
}
