import type { CommandModule } from "yargs";
import type { CondenseResult } from "../../tasks/condense.js";
import { sayFinding } from "../../tasks/say-finding.js";
import { count } from "../terminal/layout.js";
import { listFiles } from "../words/links.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { remedyFor } from "../words/findings.js";

interface Args extends GlobalArgs {
  to: number;
  title?: string | undefined;
  ranOn?: string[] | undefined;
}

/** `emberset condense` */
export function condenseCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "condense",
    describe: "Fold old migrations, which ran everywhere, into one that stands for them",
    builder: yargs =>
      yargs
        .option("to", {
          type: "number",
          describe: "The last migration to fold, by its number",
          requiresArg: true,
          demandOption: true,
        })
        .option("title", {
          type: "string",
          describe: "What it is called; baseline when left out",
          requiresArg: true,
        })
        .option("ran-on", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "A target that cannot be reached from here, on which all of them ran",
        })
        .example("$0 condense --to 0040", "0001 to 0040 become one migration"),
    handler: async args => {
      const { condense } = await import("../../tasks/condense.js");
      const { to, title, ranOn } = args;
      const result = await condense({ ...session.taskOptions(args), to, title, ranOn });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render(
  { migration, folded, written, byHand, findings }: CondenseResult,
  { colours, project }: Session,
): string {
  return [
    `${migration.name} stands for ${count(folded.length, "migration")}, ${folded[0]} to ${folded.at(-1)}:`,
    ...listFiles(written, project),
    ...(byHand.length > 0
      ? [
          "",
          colours.yellow(
            "Written by hand in what is folded; it stands in the new scripts as remarks, to be read again:",
          ),
          ...byHand.map(({ file, sql }) => `  ${file}: ${sql.split("\n")[0]}`),
        ]
      : []),
    ...(findings.length > 0
      ? [
          "",
          colours.yellow("The models say of the way here what is no longer told:"),
          ...findings.map(finding => `  ${sayFinding({ ...finding, remedy: remedyFor(finding) })}`),
        ]
      : []),
    "",
    "A database on which they ran is told to have it; its ledger says so from the next run on.",
    colours.gray("Next: emberset status, then commit the folder"),
  ].join("\n");
}
