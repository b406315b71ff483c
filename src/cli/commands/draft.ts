import type { CommandModule } from "yargs";
import type { DraftResult } from "../../tasks/draft.js";
import { sayFinding } from "../../tasks/say-finding.js";
import { count } from "../layout.js";
import type { GlobalArgs, Session } from "../session.js";
import { changesText } from "./compare.js";

interface Args extends GlobalArgs {
  title: string;
  rename?: string[] | undefined;
}

export function draftCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "draft <title>",
    describe: "Write the next migration: forward and back scripts for each dialect in use",
    builder: yargs =>
      yargs
        .positional("title", { type: "string", describe: "What it does, in a few words", demandOption: true })
        .option("rename", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "What was called otherwise: old=new, or table.old=table.new",
        })
        .example('$0 draft "add glaze recipes"', "Writes migrations/0007-add-glaze-recipes"),
    handler: async args => {
      const { draft } = await import("../../tasks/draft.js");
      const result = await draft({ ...session.taskOptions(args), title: args.title, renames: args.rename });
      session.result(result, () => text(result, session));
    },
  };
}

function text({ migration, written, changes, advice }: DraftResult, { colours }: Session): string {
  const remarks =
    advice.length > 0 ? [...advice.map(finding => colours.yellow(sayFinding(finding))), ""] : [];
  if (!migration)
    return [...remarks, "Nothing to draft: the history has all that the models say."].join("\n");
  return [
    ...remarks,
    changesText(changes, colours),
    "",
    `Written (${count(changes.length, "change")}):`,
    ...written.map(file => `  ${file}`),
    "",
    colours.gray("Next: read the scripts, then emberset forward"),
  ].join("\n");
}
