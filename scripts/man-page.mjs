// Writes dist/emberset.1, the page that `man emberset` shows, from what the built program says of itself.
// node scripts/man-page.mjs
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const root = join(import.meta.dirname, "..");
const { version, description } = JSON.parse(readFileSync(join(root, "package.json"), "utf8"));
const program = (...args) =>
  execFileSync(process.execPath, [join(root, "dist", "emberset.cjs"), ...args], {
    encoding: "utf8",
    env: { ...process.env, COLUMNS: "72", NO_COLOR: "1" },
  }).trimEnd();

/** Text as it is: https://man7.org/linux/man-pages/man7/groff_man.7.html */
const plain = text =>
  text
    .replaceAll("\\", "\\e")
    .replace(/^([.'])/gm, "\\&$1")
    .replaceAll("-", "\\-")
    .replace(
      /[^\0-\x7f]/gu,
      letter => `\\[u${letter.codePointAt(0).toString(16).toUpperCase().padStart(4, "0")}]`,
    );
const asItIs = text => [".nf", plain(text), ".fi"].join("\n");

const common = /\n\nEverywhere:\n(?:.*\n)*?(?=\n|$)/;
const help = program("--help");
const commands = [...help.matchAll(/^ {2}emberset ([a-z]+)\b/gm)].map(([, name]) => name);
const pages = commands.map(name => program(name, "--help"));
const everywhere = common
  .exec(`${pages[0]}\n`)[0]
  .trim()
  .replace(/^Everywhere:\n/, "");

writeFileSync(
  join(root, "dist", "emberset.1"),
  `${[
    `.TH EMBERSET 1 "" "emberset ${version}"`,
    ".SH NAME",
    plain(`emberset - ${description}`),
    ".SH SYNOPSIS",
    ".B emberset",
    "\\fIcommand\\fR [\\fIoptions\\fR]",
    ".SH OPTIONS OF EVERY COMMAND",
    asItIs(everywhere),
    ".SH COMMANDS",
    ...commands.flatMap((name, at) => [
      `.SS ${name}`,
      asItIs(`${pages[at]}\n`.replace(common, "\n").trimEnd()),
    ]),
    ".SH EXIT STATUS",
    plain(
      "0 done; 1 --strict found something; 2 the input is wrong; 3 stopped for safety, nothing changed; 4 the database refused or failed; 70 a fault of the program's own.",
    ),
    ".SH FILES",
    plain(
      "emberset.config.ts: the project; .env beside it is read. $XDG_CACHE_HOME/emberset: what can be made again.",
    ),
  ].join("\n")}\n`,
);
