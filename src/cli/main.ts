import yargs, { type Argv, type CommandModule } from "yargs";
import { problems } from "../core/problems.js";
import { VERSION } from "../version.js";
import { adoptCommand } from "./commands/adopt.js";
import { amendCommand } from "./commands/amend.js";
import { atticCommand } from "./commands/attic.js";
import { backCommand } from "./commands/back.js";
import { chartCommand } from "./commands/chart.js";
import { checkCommand } from "./commands/check.js";
import { compareCommand } from "./commands/compare.js";
import { completionCommand, type Completable } from "./commands/completion.js";
import { condenseCommand } from "./commands/condense.js";
import { describeCommand } from "./commands/describe.js";
import { draftCommand } from "./commands/draft.js";
import { exportCommand } from "./commands/export.js";
import { fillCommand } from "./commands/fill.js";
import { forwardCommand } from "./commands/forward.js";
import { initCommand } from "./commands/init.js";
import { matchCommand } from "./commands/match.js";
import { rebuildCommand } from "./commands/rebuild.js";
import { rehearseCommand } from "./commands/rehearse.js";
import { discardCommand } from "./commands/discard.js";
import { restackCommand } from "./commands/restack.js";
import { sketchCommand } from "./commands/sketch.js";
import { statusCommand } from "./commands/status.js";
import { tryCommand } from "./commands/try.js";
import { Session } from "./terminal/session.js";

/**
 * yargs lays out the help text of every command that runs, in case its handler asks for it; none of ours does, and it
 * takes a quarter of Node's own start. Asked for with --help it is made all the same.
 */
function keepHelpUnmade(parser: Argv): void {
  const { getInternalMethods } = parser as unknown as {
    getInternalMethods: () => { getUsageInstance: () => { cacheHelpMessage: () => void } };
  };
  getInternalMethods.call(parser).getUsageInstance().cacheHelpMessage = () => undefined;
}

export { getReady } from "../project/compile.js";

/** Says that a config or a model file waits for what never comes, or ends the process. @returns the exit status */
export function waits(args: readonly string[]): number {
  const session = new Session(args);
  session.fail(problems.brokenOffByLoading(undefined));
  return session.exitStatus;
}

/** An option that takes one value, and was given several. */
function saidTwice(argv: object, parser: Argv): string | undefined {
  const lists = optionsOf(parser).array;
  return (
    Object.entries(argv)
      .filter(
        ([name, value]) =>
          name !== "_" &&
          Array.isArray(value) &&
          (value as unknown[]).some(each => typeof each !== "boolean"),
      )
      // An option of several words comes by two names.
      .map(([name]) => name.replace(/[A-Z]/g, letter => `-${letter.toLowerCase()}`))
      .find(name => !lists.includes(name))
  );
}

/** In the order of work. */
const COMMANDS = [
  initCommand,
  sketchCommand,
  adoptCommand,
  checkCommand,
  chartCommand,
  compareCommand,
  draftCommand,
  rehearseCommand,
  amendCommand,
  restackCommand,
  condenseCommand,
  discardCommand,
  statusCommand,
  forwardCommand,
  backCommand,
  matchCommand,
  rebuildCommand,
  describeCommand,
  fillCommand,
  tryCommand,
  atticCommand,
  exportCommand,
  completionCommand(() => completable(new Session([]))),
] as readonly ((session: Session) => CommandModule<object, never>)[];

/** What each command can be given, as it tells yargs. */
function completable(session: Session): Completable[] {
  return COMMANDS.map(make => {
    const { command, builder } = make(session);
    const parser = yargs([]);
    if (typeof builder === "function") void builder(parser as never);
    const { choices } = optionsOf(parser);
    return {
      name: String(command).split(" ")[0]!,
      options: [...ownOptions(parser, command), ...GLOBAL],
      choices,
    };
  });
}

interface ParserOptions {
  readonly key: Readonly<Record<string, unknown>>;
  readonly choices: Readonly<Record<string, readonly string[]>>;
  readonly array: readonly string[];
}

function optionsOf(parser: Argv): ParserOptions {
  return (parser as unknown as { getOptions: () => ParserOptions }).getOptions();
}

/** The options of a command that not every one has. */
function ownOptions(parser: Argv, command: CommandModule["command"]): string[] {
  const positional = [...String(command).matchAll(/[<[](\w+)/g)].map(([, name]) => name);
  return Object.keys(optionsOf(parser).key).filter(
    name =>
      /^[a-z][a-z-]+$/.test(name) &&
      !GLOBAL.includes(name) &&
      ![...positional, "colour", "version"].includes(name),
  );
}

const GLOBAL = ["project", "json", "yes", "no-colour", "trace", "help"];

/** Runs one command. @returns the exit status */
export async function main(args: readonly string[]): Promise<number> {
  const session = new Session(args);
  let hasRun = false;
  const noticed = (command: CommandModule<object, never>): CommandModule<object, never> => ({
    ...command,
    builder: (given: Argv) => {
      const built = (command.builder as (parser: Argv) => Argv)(given);
      // A command's own options come first.
      return built.group(ownOptions(built, command.command), "Options:") as never;
    },
    handler: given => {
      hasRun = true;
      return command.handler(given);
    },
  });
  const parser = yargs([...args])
    .scriptName("emberset")
    .locale("en")
    .usage(
      "$0 <command>\n\nModels in TypeScript, migrations you can read and undo, and a look at what is there.",
    )
    .option("project", {
      type: "string",
      describe: "A folder of the project",
      requiresArg: true,
      global: true,
    })
    .option("json", {
      type: "boolean",
      describe: "One JSON document on stdout, nothing else there",
      global: true,
    })
    .option("yes", { type: "boolean", describe: "Go on where the command would ask", global: true })
    .option("colour", {
      type: "boolean",
      default: true,
      describe: "Colours; --no-colour or NO_COLOR turns them off",
      global: true,
    })
    .option("trace", {
      type: "boolean",
      describe: "Every SQL statement with its time, on stderr",
      global: true,
    })
    .command(COMMANDS.map(command => noticed(command(session))))
    .check(argv => {
      const twice = saidTwice(argv, parser);
      return twice === undefined || `--${twice} is said more than once`;
    })
    .demandCommand(1, "No command was given")
    .recommendCommands()
    .strict()
    .version(VERSION)
    .help()
    .alias({ version: "v", help: "h" })
    .wrap(Math.min(process.stdout.columns || Number(process.env["COLUMNS"]) || 100, 110))
    .updateStrings({ "Options:": "Everywhere:" })
    .exitProcess(false)
    .showHelpOnFail(false)
    .fail((message, error) => {
      // What a check answers comes in both places.
      if (error instanceof Error && error.name !== "YError") throw error;
      const [command] = args.filter(arg => !arg.startsWith("-"));
      if (message.startsWith("Did you mean"))
        throw problems.usage({ what: `There is no command ${command ?? ""}. ${message}` });
      throw problems.usage({ what: message, ...(command && { command }) });
    });
  keepHelpUnmade(parser);
  try {
    const { help, version } = (await parser.parseAsync()) as { help?: boolean; version?: boolean };
    // Behind `--` nothing is a command.
    if (!hasRun && !help && !version) throw problems.usage({ what: "No command was given" });
  } catch (error) {
    session.fail(error);
  }
  return session.exitStatus;
}
