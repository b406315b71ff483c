import type { Problem } from "../../core/problems.js";
import { showFile, showPath } from "./links.js";
import type { Colours } from "./colours.js";
import { mapTexts } from "../../core/map-texts.js";
import { withoutControls } from "./plain.js";
import { wordsFor } from "./problems.js";

/** An error for people: what, where, the value received, what is valid, how to repair. */
export function renderProblem(problem: Problem, colours: Colours): string {
  const { code } = problem;
  const words = mapTexts(wordsFor(problem), withoutControls);
  const { what, received, valid, repair, details = [], file, line } = words;
  const location = file === undefined ? undefined : showFile(file, line, "stderr");
  const rows = [
    ["where", location],
    ["received", received],
    ["valid", valid],
    ["repair", repair],
    ["earlier", problem.ran.length > 0 ? `${problem.ran.join(", ")}: done, and stays so` : undefined],
  ].filter((row): row is [string, string] => row[1] !== undefined);
  return [
    `${colours.red(code)} ${colours.bold(what)}`,
    ...details.map(detail => `  · ${indent(detail, 4)}`),
    ...rows.map(([name, text]) => `  ${colours.gray(name.padEnd(9))}${indent(text, 11)}`),
  ].join("\n");
}

function indent(text: string, columns: number): string {
  return text.split("\n").join(`\n${" ".repeat(columns)}`);
}

/** Where a database is: a path as seen from here, or a URL. */
export function showPlace(label: string): string {
  return label.includes("://") ? label : showPath(label);
}

/** A problem as `--json` gives it, in the words of the command line. */
export function renderProblemJson(problem: Problem): object {
  const { code, exit } = problem;
  const { found } = (problem.values ?? {}) as { readonly found?: unknown };
  return {
    code,
    exit,
    ...wordsFor(problem),
    ...(found !== undefined && { rows: found }),
    ...(problem.ran.length > 0 && { ran: problem.ran }),
  };
}
