import stringWidth from "fast-string-width";
import { wrapAnsi } from "fast-wrap-ansi";
import Table from "cli-table3";
import type { Colours } from "../words/colours.js";

/**
 * Columns of text, two spaces apart, under headings if there are any. Empty columns are left out. Where the whole would
 * be wider than the terminal, the widest columns are wrapped, and nothing is cut off.
 */
export function columns(
  heads: readonly string[],
  rows: readonly (readonly string[])[],
  colours: Colours,
  toTheRight: readonly boolean[] = [],
): string {
  const used = heads.map((_, at) => rows.some(row => (row[at] ?? "") !== ""));
  const keep = (cells: readonly string[]) => cells.filter((_, at) => used[at]);
  const [head, body] = [keep(heads), rows.map(row => keep([...row]))];
  const widths = fitted([head, ...body], process.stdout.columns || Infinity);
  const wrapped = (cells: readonly string[]) =>
    cells.map((cell, at) => (widths[at] === undefined ? cell : wrap(cell, widths[at])));
  const table = new Table({
    head: head.some(text => text !== "") ? wrapped(head.map(text => colours.gray(text))) : [],
    colAligns: keepOf(used, toTheRight).map(isRight => (isRight ? "right" : "left")),
    chars: NO_LINES,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 0, compact: true },
  });
  table.push(...body.map(wrapped));
  return table
    .toString()
    .split("\n")
    .map(line => `  ${line}`.trimEnd())
    .join("\n");
}

/** What stands further to the right stays there, its further lines behind the sign that it begins with. */
function wrap(cell: string, width: number): string {
  const [lead = ""] = /^ */.exec(cell) ?? [];
  if (lead === "") return wrapAnsi(cell, width, { hard: true });
  const rest = wrapAnsi(cell.slice(lead.length), width - lead.length * 2, { hard: true });
  return rest
    .split("\n")
    .map((line, at) => `${lead}${at === 0 ? "" : lead}${line}`)
    .join("\n");
}

function keepOf(used: readonly boolean[], given: readonly boolean[]): boolean[] {
  return used.flatMap((isUsed, at) => (isUsed ? [given[at] ?? false] : []));
}

const GAP = 2;

/** A cell that has less room would only be a tall stack of letters. */
const NARROWEST = 8;

/** For columns that must be narrower than what is in them, how wide they may be: the widest give room first, and words are broken last. */
function fitted(lines: readonly (readonly string[])[], room: number): (number | undefined)[] {
  const widest = (pieces: RegExp, indent: number) =>
    lines[0]!.map((_, at) =>
      Math.max(
        ...lines.flatMap(line => {
          const cell = line[at] ?? "";
          const { length } = /^ */.exec(cell)![0];
          return cell.split(pieces).map(piece => stringWidth(piece) + length * indent);
        }),
      ),
    );
  const widths = widest(/\n/, 0);
  const free = room - widths.length * GAP;
  if (sum(widths) <= free) return widths.map(() => undefined);
  const words = widest(/\s/, 2);
  // Words stay whole as far as they can: the longest are broken first.
  let longest = Math.max(...words);
  const given = () =>
    shrunk(
      widths,
      words.map((word, at) => Math.min(widths[at]!, Math.max(NARROWEST, Math.min(word, longest)))),
      free,
    );
  while (longest > NARROWEST && sum(given()) > free) longest -= 1;
  return given().map((width, at) => (width < widths[at]! ? width : undefined));
}

/** No wider than a width for all that makes them fit, but as wide as each has to be; what is left over goes to the first. */
function shrunk(widths: readonly number[], least: readonly number[], free: number): number[] {
  const within = (most: number) => widths.map((width, at) => Math.max(least[at]!, Math.min(width, most)));
  let most = Math.max(...widths);
  while (most > 0 && sum(within(most)) > free) most -= 1;
  let spare = Math.max(0, free - sum(within(most)));
  return within(most).map((width, at) => {
    const more = width === most && width < widths[at]! && spare > 0 ? 1 : 0;
    spare -= more;
    return width + more;
  });
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, each) => total + each, 0);
}

const NO_LINES = {
  ...{ top: "", "top-mid": "", "top-left": "", "top-right": "" },
  ...{ bottom: "", "bottom-mid": "", "bottom-left": "", "bottom-right": "" },
  ...{ left: "", "left-mid": "", mid: "", "mid-mid": "", right: "", "right-mid": "" },
  middle: " ".repeat(GAP),
};

/** Lines that are wider than the terminal, broken between words, what comes behind further to the right than their beginning. */
export function fitLines(text: string, width: number | undefined): string {
  if (!width) return text;
  return text
    .split("\n")
    .map(line => {
      if (stringWidth(line) <= width) return line;
      const lead = /^ */.exec(line)![0].slice(0, Math.floor(width / 2));
      const hanging = " ".repeat(lead.length + GAP);
      const [first, ...rest] = wrapAnsi(line.slice(lead.length), width - hanging.length, {
        hard: true,
      }).split("\n");
      return [`${lead}${first!}`, ...rest.map(each => `${hanging}${each}`)].join("\n");
    })
    .join("\n");
}

/** `1 row`, `2 rows` */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`;
}

/** `812 B`, `1.4 MiB` */
export function sayBytes(bytes: number): string {
  const units = ["B", "KiB", "MiB", "GiB", "TiB"];
  const step = Math.min(units.length - 1, Math.max(0, Math.floor(Math.log2(Math.max(bytes, 1)) / 10)));
  const size = bytes / 1024 ** step;
  return `${step === 0 || size >= 100 ? Math.round(size) : size.toFixed(1)} ${units[step]}`;
}
