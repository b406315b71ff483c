import type { CommandModule } from "yargs";
import { problems } from "../../core/problems.js";
import type { FillResult } from "../../tasks/fill.js";
import { columns, count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  rows?: readonly string[] | undefined;
  seed?: number | undefined;
  more?: boolean | undefined;
  from?: string | undefined;
  target?: string | undefined;
  confirm?: string | undefined;
}

/** `emberset fill` */
export function fillCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "fill",
    describe: "Put sample rows into a database, made up within its rules or from files",
    builder: yargs =>
      yargs
        .option("rows", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "How many rows each table gets, or one: 50, pieces=500; 20 when left out",
        })
        .option("seed", {
          type: "number",
          requiresArg: true,
          describe: "Another seed, other rows; 1 when left out",
        })
        .option("more", { type: "boolean", describe: "Also into tables that have rows" })
        .option("from", {
          type: "string",
          requiresArg: true,
          describe: "A folder of files called like the tables: pieces.csv, potters.json",
        })
        .option("target", { type: "string", requiresArg: true, describe: "Which target; home when left out" })
        .option("confirm", { type: "string", requiresArg: true, describe: "The name of a guarded target" })
        .example("$0 fill --rows 50 --rows pieces=500", "Fifty rows in each table, and 500 pieces")
        .example(
          "$0 fill --from rows",
          "What stands in rows/*.csv and rows/*.json, all of it or nothing",
        ) as never,
    handler: async args => {
      const { fill } = await import("../../tasks/fill.js");
      const { seed, more, from, target, confirm } = args;
      const result = await fill({
        ...session.taskOptions(args),
        ...countsOf(args.rows),
        seed,
        more,
        from,
        target,
        confirm,
      });
      session.result(result, shown => render(shown, session));
    },
  };
}

/** `20` · `pieces=500` */
export function countsOf(given: readonly string[] = []): { rows?: number; rowsOf: Record<string, number> } {
  const rowsOf: Record<string, number> = {};
  let rows: number | undefined;
  for (const each of given) {
    const [, table, number] = /^(?:(.+)=)?(\d{1,9})$/.exec(each.trim()) ?? [];
    if (number === undefined) throw problems.wrongCount({ received: each });
    if (table === undefined) rows = Number(number);
    else rowsOf[table] = Number(number);
  }
  return { ...(rows !== undefined && { rows }), rowsOf };
}

function render({ target, tables, left, seed }: FillResult, { colours }: Session): string {
  const total = tables.reduce((sum, { rows }) => sum + rows, 0);
  const lines = tables.map(({ table, rows, refused }) => [
    table,
    count(rows, "row"),
    refused ? colours.yellow(`${refused.rows} could not be made up: ${refused.reason}`) : "",
  ]);
  return [
    `${colours.green("✓")} ${count(total, "row")} put into ${target}${seed === undefined ? "" : ` (seed ${seed})`}`,
    ...(lines.length > 0 ? [columns(["", "", ""], lines, colours)] : []),
    ...(left.length > 0
      ? [
          colours.gray(
            `  left alone, since they have rows: ${left.map(({ table }) => table).join(", ")} (--more adds to them)`,
          ),
        ]
      : []),
  ].join("\n");
}
