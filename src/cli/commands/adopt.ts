import type { CommandModule } from "yargs";
import type { AdoptDriftResult } from "../../tasks/adopt-drift.js";
import type { AdoptResult, Proof } from "../../tasks/adopt.js";
import { count } from "../terminal/layout.js";
import { showPlace } from "../words/problem-text.js";
import { listFiles } from "../words/links.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import type { Colours } from "../words/colours.js";
import { renderChanges } from "./compare.js";

interface Args extends GlobalArgs {
  target?: string | undefined;
  title?: string | undefined;
  drift?: boolean | undefined;
  "put-right"?: boolean | undefined;
}

/** `emberset adopt` */
export function adoptCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "adopt",
    describe: "Write models and a baseline migration from a database that already exists",
    builder: yargs =>
      yargs
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .option("title", { type: "string", describe: "What the migration is called", requiresArg: true })
        .option("drift", {
          type: "boolean",
          describe: "Take in what the database has beyond the history: a migration, recorded as run there",
        })
        .option("put-right", {
          type: "boolean",
          implies: "drift",
          describe: "With --drift: draft a second migration, which brings the database back to the history",
        })
        .example(
          "$0 adopt --drift",
          "Somebody added an index by hand; the history and the models take it over",
        )
        .example("$0 adopt --target live", "Models for every table of live, which counts as migrated so far"),
    handler: async args => {
      const { adopt } = await import("../../tasks/adopt.js");
      const { adoptDrift } = await import("../../tasks/adopt-drift.js");
      const options = { ...session.taskOptions(args), target: args.target, title: args.title };
      if (args.drift) {
        const result = await adoptDrift({ ...options, putRight: args["put-right"] });
        return session.result(result, shown => renderAdoptedDrift(shown, session));
      }
      const result = await adopt(options);
      return session.result(result, shown => render(shown, session));
    },
  };
}

function render(
  { target, place, tables, written, migration, leftAlone, proof }: AdoptResult,
  session: Session,
): string {
  const { colours } = session;
  return [
    `Adopted ${colours.bold(target)} · ${showPlace(place)} · ${count(tables, "table")}`,
    "",
    "Written:",
    ...listFiles(written, session.project),
    "",
    `${migration.name} is recorded as run on ${target}; nothing else was changed there.`,
    ...renderProof(proof, colours),
    ...renderLeftAlone(leftAlone),
    "",
    colours.gray("Next: read the models, then emberset check and emberset status"),
  ].join("\n");
}

function renderAdoptedDrift(result: AdoptDriftResult, { colours, project }: Session): string {
  const { target, changes, migration, putRight, written, suggestions } = result;
  const said = suggestions.flatMap(({ entity, lines }) => [
    `  ${entity}:`,
    ...lines.map(line => `    ${line.replaceAll("\n", "\n    ")}`),
  ]);
  return [
    renderChanges(changes, colours),
    "",
    "Written:",
    ...listFiles(written, project),
    "",
    `${migration.name} is recorded as run on ${target}, which has it already.`,
    ...(putRight ? [`${putRight.name} takes it away again.`] : []),
    ...(said.length > 0
      ? ["", "The models do not say this yet; in the classes and files that are there:", ...said]
      : []),
    "",
    colours.gray(
      putRight
        ? "Next: read the scripts, then emberset forward"
        : "Next: bring the models up to date, then emberset compare",
    ),
  ].join("\n");
}

function renderProof({ same, where, remarks }: Proof, colours: Colours): string[] {
  if (same) return [colours.green(`Proven: on ${where ?? ""} the baseline makes the same schema.`)];
  const head =
    same === undefined
      ? "Not proven: the baseline could not be tried on an empty database."
      : where === undefined
        ? "Not proven: the baseline does not run on an empty database by itself."
        : `Not proven: on ${where} the baseline makes a schema that differs.`;
  return [colours.yellow(head), ...remarks.map(remark => `  · ${remark}`)];
}

function renderLeftAlone(leftAlone: AdoptResult["leftAlone"]): string[] {
  if (leftAlone.length === 0) return [];
  return [
    "",
    "Left alone, and not part of the models:",
    ...leftAlone.map(
      ({ kind, name, table }) => `  ${kind} ${name}${table === undefined ? "" : ` on ${table}`}`,
    ),
  ];
}
