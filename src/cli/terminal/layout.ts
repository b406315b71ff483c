import stringWidth from "fast-string-width";
import Table from "cli-table3";
import type { Colours } from "../words/colours.js";

/**
 * Columns of text, two spaces apart, under headings if there are any. Empty columns are left out. At a terminal the
 * widest column is wrapped where the whole would be too wide.
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
  const table = new Table({
    head: head.some(text => text !== "") ? head.map(text => colours.gray(text)) : [],
    colWidths: fitted(head, body),
    colAligns: keepOf(used, toTheRight).map(isRight => (isRight ? "right" : "left")),
    wordWrap: true,
    chars: NO_LINES,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 0, compact: true },
  });
  table.push(...body);
  return table
    .toString()
    .split("\n")
    .map(line => `  ${line}`.trimEnd())
    .join("\n");
}

function keepOf(used: readonly boolean[], given: readonly boolean[]): boolean[] {
  return used.flatMap((isUsed, at) => (isUsed ? [given[at] ?? false] : []));
}

const GAP = 2;

/** A cell that has less room would only be a tall stack of words. */
const NARROWEST = 24;

/** Widths that make the whole fit the terminal; none where it fits by itself. */
function fitted(head: readonly string[], body: readonly (readonly string[])[]): (number | null)[] {
  const widths = head.map((text, at) =>
    Math.max(...[text, ...body.map(row => row[at] ?? "")].map(cell => stringWidth(cell))),
  );
  const room = process.stdout.columns || Infinity;
  const excess = widths.reduce((sum, width) => sum + width + GAP, 0) - room;
  const widest = Math.max(...widths);
  const at = widths.indexOf(widest);
  return widths.map((_, index) =>
    index === at && excess > 0 && widest - excess >= NARROWEST ? widest - excess : null,
  );
}

const NO_LINES = {
  ...{ top: "", "top-mid": "", "top-left": "", "top-right": "" },
  ...{ bottom: "", "bottom-mid": "", "bottom-left": "", "bottom-right": "" },
  ...{ left: "", "left-mid": "", mid: "", "mid-mid": "", right: "", "right-mid": "" },
  middle: " ".repeat(GAP),
};

/** `1 row`, `2 rows` */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`;
}
