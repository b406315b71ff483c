import type { CommandModule } from "yargs";
import type { DescribedTable, DescribeResult, NamedText } from "../../tasks/describe.js";
import type { DifferingResult } from "../../tasks/differing.js";
import { withoutPasswords } from "../words/plain.js";
import { columns, count } from "../terminal/layout.js";
import { rowsText } from "../terminal/rows-text.js";
import { showPlace } from "../words/problem-text.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import type { Colours } from "../words/colours.js";

interface Args extends GlobalArgs {
  table?: string | undefined;
  target?: string | undefined;
  differs?: boolean | undefined;
  rows?: number | undefined;
}

/** `emberset describe` */
export function describeCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "describe [table]",
    describe: "What the database really holds",
    builder: yargs =>
      yargs
        .positional("table", { type: "string", describe: "One table; all when left out" })
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .option("rows", { type: "number", requiresArg: true, describe: "Also so many rows of each table" })
        .option("differs", {
          type: "boolean",
          describe: "Of a target that is many databases: which hold other schemas than most of them",
        })
        .example("$0 describe pieces", "Columns, keys, references both ways, indexes, checks, rows"),
    handler: async args => {
      const { table, target, rows } = args;
      if (args.differs) {
        const { describeDiffering } = await import("../../tasks/differing.js");
        const result = await describeDiffering({ ...session.taskOptions(args), target });
        session.result(result, shown => renderDiffering(shown, session));
        return;
      }
      const { describe } = await import("../../tasks/describe.js");
      const result = await describe({ ...session.taskOptions(args), table, target, rows });
      session.result(result, shown => render(shown, session));
    },
  };
}

function renderDiffering(
  { target, databases, alike, others, unread }: DifferingResult,
  { colours }: Session,
) {
  return [
    `${colours.bold(target)} · ${count(databases, "database")}, ${alike.length} of them alike`,
    ...others.map(each => [`  ${each.target}`, ...each.differences.map(line => `    ${line}`)].join("\n")),
    ...unread.map(each => colours.red(`  ${each.target}  ${each.code} ${withoutPasswords(each.what)}`)),
  ].join("\n");
}

function render({ target, dialect, place, tables, leftAlone }: DescribeResult, { colours }: Session): string {
  const rows = tables.reduce((sum, table) => sum + table.rows, 0);
  const head = `${colours.bold(target)} · ${dialect} · ${showPlace(place)} · ${count(tables.length, "table")}, ${count(rows, "row")}`;
  const others = leftAlone.map(
    ({ kind, name, table }) => `  ${kind} ${name}${table === undefined ? "" : ` on ${table}`}`,
  );
  return [
    head,
    ...tables.map(table => renderTable(table, colours)),
    ...(others.length > 0 ? [`Left alone:\n${others.join("\n")}`] : []),
  ].join("\n\n");
}

function renderTable(table: DescribedTable, colours: Colours): string {
  const rows = table.columns.map(({ name, type, required, default: value = "", remarks }) => [
    name,
    type,
    required ? "required" : colours.gray("may be null"),
    value,
    remarks.join(", "),
  ]);
  const named = (word: string, list: readonly NamedText[]) =>
    list.map(({ name, text: what }) => [word, name, what]);
  const facts = [
    ...(table.key.length > 1 ? [["key", "", `(${table.key.join(", ")})`]] : []),
    ...named("unique", table.uniques),
    ...named("index", table.indexes),
    ...named("check", table.checks),
    ...table.refersTo.map(({ name, text: what }) => ["refers to", name, what]),
    ...table.referredBy.map(({ name, table: from, columns: names, onDelete }) => [
      "referred by",
      name,
      `${from} (${names.join(", ")})${onDelete === "no action" ? "" : `, on delete ${onDelete}`}`,
    ]),
  ];
  return [
    `${colours.bold(table.table)} · ${count(table.rows, "row")}`,
    columns(["column", "type", "", "default", "remarks"], rows, colours),
    ...(facts.length > 0 ? ["", columns(["", "", ""], facts, colours)] : []),
    ...(table.first && table.first.length > 0 ? ["", rowsText(table.first, colours)] : []),
  ].join("\n");
}
