import type { CommandModule } from "yargs";
import type { ExportOptions, ExportResult } from "../../tasks/export.js";
import { count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  as: ExportOptions["as"];
  from?: string | undefined;
  target?: string | undefined;
  out?: string | undefined;
}

/** `emberset export` */
export function exportCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "export",
    describe:
      "The whole schema in another form: SQL, a data dictionary, an outline, JSON Schema, TypeScript types",
    builder: yargs =>
      yargs
        .option("as", {
          choices: [
            "sql",
            "markdown",
            "csv",
            "json-schema",
            "openapi",
            "row-types",
          ] as const satisfies readonly ExportOptions["as"][],
          demandOption: true,
          describe:
            "sql: all of it as one script; markdown: a data dictionary; csv: an outline, as sketch reads it; json-schema: what validate() takes, as JSON; openapi: the same as components; row-types: interfaces of rows as the driver gives them",
        })
        .option("from", {
          type: "string",
          requiresArg: true,
          describe: "models, history, a number, or target:NAME; models when left out",
        })
        .option("target", {
          type: "string",
          requiresArg: true,
          describe: "For the dialect of which target; home when left out",
        })
        .option("out", { type: "string", requiresArg: true, describe: "The file; printed when left out" })
        .example("$0 export --as sql", "What makes all of it, in one script")
        .example("$0 export --as markdown --out tables.md", "What each table and column is")
        .example("$0 export --as json-schema --out objects.json", "What an object of each class must be")
        .example("$0 export --as row-types --out rows.ts", "Types for what queries give back") as never,
    handler: async args => {
      const { exportSchema } = await import("../../tasks/export.js");
      const { as, from, target, out } = args;
      const result = await exportSchema({ ...session.taskOptions(args), as, from, target, out });
      session.raw(result, shown => render(shown));
    },
  };
}

function render({ written, tables, dialect, text: source }: ExportResult): string {
  return written === undefined ? source : `${written}: ${count(tables, "table")}, for ${dialect}`;
}
