import { misfit } from "../schema/fits.js";
import { describeRule } from "../change/words.js";
import { addressOf } from "../schema/address.js";
import { columnsOfRule } from "../schema/rules.js";
import type { Column, Rule, Table } from "../schema/types.js";
import type { MadeUp } from "./made-up.js";
import { obeys } from "./obeys.js";

/** A row of a file as it is written there. */
export interface WrittenRow {
  /** Where it is: `pieces.csv:3`, `pieces.json, row 3`. */
  readonly place: string;
  /** By the name of a column; a cell of a CSV file is a text. */
  readonly cells: ReadonlyMap<string, unknown>;
}

export interface ReadRow {
  readonly place: string;
  readonly row: ReadonlyMap<string, MadeUp>;
}

/**
 * Rows of a file as values of a table's columns, and what is wrong with them, each with its place.
 * @param plain whether cells are texts, of which an empty one is null
 */
export function readRows(
  table: Table,
  written: readonly WrittenRow[],
  plain: boolean,
): { readonly rows: ReadRow[]; readonly faults: string[] } {
  const columns = new Map(table.columns.map(column => [column.name, column]));
  const faults: string[] = [];
  const rows = written.map(({ place, cells }): ReadRow => {
    const row = new Map<string, MadeUp>();
    for (const [name, cell] of cells) {
      const column = columns.get(name);
      const read = column
        ? readCell(column, cell, plain)
        : { fault: `${addressOf(table)} has no such column; it has ${[...columns.keys()].join(", ")}` };
      if ("fault" in read) faults.push(`${place}, ${name}: ${read.fault}; received ${JSON.stringify(cell)}`);
      else {
        const broken = brokenRule(table, name, read.value);
        if (broken)
          faults.push(`${place}, ${name}: ${describeRule(broken)}; received ${JSON.stringify(cell)}`);
        row.set(name, read.value);
      }
    }
    for (const column of table.columns)
      if (!cells.has(column.name) && isNeeded(column))
        faults.push(`${place}, ${column.name}: it is required, and not given`);
    return { place, row };
  });
  return { rows, faults };
}

function isNeeded({ nullable, default: value, identity, stamp, computed }: Column): boolean {
  return !nullable && !value && !identity && !stamp && !computed;
}

function brokenRule({ checks }: Table, name: string, value: MadeUp): Rule | undefined {
  if (value === null || value === undefined || typeof value === "object") return undefined;
  return checks
    .flatMap(({ rules }) => rules)
    .find(
      rule =>
        rule.kind !== "sql" &&
        columnsOfRule(rule).length === 1 &&
        columnsOfRule(rule)[0] === name &&
        !obeys(value, rule),
    );
}

type Read = { readonly value: MadeUp } | { readonly fault: string };

function readCell(column: Column, cell: unknown, plain: boolean): Read {
  if (column.computed) return { fault: "it is computed by the database" };
  if (cell === null || cell === undefined || (plain && cell === "")) {
    const isText = /^(?:text|varchar|char)$/.test(column.type.kind);
    if (column.nullable) return { value: null };
    if (plain && isText && cell === "") return { value: "" };
    return column.default || column.identity || column.stamp
      ? { value: undefined }
      : { fault: "it is required" };
  }
  const value = plain ? fromText(column, String(cell)) : fromJson(column, cell);
  if (value === undefined)
    return { fault: `it is to be ${/^[aeiou]/.test(column.type.kind) ? "an" : "a"} ${column.type.kind}` };
  if (typeof value === "object") return { value };
  const wrong = misfit(value, column.type);
  return wrong === undefined ? { value } : { fault: wrong };
}

const WORDS: Readonly<Record<string, boolean>> = {
  true: true,
  false: false,
  t: true,
  f: false,
  yes: true,
  no: false,
  "1": true,
  "0": false,
};

const NUMBERS = ["smallint", "integer", "bigint", "real", "double"];

function fromText({ type }: Column, text: string): NonNullable<MadeUp> | undefined {
  if (type.kind === "boolean") return WORDS[text.trim().toLowerCase()];
  if (NUMBERS.includes(type.kind))
    return /^[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?$/i.test(text.trim()) ? Number(text) : undefined;
  if (type.kind === "bytes") return /^(?:[0-9a-f]{2})*$/i.test(text) ? { bytes: text } : undefined;
  return text;
}

function fromJson({ type }: Column, value: unknown): NonNullable<MadeUp> | undefined {
  if (type.kind === "json") return JSON.stringify(value);
  if (type.kind === "bytes")
    return typeof value === "string" ? fromText({ type } as Column, value) : undefined;
  if (type.kind === "decimal" && typeof value === "number") return String(value);
  return typeof value === "string" || typeof value === "number" || typeof value === "boolean"
    ? value
    : undefined;
}
