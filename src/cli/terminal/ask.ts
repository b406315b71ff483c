import { percent } from "../../core/model/advice/history.js";
import { Problem, problems } from "../../core/problems.js";
import { showDataType } from "../../core/schema/data-type.js";
import { fillOf } from "../../tasks/fills.js";
import type { Questions } from "../../tasks/questions.js";

/** What a draft asks at the terminal. A question that is broken off ends the command: nothing was written. */
export const askTheDeveloper: Questions = {
  async isRename({ from, to, score, reasons }) {
    const { default: confirm } = await import("@inquirer/confirm");
    const message = `${from} goes and ${to} comes, ${percent(score)} alike (${reasons.join(", ")}). Was it renamed?`;
    return answered(confirm({ message, default: score >= 0.75 }, { output: process.stderr }));
  },
  async fill({ table, column, isNew }) {
    const { default: input } = await import("@inquirer/input");
    const why = isNew ? "is new and required" : "becomes required";
    const answer = await answered(
      input(
        {
          message: `${table}.${column.name} (${showDataType(column.type)}) ${why}. What do rows that exist get? (empty: there are none)`,
          validate: value => value === "" || isFill(() => fillOf(column, value)),
        },
        { output: process.stderr },
      ),
    );
    return answer === "" ? undefined : fillOf(column, answer);
  },
};

async function answered<T>(answer: Promise<T>): Promise<T> {
  try {
    return await answer;
  } catch (error) {
    throw problems.brokenOff(undefined, error);
  }
}

function isFill(make: () => unknown): true | string {
  try {
    make();
    return true;
  } catch (error) {
    if (error instanceof Problem) return error.words.what;
    throw error;
  }
}

/** Asks at the terminal whether rows may go; a guarded target wants its name typed. */
export async function askToLose(
  losses: readonly string[],
  { name, guarded }: { name: string; guarded: boolean },
): Promise<boolean> {
  const { default: confirm } = await import("@inquirer/confirm");
  const { default: input } = await import("@inquirer/input");
  const context = { output: process.stderr };
  process.stderr.write(`This would take away from ${name}:\n${losses.map(loss => `  ${loss}`).join("\n")}\n`);
  try {
    if (!guarded) return await confirm({ message: "May they go?", default: false }, context);
    return (
      (await input(
        { message: `The target is guarded. Type its name (${name}) if they may go:` },
        context,
      )) === name
    );
  } catch {
    // The question was broken off: that is a no.
    return false;
  }
}
