import type { CommandModule } from "yargs";
import type { RebuildResult } from "../../tasks/rebuild.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { renderDrift, renderRan } from "./running.js";

interface Args extends GlobalArgs {
  target?: string | undefined;
  createDatabase?: boolean | undefined;
}

/** `emberset rebuild` */
export function rebuildCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "rebuild",
    describe: "Empty a scratch-pad database and run everything again, after showing what would go",
    builder: yargs =>
      yargs
        .option("target", {
          type: "string",
          describe: "Which database; home when left out. Never a guarded one",
          requiresArg: true,
        })
        .option("create-database", {
          type: "boolean",
          describe: "Make the database where a server does not have it yet",
        })
        .example("$0 rebuild", "See what would go, and be asked"),
    handler: async args => {
      const { rebuild } = await import("../../tasks/rebuild.js");
      const { target, createDatabase } = args;
      const result = await rebuild({
        ...session.taskOptions(args),
        ...{ target, createDatabase },
        mayLose: session.mayLose(args),
      });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render({ target, gone, ran, drift }: RebuildResult, session: Session): string {
  const { colours } = session;
  return [
    ...(gone.length > 0 ? ["Gone:", ...gone.map(line => `  ${line}`), ""] : []),
    ...renderRan(ran, "forward", session),
    ran.length > 0
      ? `${target} is built again: ${count(ran.length, "migration")} ran.`
      : `${target} is empty: there are no migrations to run.`,
    ...renderDrift(drift, session),
    colours.gray(`Next: emberset ${ran.length > 0 ? "describe" : "match, or emberset draft"}`),
  ].join("\n");
}
