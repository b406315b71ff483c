import Table from "cli-table3";
import type { Colours } from "./session.js";

/** Columns of text under dim headings, two spaces apart. Empty columns are left out. */
export function columns(
  heads: readonly string[],
  rows: readonly (readonly string[])[],
  colours: Colours,
): string {
  const used = heads.map((_, at) => rows.some(row => (row[at] ?? "") !== ""));
  const keep = <T>(cells: readonly T[]) => cells.filter((_, at) => used[at]);
  const table = new Table({
    head: keep(heads).map(head => colours.dim(head)),
    chars: NO_LINES,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 0, compact: true },
  });
  table.push(...rows.map(row => keep([...row])));
  return table
    .toString()
    .split("\n")
    .map(line => `  ${line}`.trimEnd())
    .join("\n");
}

const NO_LINES = {
  ...{ top: "", "top-mid": "", "top-left": "", "top-right": "" },
  ...{ bottom: "", "bottom-mid": "", "bottom-left": "", "bottom-right": "" },
  ...{ left: "", "left-mid": "", mid: "", "mid-mid": "", right: "", "right-mid": "" },
  middle: "  ",
};

/** `1 row`, `2 rows` */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`;
}
