import type { CommandModule } from "yargs";
import type { MatchResult } from "../../tasks/match.js";
import { count } from "../terminal/layout.js";
import { colourSql } from "../words/sql-colours.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { renderChanges } from "./compare.js";
import { sayingOptions, type SayingArgs } from "./saying.js";

interface Args extends GlobalArgs, SayingArgs {
  target?: string | undefined;
  show?: boolean | undefined;
  createDatabase?: boolean | undefined;
}

/** `emberset match` */
export function matchCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "match",
    describe: "Make a scratch-pad database equal to the models, with no migration kept",
    builder: yargs =>
      sayingOptions(yargs)
        .option("target", {
          type: "string",
          describe: "Which database; home when left out. Never a guarded one",
          requiresArg: true,
        })
        .option("create-database", {
          type: "boolean",
          describe: "Make the database where a server does not have it yet",
        })
        .option("show", { type: "boolean", describe: "Print the SQL and run nothing" })
        .example("$0 match --show", "Read what would run")
        .example("$0 match --yes", "Let go what the models no longer have"),
    handler: async args => {
      const { match } = await import("../../tasks/match.js");
      const { target, rename: renames, fill: fills, show, createDatabase } = args;
      const result = await match({
        ...session.taskOptions(args),
        ...{ target, renames, fills, show, createDatabase },
        questions: session.questions(args),
        mayLose: session.mayLose(args),
      });
      if (show && result.changes.length > 0)
        session.raw(result, ({ script }) => colourSql(script, session.colours));
      else session.result(result, shown => render(shown, session));
    },
  };
}

function render({ target, changes, migrations, drift }: MatchResult, { colours }: Session): string {
  const remarks = [
    ...(drift.length > 0
      ? [colours.red("It still differs from them:"), ...drift.map(line => `  ${line}`)]
      : []),
    ...(migrations > 0
      ? [
          colours.gray(
            `${count(migrations, "migration")} ran there, which the database is no longer held to: once the models are settled, emberset draft and emberset rebuild`,
          ),
        ]
      : []),
  ];
  if (changes.length === 0) return [`${target} is as the models say.`, ...remarks].join("\n");
  return [
    renderChanges(changes, colours),
    "",
    `${target} is now as the models say (${count(changes.length, "change")}). No migration was written.`,
    ...remarks,
    colours.gray("Next: emberset describe, or emberset draft once the models are settled"),
  ].join("\n");
}
