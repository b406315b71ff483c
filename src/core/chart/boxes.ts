import { shortAction } from "./words.js";
import type { ChartRow, ChartTable } from "./types.js";
import { widthOf, wrap } from "./measure.js";

/** Sizes in pixels. */
export const SIZES = {
  title: 16,
  text: 13.5,
  small: 12,
  header: 32,
  /** How far the glaze of a header may run down. */
  drip: 7,
  row: 21,
  line: 15,
  /** From the edge to the sign before a row, and from there to its name. */
  sign: 15,
  name: 29,
  edge: 13,
  gap: 18,
  /** The least width of a table's box. */
  least: 150,
} as const;

/** The box of a table: how large it is and where its lines stand, from its upper left corner. */
export interface Box {
  readonly table: ChartTable;
  readonly width: number;
  readonly height: number;
  readonly notes: readonly Line[];
  readonly rows: readonly RowLine[];
  readonly rules: readonly Line[];
}

interface Line {
  readonly text: string;
  /** Of its baseline. */
  readonly y: number;
}

export interface RowLine extends Line {
  readonly row: ChartRow;
  /** What it refers to, in words. */
  readonly refers: string;
  /** Of its middle, where lines end. */
  readonly middle: number;
}

/** The box of a table, as wide as its widest line. */
export function boxOf(table: ChartTable): Box {
  const rows = table.rows.map(row => ({ row, refers: sayReference(row) }));
  const narrow = Math.max(SIZES.least, titleWidth(table), ...rows.map(rowWidth));
  const room = Math.max(narrow, Math.min(230, widthOf(table.note ?? "", SIZES.small) + 2 * SIZES.edge));
  const width = Math.ceil(room / 2) * 2;
  const inner = width - 2 * SIZES.edge;
  let y: number =
    SIZES.header + (rows.length + table.rules.length > 0 || table.note !== undefined ? SIZES.drip : 0);
  const stack = (texts: readonly string[]): Line[] =>
    texts.map(text => {
      y += SIZES.line;
      return { text, y: y - 4 };
    });
  const notes = stack(table.note === undefined ? [] : wrap(table.note, inner, SIZES.small, 3));
  if (notes.length > 0) y += 5;
  const placed = rows.map(({ row, refers }) => {
    y += SIZES.row;
    return { row, refers, text: row.name, y: y - 6, middle: y - SIZES.row / 2 };
  });
  if (table.rules.length > 0) y += 4;
  const rules = stack(table.rules.flatMap(rule => wrap(rule, inner, SIZES.small, 2)));
  const end = rows.length + rules.length + notes.length > 0 ? 7 : 0;
  return { table, width, height: Math.ceil((y + end) / 2) * 2, notes, rows: placed, rules };
}

/** `→ potters, cascade`: what is not said is that nothing that is referred to may be deleted. */
function sayReference({ refers, onDelete }: ChartRow): string {
  if (refers.length === 0) return "";
  const action = onDelete === undefined ? "" : shortAction(onDelete);
  return `→ ${refers.join(" | ")}${action === "" ? "" : `, ${action}`}`;
}

function titleWidth({ address, entity, was }: ChartTable): number {
  const title = widthOf(address, SIZES.title, "bold");
  const other = was === undefined ? entity : `was ${was}`;
  return 2 * SIZES.edge + title + (other === undefined ? 0 : SIZES.gap + widthOf(other, SIZES.small));
}

function rowWidth({ row, refers }: { readonly row: ChartRow; readonly refers: string }): number {
  const name = widthOf(row.name, SIZES.text, row.mark === "key" ? "bold" : "regular");
  const rest = [row.unique && "unique", row.was !== undefined && `was ${row.was}`, row.type, refers]
    .filter(text => typeof text === "string" && text !== "")
    .map(text => widthOf(text as string, SIZES.small) + SIZES.gap / 2);
  return (
    SIZES.name + name + SIZES.gap / 2 + rest.reduce((sum, each) => sum + each, 0) + SIZES.edge - SIZES.gap / 2
  );
}
