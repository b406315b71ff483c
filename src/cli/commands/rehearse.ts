import type { CommandModule } from "yargs";
import type { RehearsedMigration, RehearsedStep, RehearseResult } from "../../tasks/rehearse.js";
import { columns, count } from "../layout.js";
import type { Colours, GlobalArgs, Session } from "../session.js";

interface Args extends GlobalArgs {
  target?: string | undefined;
  rows?: number | undefined;
}

export function rehearseCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "rehearse",
    describe:
      "Prove the pending migrations on a scratch database: forward, back, forward again, with made-up rows",
    builder: yargs =>
      yargs
        .option("target", {
          type: "string",
          requiresArg: true,
          describe: "Whose pending migrations, and on what kind of database; home when left out",
        })
        .option("rows", {
          type: "number",
          requiresArg: true,
          describe: "Made-up rows for each table; 20 when left out",
        })
        .example("$0 rehearse", "What is pending, before it runs where it matters"),
    handler: async args => {
      const { rehearse } = await import("../../tasks/rehearse.js");
      const { target, rows } = args;
      const result = await rehearse({ ...session.taskOptions(args), target, rows });
      session.result(result, () => text(result, session));
      if (!result.proven) session.exitStatus = 3;
    },
  };
}

function text(
  { where, dialect, migrations, builtWhole, proven }: RehearseResult,
  { colours }: Session,
): string {
  if (migrations.length === 0) return "There are no migrations to rehearse.";
  const rows = migrations.flatMap(migration =>
    migration.steps.map((step, at) => [at === 0 ? migration.name : "", ...stepCells(step, colours)]),
  );
  const whole = builtWhole
    ? [
        [
          "",
          `built whole from the ${builtWhole.from}`,
          verdict(builtWhole.differences, "the same", colours),
          "",
          "",
        ],
      ]
    : [];
  const details = [
    ...migrations.flatMap(migration => detailsOf(migration, colours)),
    ...(builtWhole?.differences ?? []).map(line => `  ${colours.red("schema")}  ${line}`),
  ];
  const total = Math.max(...migrations.map(each => each.rows));
  return [
    `${dialect}, on ${where}, with ${count(total, "made-up row")}`,
    "",
    columns(["migration", "step", "schema", "rows", "took"], [...rows, ...whole], colours),
    ...(details.length > 0 ? ["", ...details] : []),
    "",
    proven ? `${colours.green("✓")} proven: forward and back do what they record` : colours.red("not proven"),
  ].join("\n");
}

function stepCells(
  { step, schema, rows, dropped, tookMs, problem }: RehearsedStep,
  colours: Colours,
): string[] {
  if (problem) return [step, colours.red(problem.code), "", ""];
  const same = step === "forward" ? "as recorded" : step === "back" ? "as before" : "the same";
  const kept = dropped.length > 0 ? colours.yellow(`as before, but for ${dropped.join(", ")}`) : "as before";
  const came =
    step === "back"
      ? verdict(rows, kept, colours)
      : step === "forward"
        ? ""
        : verdict(rows, "the same", colours);
  return [step, verdict(schema, same, colours), came, `${Math.max(1, Math.round(tookMs))} ms`];
}

function verdict(differences: readonly string[], good: string, colours: Colours): string {
  return differences.length === 0
    ? colours.green(good)
    : colours.red(count(differences.length, "difference"));
}

function detailsOf({ steps, emptyTables }: RehearsedMigration, colours: Colours): string[] {
  return [
    ...steps.flatMap(({ step, schema, rows, problem }) => [
      ...(problem
        ? [`  ${colours.red(problem.code)} ${problem.what}`, ...problem.details.map(line => `    ${line}`)]
        : []),
      ...schema.map(line => `  ${colours.red(`${step}, schema`)}  ${line}`),
      ...rows.map(line => `  ${colours.red(`${step}, rows`)}  ${line}`),
    ]),
    ...(emptyTables.length > 0
      ? [colours.gray(`  no rows could be made up for ${emptyTables.join(", ")}`)]
      : []),
  ];
}
