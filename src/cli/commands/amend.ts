import type { CommandModule } from "yargs";
import type { AmendResult } from "../../tasks/amend.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { renderChanges } from "./compare.js";
import { losingOptions, renderRun, type LosingArgs } from "./running.js";
import { sayingOptions, type SayingArgs } from "./saying.js";

interface Args extends GlobalArgs, LosingArgs, SayingArgs {
  target?: string | undefined;
}

/** `emberset amend` */
export function amendCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "amend",
    describe: "Correct the newest migration after the models were corrected: back, write it anew, forward",
    builder: yargs =>
      sayingOptions(losingOptions(yargs))
        .option("target", {
          type: "string",
          describe: "Where it may have run; home when left out",
          requiresArg: true,
        })
        .example("$0 amend", "The loop for a forgotten `unique`"),
    handler: async args => {
      const { amend } = await import("../../tasks/amend.js");
      const options = { ...session.taskOptions(args), target: args.target };
      const said = { renames: args.rename, fills: args.fill };
      const result = await amend({ ...options, ...said, mayLose: session.mayLose(args) });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render(
  { target, migration, written, changes, noLonger, now, ran }: AmendResult,
  session: Session,
): string {
  const { colours } = session;
  if (!written) return `Nothing to amend: ${migration.name} does what the models say.`;
  const otherwise = [
    ...noLonger.map(({ words }) => `  it no longer does: ${words}`),
    ...now.map(({ words, detail }) => `  it now does: ${words}${detail && ` (${detail})`}`),
  ];
  return [
    ...(changes.length > 0 ? [renderChanges(changes, colours), ""] : []),
    `Written anew: ${migration.name}${changes.length > 0 ? `, with ${count(changes.length, "correction")}` : ""}`,
    ...otherwise,
    ...ran.map(run => renderRun(run, run.direction, session)),
    ...(ran.length > 0
      ? []
      : [`It had not run on ${target}.`, "", colours.gray("Next: read the scripts, then emberset forward")]),
  ].join("\n");
}
