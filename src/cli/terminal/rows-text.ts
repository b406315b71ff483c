import stringWidth from "fast-string-width";
import type { Colours } from "../words/colours.js";
import { columns } from "./layout.js";

export type ShownRow = Readonly<Record<string, unknown>>;

/** Rows as a table, numbers to the right; one below the other where the terminal is too narrow for that. */
export function rowsText(rows: readonly ShownRow[], colours: Colours): string {
  const names = Object.keys(rows[0] ?? {});
  const cells = rows.map(row => names.map(name => sayValue(row[name])));
  const width = names.reduce(
    (sum, name, at) => sum + 2 + Math.max(stringWidth(name), ...cells.map(row => stringWidth(row[at]!))),
    0,
  );
  if (width > (process.stdout.columns || Infinity)) return recordsText(names, cells, colours);
  const isNumber = names.map(name =>
    rows.every(row => row[name] === null || /^(?:number|bigint)$/.test(typeof row[name])),
  );
  return columns(names, cells, colours, isNumber);
}

function recordsText(
  names: readonly string[],
  cells: readonly (readonly string[])[],
  colours: Colours,
): string {
  const widest = Math.max(...names.map(name => stringWidth(name)));
  return cells
    .map(row => names.map((name, at) => `  ${colours.gray(name.padEnd(widest))}  ${row[at]!}`).join("\n"))
    .join("\n\n");
}

/** A value as drivers give it, in words for people; texts of several lines on one. */
export function sayValue(value: unknown): string {
  if (value === null || value === undefined) return "NULL";
  if (value instanceof Date) return value.toISOString();
  if (value instanceof Uint8Array) return `0x${Buffer.from(value).toString("hex")}`;
  if (value instanceof ArrayBuffer) return sayValue(new Uint8Array(value));
  return typeof value === "object" ? JSON.stringify(value) : String(value);
}
