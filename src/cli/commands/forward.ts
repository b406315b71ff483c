import type { CommandModule } from "yargs";
import type { ForwardResult } from "../../tasks/forward.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { isMany } from "../../tasks/many.js";
import { manyOptions, renderMany, type ManyArgs } from "./many.js";
import { renderDrift, losingOptions, renderRan, renderScripts, type LosingArgs } from "./running.js";

interface Args extends GlobalArgs, LosingArgs, ManyArgs {
  target?: string | undefined;
  to?: number | undefined;
  show?: boolean | undefined;
  createDatabase?: boolean | undefined;
  createRoles?: boolean | undefined;
}

/** `emberset forward` */
export function forwardCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "forward",
    describe: "Run the pending migrations",
    builder: yargs =>
      manyOptions(losingOptions(yargs))
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .option("to", {
          type: "number",
          describe: "The last migration to run, by its number",
          requiresArg: true,
        })
        .option("create-roles", {
          type: "boolean",
          describe: "Make the roles that the server does not have yet, without a login",
        })
        .option("create-database", {
          type: "boolean",
          describe: "Make the database where a server does not have it yet",
        })
        .option("show", { type: "boolean", describe: "Print the SQL and run nothing" })
        .check(
          ({ to }) =>
            to === undefined || (Number.isInteger(to) && to >= 0) || "--to must be a migration's number",
        )
        .example("$0 forward --show", "Read what would run")
        .example("$0 forward --target live", "Run on the target live"),
    handler: async args => {
      const { target, to, show, createDatabase, createRoles, goOn } = args;
      const options = {
        ...session.taskOptions(args),
        target,
        to,
        show,
        createDatabase,
        createRoles,
        mayLose: session.mayLose(args),
      };
      const { forwardAll } = await import("../../tasks/forward.js");
      const result = await forwardAll({ ...options, goOn });
      if (isMany(result)) session.many(result, shown => renderMany(shown, "forward", session));
      else session[show ? "raw" : "result"](result, shown => render(shown, session));
    },
  };
}

function render(result: ForwardResult, session: Session): string {
  const { colours } = session;
  const { target, ran, left, scripts } = result;
  if (scripts)
    return scripts.length > 0 ? renderScripts(scripts, session) : `-- nothing is pending on ${target}`;
  const undone = renderRan(result.undone ?? [], "back", session);
  if (ran.length === 0 && undone.length === 0)
    return left > 0
      ? `Nothing to run up to there; ${count(left, "migration")} pending.`
      : `${colours.green("✓")} Nothing is pending on ${target}.`;
  const rest = left > 0 ? `, ${left} still pending` : "";
  return [
    ...undone,
    ...renderRan(ran, "forward", session),
    `${count(ran.filter(({ here }) => here).length, "migration")} ran on ${target}${rest}.`,
    ...renderDrift(result.drift, session),
    "",
    colours.gray("Next: emberset describe"),
  ].join("\n");
}
