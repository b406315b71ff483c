import { describeDefault } from "../../change/words.js";
import { showDataType } from "../../schema/data-type.js";
import type { Column, Schema, Table } from "../../schema/types.js";

/** The tables as the outline that a sketch reads: table, field, type, refers to, note. What an outline cannot say is left out. */
export function writeOutline({ tables }: Schema): string {
  const rows = tables.flatMap(table => [
    ...(table.note === undefined ? [] : [[table.name, "", "", "", table.note]]),
    ...table.columns.filter(({ computed }) => !computed).map(column => fieldOf(table, column)),
  ]);
  return (
    [["table", "field", "type", "refers to", "note"], ...rows]
      .map(row => row.map(cell).join(","))
      .join("\r\n") + "\r\n"
  );
}

function fieldOf(table: Table, column: Column): string[] {
  const { name, note = "" } = column;
  const reference = table.foreignKeys.find(({ columns }) => columns.length === 1 && columns[0] === name);
  const to = reference?.references;
  const end =
    to && name.toLowerCase().endsWith(`_${to.columns[0]!.toLowerCase()}`) ? `_${to.columns[0]!}`.length : 0;
  const actions = reference
    ? [
        reference.onDelete === "restrict" ? "" : `on delete ${reference.onDelete}`,
        reference.onUpdate === "no action" ? "" : `on update ${reference.onUpdate}`,
      ]
    : [];
  return [
    table.name,
    end > 0 ? name.slice(0, -end) : name,
    typeOf(table, column, reference !== undefined),
    to ? [to.table, ...actions].filter(Boolean).join(" ") : "",
    note,
  ];
}

/** In SQL's own words, as a phrase takes them. */
function typeOf(table: Table, column: Column, refers: boolean): string {
  const { name, type, nullable, identity, stamp, default: value } = column;
  if (stamp) return "by itself";
  const isKey = table.key?.columns.includes(name) ?? false;
  const isAlone = ({ columns }: { readonly columns: readonly string[] }) =>
    columns.length === 1 && columns[0] === name;
  const rules = table.checks.flatMap(check => check.rules);
  const list = rules.find(rule => rule.kind === "in" && rule.column === name);
  const words = [
    refers ? "" : identity ? "serial" : type.kind === "native" ? "text" : showDataType(type),
    isKey ? "primary key" : nullable ? "null" : "",
    !isKey && table.uniques.some(isAlone) ? "unique" : "",
    value?.kind === "value" ? `default ${describeDefault(value)}` : "",
    list?.kind === "in" && list.values.length > 0
      ? `in (${list.values.map(each => (typeof each === "string" ? `'${each.replaceAll("'", "''")}'` : String(each))).join(", ")})`
      : "",
  ];
  return words.filter(Boolean).join(" ");
}

/** https://www.rfc-editor.org/rfc/rfc4180 */
function cell(text: string): string {
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
