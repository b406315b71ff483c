import type { CommandModule } from "yargs";
import type { Finding } from "../../core/model/read/findings.js";
import type { CheckResult } from "../../tasks/check.js";
import { count } from "../terminal/layout.js";
import { remedyFor } from "../words/findings.js";
import { showPath } from "../words/problem-text.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  strict?: boolean | undefined;
}

/** `emberset check` */
export function checkCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "check",
    describe: "Read the models: errors and advice, each with its place and remedy",
    builder: yargs =>
      yargs
        .option("strict", { type: "boolean", describe: "Exit with 1 when there is advice" })
        .example("$0 check", "What is wrong with the models, or worth a thought"),
    handler: async args => {
      const { check } = await import("../../tasks/check.js");
      const result = await check(session.taskOptions(args));
      session.result(result, () => render(result, session));
      if (result.errors > 0) session.exitStatus = 2;
      else if (args.strict && result.advice > 0) session.exitStatus = 1;
    },
  };
}

function render(
  { findings, errors, advice, entities, tables, files }: CheckResult,
  session: Session,
): string {
  const { colours } = session;
  const read = `${count(entities, "entity", "entities")} in ${count(files, "file")}, ${count(tables, "table")}`;
  const verdict =
    findings.length === 0
      ? `${colours.green("✓")} ${read}: nothing to report`
      : `${read}: ${count(errors, "error")}, ${count(advice, "piece", "pieces")} of advice`;
  const next = errors === 0 ? ["", colours.gray("Next: emberset compare")] : [];
  return [...findings.map(finding => `${renderFinding(finding, session)}\n`), verdict, ...next].join("\n");
}

function renderFinding(finding: Finding, { colours }: Session): string {
  const { code, severity, entity, property, what, file, line } = finding;
  const mark = severity === "error" ? colours.red(code) : colours.yellow(code);
  const location = file === undefined ? "" : `${showPath(file)}:${line ?? 1}  `;
  const subject = property === undefined ? entity : `${entity}.${property}`;
  return `${location}${mark}  ${colours.bold(subject)}\n  ${what}\n  ${colours.gray("remedy")}  ${remedyFor(finding)}`;
}
