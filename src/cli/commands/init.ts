import type { CommandModule } from "yargs";
import { DEFAULT_DIALECT, DIALECT_NAMES, type DialectName } from "../../core/dialect/registry.js";
import type { InitResult } from "../../tasks/init.js";
import { showPath } from "../words/links.js";
import type { Session } from "../terminal/session.js";

interface Args {
  folder?: string | undefined;
  file?: string | undefined;
  dialect?: DialectName | undefined;
  url?: string | undefined;
}

/** `emberset init` */
export function initCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "init [folder]",
    describe: "Start a project: a config, a first model, ignore rules",
    builder: yargs =>
      yargs
        .positional("folder", { type: "string", describe: "Where; the current folder when left out" })
        .option("file", { type: "string", describe: "The database file, from the folder", requiresArg: true })
        .option("dialect", {
          choices: DIALECT_NAMES,
          describe: `What kind of database; ${DEFAULT_DIALECT} when left out`,
        })
        .option("url", {
          type: "string",
          describe: "Where the database is, for one on a server; kept in .env",
          requiresArg: true,
        })
        .example("$0 init studio", "A project in the folder studio, on the SQLite file studio.db"),
    handler: async ({ folder, file, dialect, url }) => {
      const { init } = await import("../../tasks/init.js");
      const result = init({ folder, file, dialect, url });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render({ folder, written }: InitResult, { colours }: Session): string {
  const location = showPath(folder);
  return [
    `Written in ${location}:`,
    ...written.map(file => `  ${file}`),
    "",
    colours.gray(
      `Next: look at models/potter.ts, write your own, then${location === "." ? "" : ` cd ${location} and`} emberset check;`,
    ),
    colours.gray("      or take over a database that exists with emberset adopt"),
  ].join("\n");
}
