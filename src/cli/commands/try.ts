import type { CommandModule } from "yargs";
import type { PlanStep } from "../../core/dialect/shared/explain.js";
import { problems } from "../../core/problems.js";
import type { Tried, TryOptions, TryResult } from "../../tasks/try-query.js";
import { count } from "../terminal/layout.js";
import { rowsText, sayValue } from "../terminal/rows-text.js";
import { promptForSql } from "../terminal/prompt.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { countsOf } from "./fill.js";

interface Args extends GlobalArgs {
  sql?: string | undefined;
  file?: string | undefined;
  rows?: readonly string[] | undefined;
  seed?: number | undefined;
  from?: string | undefined;
  plan?: boolean | undefined;
  csv?: boolean | undefined;
  limit?: number | undefined;
  target?: string | undefined;
}

/** `emberset try` */
export function tryCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "try [sql]",
    describe: "Run a query on the models before anything exists: a scratch database with rows in it",
    builder: yargs =>
      yargs
        .positional("sql", { type: "string", describe: "One statement or several; asked for when left out" })
        .option("file", { type: "string", requiresArg: true, describe: "A file with them" })
        .option("rows", {
          type: "string",
          array: true,
          requiresArg: true,
          describe: "How many made-up rows each table gets, or one: 50, pieces=500; 20 when left out",
        })
        .option("seed", {
          type: "number",
          requiresArg: true,
          describe: "Another seed, other rows; 1 when left out",
        })
        .option("from", {
          type: "string",
          requiresArg: true,
          describe: "A folder of rows: pieces.csv, potters.json; the rest is made up",
        })
        .option("plan", {
          type: "boolean",
          describe: "How the engine goes about it, and which index it lacks",
        })
        .option("csv", { type: "boolean", describe: "The rows as CSV" })
        .option("limit", {
          type: "number",
          requiresArg: true,
          describe: "How many rows are shown; 40 when left out",
        })
        .option("target", {
          type: "string",
          requiresArg: true,
          describe: "For the dialect of which target; home when left out",
        })
        .example(
          '$0 try "SELECT stage, count(*) FROM pieces GROUP BY stage"',
          "A query, before there is a table",
        )
        .example(
          '$0 try "…" --rows pieces=100000 --plan',
          "How it feels with many rows, and how it is done",
        ) as never,
    handler: async args => {
      const { sql, file, seed, from, plan, target } = args;
      const options: TryOptions = {
        ...session.taskOptions(args),
        ...countsOf(args.rows),
        sql,
        file,
        seed,
        from,
        plan,
        target,
      };
      if (sql === undefined && file === undefined) return ask(session, options, args);
      const { tryQuery } = await import("../../tasks/try-query.js");
      const result = await tryQuery(options);
      if (args.csv) session.raw(result, shown => shown.results.map(({ rows }) => csvOf(rows)).join("\n"));
      else session.result(result, shown => render(shown, session, args.limit));
    },
  };
}

async function ask(session: Session, options: TryOptions, { limit }: Args): Promise<void> {
  if (!session.canAsk()) throw problems.nothingToTry(undefined);
  const { withTrial } = await import("../../tasks/try-query.js");
  await withTrial(options, async trial => {
    const total = Object.values(trial.rows).reduce((sum, rows) => sum + rows, 0);
    session.note(
      session.colours.gray(
        `${trial.dialect}, ${trial.where}, ${count(total, "row")} in ${count(trial.schema.tables.length, "table")}. End with ; or an empty line, leave with Ctrl-D.`,
      ),
    );
    await promptForSql({
      names: trial.schema.tables.flatMap(table => [table.name, ...table.columns.map(({ name }) => name)]),
      onText: async text => {
        try {
          for (const statement of trial.split(text))
            session.part(await trial.run(statement), shown => renderTried(shown, session, limit));
        } catch (error) {
          session.tellOf(error);
        }
      },
    });
  });
}

function render({ dialect, where, rows, results }: TryResult, session: Session, limit?: number): string {
  const total = Object.values(rows).reduce((sum, each) => sum + each, 0);
  const tables = Object.keys(rows).length;
  return [
    ...results.map(each => renderTried(each, session, limit)),
    session.colours.gray(
      `${dialect}, ${where}, with ${count(total, "row")} in ${count(tables, "table")}; nothing of it is left`,
    ),
  ].join("\n\n");
}

const SHOWN = 40;

function renderTried(
  { rows, tookMs, plan, advice = [] }: Tried,
  { colours }: Session,
  limit = SHOWN,
): string {
  const more = rows.length > limit ? `, ${limit} of them shown` : "";
  return [
    ...(rows.length === 0 ? [] : [rowsText(rows.slice(0, limit), colours)]),
    colours.gray(
      `  ${rows.length === 0 ? "no rows" : count(rows.length, "row")}${more}, ${tookMs.toFixed(1)} ms`,
    ),
    ...(plan ? ["", ...plan.flatMap((step, at) => treeOf(step, at === plan.length - 1, "  "))] : []),
    ...advice.map(({ table, columns: on, model }) =>
      colours.yellow(
        `  ! all of ${table} is read: an index on (${on.join(", ")}) would serve, in the model ${model}`,
      ),
    ),
  ].join("\n");
}

function treeOf({ words, children }: PlanStep, isLast: boolean, indent: string): string[] {
  const below = `${indent}${isLast ? "   " : "│  "}`;
  return [
    `${indent}${isLast ? "└─ " : "├─ "}${words}`,
    ...children.flatMap((child, at) => treeOf(child, at === children.length - 1, below)),
  ];
}

/** https://www.rfc-editor.org/rfc/rfc4180; null is an empty field. */
function csvOf(rows: readonly Readonly<Record<string, unknown>>[]): string {
  const names = Object.keys(rows[0] ?? {});
  const field = (value: unknown) => {
    const text = value === null || value === undefined ? "" : sayValue(value);
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [names.map(field).join(","), ...rows.map(row => names.map(name => field(row[name])).join(","))].join(
    "\n",
  );
}
