import { fillKey, type DiffHints } from "../core/change/diff.js";
import { problems } from "../core/problems.js";
import { addressOf } from "../core/schema/address.js";
import { showDataType } from "../core/schema/data-type.js";
import type { Column, Default, Schema } from "../core/schema/types.js";
import { splitColumn } from "./renames.js";

/**
 * The hints with values for rows that exist as they are given on the command line: `pieces.shelf=top`.
 * @throws Problem E118 when the models have no such column, or the value is none of its type
 */
export function withFills(hints: DiffHints, given: readonly string[], to: Schema): DiffHints {
  const fills = new Map(hints.fills);
  for (const text of given) {
    const at = text.indexOf("=");
    const stated = at > 0 ? splitColumn(text.slice(0, at).trim()) : undefined;
    if (!stated) throw problems.wrongFill({ fill: text, reason: "it must be TABLE.COLUMN=VALUE" });
    const table = to.tables.find(each => addressOf(each) === stated.table);
    const column = table?.columns.find(({ name }) => name === stated.column);
    if (!column)
      throw problems.wrongFill({
        fill: text,
        reason: `the models have no column ${stated.table}.${stated.column}`,
      });
    fills.set(fillKey(stated.table, stated.column), fillOf(column, text.slice(at + 1), text));
  }
  return { ...hints, fills };
}

/** A value for a column, out of a text. @throws Problem E118 */
export function fillOf(column: Column, value: string, given = value): Default {
  const wrong = () =>
    problems.wrongFill({ fill: given, reason: `${column.name} is ${showDataType(column.type)}` });
  switch (column.type.kind) {
    case "boolean":
      if (value !== "true" && value !== "false") throw wrong();
      return { kind: "value", value: value === "true" };
    case "smallint":
    case "integer":
    case "bigint":
      if (!/^-?\d{1,15}$/.test(value.trim())) throw wrong();
      return { kind: "value", value: Number(value) };
    case "real":
    case "double":
    case "decimal":
      if (value.trim() === "" || !Number.isFinite(Number(value))) throw wrong();
      return { kind: "value", value: Number(value) };
    default:
      return { kind: "value", value };
  }
}
