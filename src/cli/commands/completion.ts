import type { CommandModule } from "yargs";
import type { Nameable } from "../../tasks/complete.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  shell: keyof typeof SCRIPTS | "words";
}

/** What a command can be given: its options, and those that take one of a few words. */
export interface Completable {
  readonly name: string;
  readonly options: readonly string[];
  readonly choices: Readonly<Record<string, readonly string[]>>;
}

/** Each asks the program for the words that can stand where the cursor is. */
const SCRIPTS = {
  bash: `_emberset() {
  local IFS=$'\\n'
  COMPREPLY=( $(emberset completion words -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null) )
}
complete -o default -F _emberset emberset`,
  zsh: `#compdef emberset
_emberset() {
  local -a found
  found=("\${(@f)$(emberset completion words -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  [[ -n "\${found[1]}" ]] && compadd -Q -a found || _files
}
compdef _emberset emberset`,
  fish: `complete -c emberset -a '(emberset completion words -- (commandline -opc)[2..] (commandline -ct) 2>/dev/null)'`,
} as const;

/** `emberset completion` @param commands all of them, when they are asked for */
export const completionCommand =
  (commands: () => readonly Completable[]) =>
  (session: Session): CommandModule<object, Args> => ({
    command: "completion <shell>",
    describe: "A script that completes commands, options, targets, migrations and tables",
    builder: yargs =>
      yargs
        .positional("shell", {
          choices: ["bash", "zsh", "fish", "words"] as const,
          demandOption: true,
          describe: "Which shell; words: what the scripts ask for",
        })
        .example("$0 completion bash >> ~/.bashrc", "Completes from the next shell on")
        .example(
          "$0 completion fish > ~/.config/fish/completions/emberset.fish",
          "The same for fish",
        ) as never,
    handler: async ({ shell, project }) => {
      if (shell !== "words") return session.raw(SCRIPTS[shell], script => script);
      const { nameable } = await import("../../tasks/complete.js");
      const found = wordsFor(session.behind, commands(), await nameable(project));
      if (found.length > 0) session.part(found, words => words.join("\n"));
    },
  });

/** What can stand in place of the last word. */
function wordsFor(written: readonly string[], commands: readonly Completable[], names: Nameable): string[] {
  const last = written.at(-1) ?? "";
  const [first] = written;
  const before = written.at(-2) ?? "";
  const command = commands.find(({ name }) => name === first);
  const all =
    written.length <= 1
      ? commands.map(({ name }) => name)
      : last.startsWith("-")
        ? (command?.options ?? []).map(name => `--${name}`)
        : valuesOf(before, command, names);
  return [...new Set(all)].filter(word => word.startsWith(last) && PLAIN.test(word)).sort();
}

/** A shell runs, or cuts, what has other characters in it: such a word is not offered. */
const PLAIN = /^[\p{L}\p{N}_.:-]+$/u;

const POINTS = ["models", "history", "empty"];

function valuesOf(
  before: string,
  command: Completable | undefined,
  { targets, migrations, tables }: Nameable,
): readonly string[] {
  const option = before.replace(/^--/, "");
  const choices = before.startsWith("--") ? command?.choices[option] : undefined;
  if (choices) return choices;
  const isPoint = /^(?:compare|chart|export)$/.test(command?.name ?? "");
  switch (before.startsWith("--") ? option : "") {
    case "target":
    case "confirm":
    case "from-target":
    case "ran-on":
      return targets;
    case "to":
    case "from":
    case "of":
      return isPoint ? [...POINTS, ...migrations, ...targets.map(name => `target:${name}`)] : migrations;
    case "only":
    case "around":
      return tables;
    default:
      return command?.name === "describe" ? tables : [];
  }
}
