import type { CommandModule } from "yargs";
import type { DraftResult } from "../../tasks/draft.js";
import { sayFinding } from "../../tasks/say-finding.js";
import { remedyFor } from "../words/findings.js";
import { count } from "../terminal/layout.js";
import { listFiles } from "../words/links.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { renderChanges } from "./compare.js";
import { sayingOptions, type SayingArgs } from "./saying.js";

interface Args extends GlobalArgs, SayingArgs {
  title: string;
  blank?: boolean | undefined;
  lose?: boolean | undefined;
  online?: boolean | undefined;
}

/** `emberset draft` */
export function draftCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "draft <title>",
    describe: "Write the next migration: forward and back scripts for each dialect in use",
    builder: yargs =>
      sayingOptions(yargs)
        .positional("title", { type: "string", describe: "What it does, in a few words", demandOption: true })
        .option("blank", {
          type: "boolean",
          conflicts: ["rename", "fill"],
          describe: "Empty scripts, to be written by hand: for changes of rows",
        })
        .option("lose", {
          type: "boolean",
          describe:
            "Drop outright: nothing of it is kept in the attic, and going back brings it without its rows",
        })
        .option("online", {
          type: "boolean",
          describe:
            "So that others write while it runs, each step committed by itself; refused where that cannot be",
        })
        .example('$0 draft "add glaze recipes"', "Writes migrations/0007-add-glaze-recipes"),
    handler: async args => {
      const { draft } = await import("../../tasks/draft.js");
      const { title, rename: renames, fill: fills, blank, lose, online } = args;
      const questions = session.questions(args);
      const result = await draft({
        ...session.taskOptions(args),
        title,
        renames,
        fills,
        questions,
        blank,
        lose,
        online,
      });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render({ migration, written, changes, advice }: DraftResult, { colours, project }: Session): string {
  const remarks =
    advice.length > 0
      ? [...advice.map(finding => colours.yellow(sayFinding({ ...finding, remedy: remedyFor(finding) }))), ""]
      : [];
  if (!migration)
    return [...remarks, "Nothing to draft: the history has all that the models say."].join("\n");
  if (changes.length === 0)
    return [
      "Written, to be filled in:",
      ...listFiles(written, project),
      "",
      colours.gray("Next: write the scripts, then emberset rehearse and emberset forward"),
    ].join("\n");
  return [
    ...remarks,
    renderChanges(changes, colours),
    "",
    `Written (${count(changes.length, "change")}):`,
    ...listFiles(written, project),
    "",
    colours.gray("Next: read the scripts, then emberset rehearse and emberset forward"),
  ].join("\n");
}
