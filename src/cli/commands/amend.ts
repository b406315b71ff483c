import type { CommandModule } from "yargs";
import type { AmendResult } from "../../tasks/amend.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { renderChanges } from "./compare.js";
import { losingOptions, renderRun, type LosingArgs } from "./running.js";

interface Args extends GlobalArgs, LosingArgs {
  target?: string | undefined;
}

/** `emberset amend` */
export function amendCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "amend",
    describe: "Correct the newest migration after the models were corrected: back, write it anew, forward",
    builder: yargs =>
      losingOptions(yargs)
        .option("target", {
          type: "string",
          describe: "Where it may have run; home when left out",
          requiresArg: true,
        })
        .example("$0 amend", "The loop for a forgotten `unique`"),
    handler: async args => {
      const { amend } = await import("../../tasks/amend.js");
      const options = { ...session.taskOptions(args), ...session.progress(), target: args.target };
      const result = await amend({ ...options, mayLose: session.mayLose(args) });
      session.result(result, () => render(result, session));
    },
  };
}

function render({ target, migration, changes, ran }: AmendResult, session: Session): string {
  const { colours } = session;
  if (changes.length === 0) return `Nothing to amend: ${migration.name} does what the models say.`;
  return [
    renderChanges(changes, colours),
    "",
    `Written anew: ${migration.name}, with ${count(changes.length, "correction")}`,
    ...ran.map(run => renderRun(run, run.direction, session)),
    ...(ran.length > 0
      ? []
      : [`It had not run on ${target}.`, "", colours.gray("Next: read the scripts, then emberset forward")]),
  ].join("\n");
}
