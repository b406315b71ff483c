import type { CommandModule } from "yargs";
import type { RehearsedMigration, RehearsedStep, RehearseResult } from "../../tasks/rehearse.js";
import { columns, count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import type { Colours } from "../words/colours.js";

interface Args extends GlobalArgs {
  target?: string | undefined;
  rows?: number | undefined;
  fromTarget?: string | undefined;
  sample?: number | undefined;
  record?: boolean | undefined;
}

function isCount(value: number | undefined): boolean {
  return value === undefined || (Number.isInteger(value) && value >= 0);
}

/** `emberset rehearse` */
export function rehearseCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "rehearse",
    describe:
      "Prove the pending migrations on a scratch database, made-up rows and all: forward, back, forward again",
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
        .option("from-target", {
          type: "string",
          requiresArg: true,
          describe: "Rows of this target instead, which is only read; and what is pending there",
        })
        .option("sample", {
          type: "number",
          requiresArg: true,
          describe: "How many rows of each of its tables, beside those they refer to; 100 when left out",
        })
        .option("record", {
          type: "boolean",
          describe: "Write down what the newest migration really does, when its script was changed by hand",
        })
        .check(
          ({ rows, sample }) =>
            (isCount(rows) && isCount(sample)) || "--rows and --sample are whole numbers from 0",
        )
        .check(
          ({ sample, fromTarget }) =>
            sample === undefined || fromTarget !== undefined || "--sample needs --from-target",
        )
        .example("$0 rehearse", "What is pending, before it runs where it matters")
        .example("$0 rehearse --from-target live --sample 500", "The same with rows that are really there"),
    handler: async args => {
      const { rehearse } = await import("../../tasks/rehearse.js");
      const { target, rows, fromTarget, sample, record } = args;
      const options = { target, rows, fromTarget, sample, record };
      const result = await rehearse({ ...session.taskOptions(args), ...options });
      session.result(result, shown => render(shown, session));
      if (!result.sound) session.exitStatus = 3;
    },
  };
}

function render(result: RehearseResult, { colours }: Session): string {
  const { where, dialect, migrations, sample, recorded, builtWhole } = result;
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
  const made = total - (sample?.rows ?? 0);
  const rowsWords = [
    ...(sample ? [`${count(sample.rows, "row")} of ${sample.target}`] : []),
    ...(made > 0 || !sample ? [count(made, "made-up row")] : []),
  ].join(" and ");
  const written = recorded
    ? [
        `Written down, since its script does so: ${recorded.migration} also does this`,
        ...recorded.changes.map(({ words, detail }) => `  ${[words, detail].filter(Boolean).join(": ")}`),
        colours.gray("What the models do not say of it: emberset compare"),
        "",
      ]
    : [];
  return [
    ...written,
    `${dialect}, on ${where}, with ${rowsWords}`,
    "",
    columns(["migration", "step", "schema", "rows", "took"], [...rows, ...whole], colours),
    ...(details.length > 0 ? ["", ...details] : []),
    "",
    ...verdictLines(result, colours),
  ].join("\n");
}

/** Nothing is called proven beside an exception. */
function verdictLines({ sound, proven, exceptions }: RehearseResult, colours: Colours): string[] {
  if (proven) return [`${colours.green("✓")} proven: forward and back do what they record`];
  if (!sound) return [colours.red("not proven")];
  return [
    `${colours.yellow("✓")} forward and back do what they record, with what is not proven:`,
    ...exceptions.map(line => `  ${line}`),
  ];
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

function detailsOf({ name, steps, filled, avoided }: RehearsedMigration, colours: Colours): string[] {
  const went = steps.every(({ problem }) => !problem);
  return [
    ...filled.map(line => colours.gray(`  ${name}: ${line}`)),
    ...(went && avoided.length > 0
      ? [colours.gray(`  ${name} would be stopped by these, of which no row here is one:`)]
      : []),
    ...(went ? avoided.map(line => colours.gray(`    ${line}`)) : []),
    ...steps.flatMap(({ step, schema, rows, problem }) => [
      ...(problem
        ? [`  ${colours.red(problem.code)} ${problem.what}`, ...problem.details.map(line => `    ${line}`)]
        : []),
      ...schema.map(line => `  ${colours.red(`${step}, schema`)}  ${line}`),
      ...rows.map(line => `  ${colours.red(`${step}, rows`)}  ${line}`),
    ]),
  ];
}
