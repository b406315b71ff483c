import type { CommandModule } from "yargs";
import { FINDING_CODES, NOTHING_TO_DO, type Finding } from "../../core/model/read/findings.js";
import type { CheckResult } from "../../tasks/check.js";
import { count } from "../terminal/layout.js";
import { remedyFor } from "../words/findings.js";
import { showFile } from "../words/links.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { atEverySave, WATCH } from "../terminal/watch.js";

interface Args extends GlobalArgs {
  watch?: boolean | undefined;
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
        .option("watch", WATCH)
        .example("$0 check", "What is wrong with the models, or worth a thought"),
    handler: async args => {
      if (args.watch) return atEverySave(args, session);
      const { check } = await import("../../tasks/check.js");
      const result = await check(session.taskOptions(args));
      session.result(result, shown => render(shown, session));
      if (result.errors > 0) session.exitStatus = 2;
      else if (args.strict && result.advice > 0) session.exitStatus = 1;
    },
  };
}

function render(
  { findings, errors, advice, notes, entities, tables, files }: CheckResult,
  session: Session,
): string {
  const { colours } = session;
  const read = `${count(entities, "entity", "entities")} in ${count(files, "file")}, ${count(tables, "table")}`;
  const noted = notes === 0 ? "" : `, ${count(notes, "note")}`;
  const verdict =
    errors + advice === 0
      ? `${colours.green("✓")} ${read}: nothing to ${notes === 0 ? "report" : "correct"}${noted}`
      : `${read}: ${count(errors, "error")}, ${count(advice, "piece", "pieces")} of advice${noted}`;
  const next = errors === 0 ? ["", colours.gray("Next: emberset compare")] : [];
  const told = groups(findings.filter(({ severity }) => severity !== "note")).map(
    group => `${renderGroup(group, session)}\n`,
  );
  return [...told, ...renderNotes(findings, session), verdict, ...next].join("\n");
}

/** Each code once, and what is said alike once, with the fields that it is about. */
function renderNotes(findings: readonly Finding[], { colours }: Session): string[] {
  const notes = findings.filter(({ severity }) => severity === "note");
  return [...new Set(notes.map(({ code }) => code))].sort().map(code => {
    const own = notes.filter(note => note.code === code);
    const lines = [...new Set(own.map(({ what }) => what))].map(what => {
      const alike = own.filter(note => note.what === what);
      const fields = alike.map(({ entity, property }) => `${entity}.${property}`);
      const remedy = remedyFor(alike[0]!);
      if (remedy === NOTHING_TO_DO) return `  ${what}`;
      const some = fields.slice(0, MOST_FIELDS).join(", ");
      const more = fields.length > MOST_FIELDS ? `, and ${fields.length - MOST_FIELDS} more` : "";
      return `  ${what}\n    ${colours.gray(`${some}${more} · ${remedy}`)}`;
    });
    const about = FINDING_CODES[code as keyof typeof FINDING_CODES];
    return `${colours.cyan(code)}  ${colours.bold(about)} ${colours.gray("(note)")}\n${lines.join("\n")}\n`;
  });
}

/** More fields than these are counted. */
const MOST_FIELDS = 6;

/** From here on advice of one kind is told together: an adopted schema has dozens. */
const MANY = 4;

/** Findings in their order, alike pieces of advice together where the first of them stands. */
function groups(findings: readonly Finding[]): (readonly Finding[])[] {
  const alike = new Map<string, Finding[]>();
  for (const finding of findings)
    if (finding.severity === "advice") alike.set(finding.code, [...(alike.get(finding.code) ?? []), finding]);
  return findings.flatMap(finding => {
    const group = alike.get(finding.code) ?? [];
    if (finding.severity === "error" || group.length < MANY) return [[finding]];
    return group[0] === finding ? [group] : [];
  });
}

function renderGroup(group: readonly Finding[], session: Session): string {
  const [first] = group;
  if (!first || group.length === 1) return first ? renderFinding(first, session) : "";
  const { colours } = session;
  const about = FINDING_CODES[first.code as keyof typeof FINDING_CODES];
  const remedies = [...new Set(group.map(remedyFor))];
  return [
    `${colours.yellow(first.code)}  ${colours.bold(`${about}, in ${group.length} places`)}`,
    ...group.map(each => `  ${locationOf(each)}${each.what}`),
    ...(remedies.length === 1
      ? [`  ${colours.gray("remedy")}  ${remedies[0]}`]
      : [`  ${colours.gray("remedy")}  ${remedies[0]}; and likewise for the others`]),
  ].join("\n");
}

function locationOf({ file, line }: Finding): string {
  return file === undefined ? "" : `${showFile(file, line ?? 1)}  `;
}

function renderFinding(finding: Finding, { colours }: Session): string {
  const { code, severity, entity, property, what } = finding;
  const mark = severity === "error" ? colours.red(code) : colours.yellow(code);
  const subject = property === undefined ? entity : `${entity}.${property}`;
  return `${locationOf(finding)}${mark}  ${colours.bold(subject)}\n  ${what}\n  ${colours.gray("remedy")}  ${remedyFor(finding)}`;
}
