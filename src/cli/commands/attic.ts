import type { CommandModule } from "yargs";
import { showNumber } from "../../history/migration.js";
import type { AtticEntry, AtticResult, PurgeResult, RestoreResult } from "../../tasks/attic.js";
import { columns, count, sayBytes } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { losingOptions, type LosingArgs } from "./running.js";

interface Args extends GlobalArgs, LosingArgs {
  action?: string | undefined;
  number?: number | undefined;
  thing?: string | undefined;
  target?: string | undefined;
}

const ACTIONS = ["list", "restore", "purge"] as const;

/** `emberset attic` */
export function atticCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "attic [action] [number] [thing]",
    describe: "What migrations took away and the database still keeps: see it, copy it back, let it go",
    builder: yargs =>
      losingOptions(yargs)
        .positional("action", { choices: ACTIONS, default: "list", describe: "list when left out" })
        .positional("number", { type: "number", describe: "The migration that put it there" })
        .positional("thing", {
          type: "string",
          describe: "One of the things it put there: shelves, glazes.notes",
        })
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .check(
          ({ action, number }) =>
            number !== undefined || action !== "restore" || "restore needs the number of a migration",
        )
        .check(
          ({ number }) =>
            number === undefined ||
            (Number.isInteger(number) && number > 0) ||
            "The number must be a migration's, such as 7",
        )
        .example("$0 attic", "What is kept, since when, and how much it is")
        .example("$0 attic restore 7 glazes.notes", "Copy values back into a column that is there again")
        .example("$0 attic purge 7", "Let go of all that migration 0007 took away"),
    handler: async args => {
      const { action, number, thing, target } = args;
      const { listAttic, restoreFromAttic, purgeAttic } = await import("../../tasks/attic.js");
      const options = { ...session.taskOptions(args), target };
      if (action === "restore") {
        const result = await restoreFromAttic({ ...options, number: number!, thing });
        session.result(result, shown => renderRestored(shown, session));
      } else if (action === "purge") {
        const result = await purgeAttic({ ...options, number, thing, mayLose: session.mayLose(args) });
        session.result(result, shown => renderPurged(shown, session));
      } else {
        const result = await listAttic(options);
        session.result(result, shown => renderAttic(shown, session));
      }
    },
  };
}

function renderAttic({ target, entries }: AtticResult, { colours }: Session): string {
  if (entries.length === 0) return `The attic of ${target} is empty.`;
  const rows = entries.map(entry => [
    entry.migration ? showNumber(entry.migration.number) : "?",
    entry.things.join(", "),
    wordsOf(entry),
    count(entry.rows, "row"),
    entry.bytes === null ? "" : sayBytes(entry.bytes),
    entry.since === undefined ? "" : `${entry.since.slice(0, 16).replace("T", " ")} UTC`,
    colours.gray(entry.place),
  ]);
  return [
    `Kept in the attic of ${target}`,
    columns(["by", "what", "", "rows", "size", "since", "as table"], rows, colours),
  ].join("\n");
}

function wordsOf({ kind, comesBack }: AtticEntry): string {
  if (kind === "unknown") return "not in this history";
  const what = {
    table: "dropped table",
    columns: "dropped",
    values: "old values",
    counter: "where it stood",
    rows: "what tells the rows",
  }[kind];
  return comesBack ? what : `${what}, whole rows: no key to put them back by`;
}

function renderRestored({ target, restored }: RestoreResult, { colours }: Session): string {
  return [
    ...restored.map(
      ({ things, rows }) => `${colours.green("✓")} ${things.join(", ")}: ${count(rows, "row")} restored`,
    ),
    `Copied back on ${target}; the attic keeps its own, so that the migration can still go back.`,
  ].join("\n");
}

function renderPurged({ target, purged }: PurgeResult, { colours }: Session): string {
  if (purged.length === 0) return `Nothing to let go of: the attic of ${target} has no rows there.`;
  return [
    ...purged.map(
      ({ things, rows }) => `${colours.yellow("✗")} ${things.join(", ")}: ${count(rows, "row")} gone`,
    ),
    `Going back still works on ${target}, and brings these without what they held.`,
  ].join("\n");
}
