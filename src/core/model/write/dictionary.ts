import { describeDefault, describePart, describeRule, nameDefinition, showSql } from "../../change/words.js";
import { addressOf } from "../../schema/address.js";
import { showDataType } from "../../schema/data-type.js";
import { columnsOfRule } from "../../schema/rules.js";
import { isObject, type Column, type ObjectDefinition, type Schema, type Table } from "../../schema/types.js";

/** What each table and column is, for people to read, as Markdown. @param title of the whole */
export function writeDictionary({ tables, definitions = [] }: Schema, title: string): string {
  const list = tables.map(
    table =>
      `- [${escape(addressOf(table))}](#${anchorOf(addressOf(table))})${table.note === undefined ? "" : `: ${escape(table.note)}`}`,
  );
  return (
    [
      `# ${escape(title)}`,
      list.join("\n"),
      ...tables.map(table => chapter(table, tables)),
      ...definitions.filter(isObject).map(objectChapter),
    ].join("\n\n") + "\n"
  );
}

/** An object with the SQL that makes it, of each dialect where they differ. */
function objectChapter(object: ObjectDefinition): string {
  const texts = typeof object.sql === "string" ? [["", object.sql]] : Object.entries(object.sql);
  const blocks = texts.map(([dialect = "", sql = ""]) => {
    const longest = Math.max(2, ...(sql.match(/`+/g) ?? []).map(({ length }) => length));
    const fence = "`".repeat(longest + 1);
    return `${dialect === "" ? "" : `${escape(dialect)}:\n\n`}${fence}sql\n${sql};\n${fence}`;
  });
  return [`## ${escape(nameDefinition(object))}`, ...blocks].join("\n\n");
}

/** As the usual renderers make one of a heading. */
function anchorOf(heading: string): string {
  return heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}_ -]/gu, "")
    .replaceAll(" ", "-");
}

function chapter(table: Table, all: readonly Table[]): string {
  const address = addressOf(table);
  const rows = table.columns.map(column => [
    escape(column.name),
    escape(showDataType(column.type)),
    table.key?.columns.includes(column.name) ? "key" : column.nullable ? "" : "yes",
    table.foreignKeys
      .filter(({ columns }) => columns.includes(column.name))
      .map(({ references }) => `[${escape(references.table)}](#${anchorOf(references.table)})`)
      .join(", "),
    escape(whatElse(column, table).join("; ")),
  ]);
  const referring = all.flatMap(other =>
    other.foreignKeys
      .filter(({ references }) => references.table === address)
      .map(
        key =>
          `${addressOf(other)} (${key.columns.join(", ")})${key.onDelete === "no action" ? "" : `, on delete ${key.onDelete}`}`,
      ),
  );
  const lines = [
    ...table.uniques.map(part => `Unique: ${escape(describePart("unique", part))}`),
    ...table.indexes.map(part => `Index: ${escape(describePart("index", part))}`),
    ...table.checks.flatMap(({ rules }) =>
      rules
        .filter(rule => columnsOfRule(rule).length !== 1)
        .map(rule => `Rule: ${escape(describeRule(rule))}`),
    ),
    ...referring.map(text => `Referred to by ${escape(text)}`),
  ];
  return [
    `## ${escape(address)}`,
    ...(table.note === undefined ? [] : [escape(table.note)]),
    tableText(["column", "type", "required", "refers to", "what else"], rows),
    ...(lines.length === 0 ? [] : [lines.map(line => `- ${line}`).join("\n")]),
  ].join("\n\n");
}

function whatElse(
  { name, note, default: value, computed, identity, stamp }: Column,
  { checks, uniques }: Table,
): string[] {
  return [
    ...(note === undefined ? [] : [note]),
    ...(identity ? ["counted up"] : []),
    ...(stamp ? [`set when ${stamp}`] : []),
    ...(computed ? [`computed: ${showSql(computed.sql)}`] : []),
    ...(value ? [`default ${describeDefault(value)}`] : []),
    ...(uniques.some(({ columns }) => columns.length === 1 && columns[0] === name) ? ["unique"] : []),
    ...checks.flatMap(({ rules }) =>
      rules
        .filter(rule => columnsOfRule(rule).length === 1 && columnsOfRule(rule)[0] === name)
        .map(describeRule),
    ),
  ];
}

function tableText(heads: readonly string[], rows: readonly (readonly string[])[]): string {
  const line = (cells: readonly string[]) => `| ${cells.join(" | ")} |`;
  return [line(heads), line(heads.map(() => "---")), ...rows.map(line)].join("\n");
}

/** Text that means nothing to Markdown: https://spec.commonmark.org/0.31.2/#backslash-escapes */
function escape(text: string): string {
  return text.replace(/[\\`*_[\]<>|#]/g, letter => `\\${letter}`).replace(/\s+/g, " ");
}
