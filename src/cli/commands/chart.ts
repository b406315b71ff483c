import type { CommandModule } from "yargs";
import type { ChartOptions, ChartResult } from "../../tasks/chart.js";
import { count } from "../terminal/layout.js";
import { showFile } from "../words/links.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { atEverySave, WATCH } from "../terminal/watch.js";

type Args = GlobalArgs & { watch?: boolean | undefined } & Pick<
    ChartOptions,
    "of" | "from" | "only" | "around" | "depth" | "fields" | "look" | "out"
  >;

/** `emberset chart` */
export function chartCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "chart",
    describe: "A picture of the tables and their relations",
    builder: yargs =>
      yargs
        .option("out", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "Files by ending: .svg .png .html .mmd .dot; chart.svg when left out",
        })
        .option("of", {
          type: "string",
          requiresArg: true,
          describe: "models, history, a number, or target:NAME; models when left out",
        })
        .option("from", {
          type: "string",
          requiresArg: true,
          describe: "Show what differs from this version",
        })
        .option("only", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "Only these tables or classes; a last * stands for any end",
        })
        .option("around", { type: "string", requiresArg: true, describe: "Only what is around this table" })
        .option("depth", {
          type: "number",
          requiresArg: true,
          describe: "How many relations away from it; 1 when left out",
        })
        .option("fields", {
          choices: ["all", "keys", "none"] as const,
          describe: "How much of each table; all when left out",
        })
        .option("look", { choices: ["light", "dark"] as const, describe: "light when left out" })
        .option("watch", WATCH)
        .example("$0 chart --out schema.html --out schema.png", "A page to click through, and a picture")
        .example("$0 chart --around Piece --depth 2", "What is near one table")
        .example("$0 chart --from history", "What the models change") as never,
    handler: async args => {
      if (args.watch) return atEverySave(args, session);
      const { chart } = await import("../../tasks/chart.js");
      const { of, from, only, around, depth, fields, look, out } = args;
      const result = await chart({
        ...session.taskOptions(args),
        of,
        from,
        only,
        around,
        depth,
        fields,
        look,
        out,
      });
      session.result(result, render);
    },
  };
}

function render({ files, tables, views, relations, of, from }: ChartResult): string {
  const what = from === undefined ? `of ${of}` : `from ${from} to ${of}`;
  return `${files.map(file => showFile(file)).join(", ")}: ${[count(tables, "table"), ...(views > 0 ? [count(views, "view")] : [])].join(", ")} and ${count(relations, "relation")} ${what}`;
}
