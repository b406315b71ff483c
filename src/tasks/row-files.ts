import { readdirSync, readFileSync, existsSync } from "node:fs";
import { basename, extname, join } from "node:path";
import { parse } from "csv-parse/sync";
import { messageOf } from "../core/errors.js";
import { problems } from "../core/problems.js";
import { readRows, type ReadRow, type WrittenRow } from "../core/rows/read-rows.js";
import { addressOf } from "../core/schema/address.js";
import type { Schema, Table } from "../core/schema/types.js";

/** The rows of a folder's files by the table they are for, each file called like it: `pieces.csv`, `pieces.json`. */
export function readRowFiles(folder: string, { tables }: Schema): Map<string, readonly ReadRow[]> {
  if (!existsSync(folder)) throw problems.noAccess({ file: folder, reason: "it is not there" });
  const byName = new Map(tables.map(table => [addressOf(table).toLowerCase(), table]));
  const result = new Map<string, readonly ReadRow[]>();
  const faults: string[] = [];
  const files = readdirSync(folder)
    .filter(name => /\.(?:csv|json)$/i.test(name))
    .sort();
  if (files.length === 0)
    throw problems.noAccess({ file: folder, reason: "there is no .csv and no .json file in it" });
  for (const file of files) {
    const table = byName.get(basename(file, extname(file)).toLowerCase());
    if (!table) {
      faults.push(`${file}: there is no such table; there are ${[...byName.keys()].join(", ")}`);
      continue;
    }
    const read = readFile(join(folder, file), file, table);
    result.set(addressOf(table), [...(result.get(addressOf(table)) ?? []), ...read.rows]);
    faults.push(...read.faults);
  }
  refuseFaults(faults);
  return result;
}

/** No more of them than can be read. @throws Problem E134 when there is one */
export function refuseFaults(faults: readonly string[]): void {
  if (faults.length > 0)
    throw problems.wrongRows({ details: faults.slice(0, 20), more: Math.max(0, faults.length - 20) });
}

function readFile(
  path: string,
  file: string,
  table: Table,
): { readonly rows: ReadRow[]; readonly faults: string[] } {
  const text = readFileSync(path, "utf8");
  try {
    return /\.csv$/i.test(file)
      ? readRows(table, writtenInCsv(text, file), true)
      : readRows(table, writtenInJson(text, file), false);
  } catch (error) {
    return { rows: [], faults: [`${file}: ${messageOf(error)}`] };
  }
}

/** https://www.rfc-editor.org/rfc/rfc4180, the first line being names of columns. */
function writtenInCsv(text: string, file: string): WrittenRow[] {
  const records = parse(text, { bom: true, info: true, skip_empty_lines: true }) as unknown as {
    readonly record: readonly string[];
    readonly info: { readonly lines: number };
  }[];
  const [head, ...rest] = records;
  const names = head?.record.map(name => name.trim()) ?? [];
  return rest.map(({ record, info }) => ({
    place: `${file}:${info.lines}`,
    cells: new Map(names.map((name, at) => [name, record[at]] as const)),
  }));
}

function writtenInJson(text: string, file: string): WrittenRow[] {
  const list: unknown = JSON.parse(text);
  if (!Array.isArray(list)) throw new Error("it must be a list of rows: [{ … }, { … }]");
  return list.map((row: unknown, at) => {
    if (typeof row !== "object" || row === null || Array.isArray(row))
      throw new Error(`row ${at + 1} must be an object: { "column": value }`);
    return { place: `${file}, row ${at + 1}`, cells: new Map(Object.entries(row)) };
  });
}
