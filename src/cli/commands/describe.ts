import type { CommandModule } from "yargs";
import type { LeftAlone } from "../../core/dialect/shared/dialect.js";
import type { PartKind } from "../../core/schema/types.js";
import type { AccessResult } from "../../tasks/access.js";
import type { Difference } from "../../tasks/beside.js";
import type { DescribedTable, DescribeResult, NamedText } from "../../tasks/describe.js";
import type { DifferingResult } from "../../tasks/differing.js";
import { withoutPasswords } from "../words/plain.js";
import { columns, count } from "../terminal/layout.js";
import { rowsText } from "../terminal/rows-text.js";
import { showPlace } from "../words/problem-text.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import type { Colours } from "../words/colours.js";

interface Args extends GlobalArgs {
  tables?: readonly string[] | undefined;
  target?: string | undefined;
  differs?: boolean | undefined;
  rows?: number | undefined;
  beside?: string | undefined;
  access?: boolean | undefined;
}

/** `emberset describe` */
export function describeCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "describe [tables..]",
    describe: "What the database really holds",
    builder: yargs =>
      yargs
        .positional("tables", {
          type: "string",
          array: true,
          describe: "A table, or several; all when left out",
        })
        .option("target", {
          type: "string",
          describe: "Which database; home when left out",
          requiresArg: true,
        })
        .option("rows", { type: "number", requiresArg: true, describe: "Also so many rows of each table" })
        .option("beside", {
          type: "string",
          requiresArg: true,
          describe: "Also where it differs from models, history or a migration's number, line by line",
        })
        .option("access", {
          type: "boolean",
          describe: "Who may do what with which field, as the models say it and as it is",
        })
        .option("differs", {
          type: "boolean",
          describe: "Of a target that is many databases: which hold other schemas than most of them",
        })
        .example("$0 describe pieces", "Columns, keys, references both ways, indexes, checks, rows")
        .example("$0 describe --beside models", "The same, and what of it the models have otherwise"),
    handler: async args => {
      const { tables: table, target, rows, beside } = args;
      if (args.differs) {
        const { describeDiffering } = await import("../../tasks/differing.js");
        const result = await describeDiffering({ ...session.taskOptions(args), target });
        session.result(result, shown => renderDiffering(shown, session));
        return;
      }
      if (args.access) {
        const { describeAccess } = await import("../../tasks/access.js");
        const result = await describeAccess({ ...session.taskOptions(args), table, target });
        session.result(result, shown => renderAccess(shown, session));
        return;
      }
      const { describe } = await import("../../tasks/describe.js");
      const result = await describe({ ...session.taskOptions(args), table, target, rows, beside });
      session.result(result, shown => render(shown, session));
    },
  };
}

function renderAccess(
  { target, dialect, place, roles, held, tables }: AccessResult,
  { colours }: Session,
): string {
  const head = `${colours.bold(target)} · ${dialect} · ${showPlace(place)} · ${count(roles.length, "role")}`;
  if (roles.length === 0) return `${head}\n\nThe config names no roles: what they may do is not looked at.`;
  const verbs = (list: readonly string[]) => (list.length > 0 ? list.join(" ") : colours.gray("–"));
  const blocks = tables.map(({ table, missing, lines, rows: seen }) => {
    const sees = seen.map(
      ({ role, condition, held: isHeld }) =>
        `  ${role} sees rows of which ${condition}${isHeld ? "" : colours.yellow(` ${SIGNS.missing} not held to it here`)}`,
    );
    const rows = lines.map(line => [
      line.column ?? colours.gray("whole rows"),
      ...line.roles.map(({ models, actual }) =>
        actual
          ? `${verbs(actual)} ${colours.yellow(`${SIGNS.other} models: ${verbs(models)}`)}`
          : verbs(models),
      ),
    ]);
    const there = missing ? colours.yellow(` · ${SIGNS.missing} missing here`) : "";
    const fields = columns(["field", ...roles], rows, colours);
    return [`${colours.bold(table)}${there}`, fields, ...(sees.length > 0 ? ["", ...sees] : [])].join("\n");
  });
  const lacking = tables.filter(({ missing }) => missing).length;
  const parts = tables.flatMap(({ lines }) => lines.flatMap(line => line.roles));
  const unheld = tables.flatMap(({ rows }) => rows.filter(each => !each.held)).length;
  const differing = parts.filter(({ actual }) => actual).length + lacking + unheld;
  const verdict = !held
    ? colours.yellow(`${dialect} has no roles: nobody is held to this.`)
    : differing > 0
      ? `${count(differing, "difference")} from the models`
      : `${colours.green("✓")} as the models have it`;
  return [head, ...blocks, verdict].join("\n\n");
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

function render(
  { target, dialect, place, tables, objects, leftAlone, beside }: DescribeResult,
  { colours }: Session,
): string {
  const rows = tables.reduce((sum, table) => sum + table.rows, 0);
  const head = `${colours.bold(target)} · ${dialect} · ${showPlace(place)} · ${count(tables.length, "table")}, ${count(rows, "row")}`;
  const line = ({ kind, name, table }: LeftAlone) =>
    `  ${kind} ${name}${table === undefined ? "" : ` on ${table}`}`;
  const asked = objects.filter(({ sql }) => sql !== undefined);
  const listed = objects.filter(({ sql }) => sql === undefined);
  const own = listed.filter(({ known }) => known).map(line);
  const others = [...listed.filter(({ known }) => !known), ...leftAlone].map(line);
  return [
    ...(asked.length > 0 && tables.length === 0 ? [] : [head]),
    ...asked.map(each => `${colours.bold(line(each).trim())}\n${each.sql!};`),
    ...tables.map(table => renderTable(table, colours, beside?.point)),
    ...(beside?.missing ?? []).map(({ table, what }) =>
      colours.yellow(`${SIGNS.missing} ${table} · missing here: ${what}`),
    ),
    ...(beside?.others ?? []).map(words => colours.yellow(`${SIGNS.other} ${beside!.point}: ${words}`)),
    ...(own.length > 0 ? [`Objects:\n${own.join("\n")}`] : []),
    ...(others.length > 0 ? [`Left alone:\n${others.join("\n")}`] : []),
    ...(beside ? [summary(beside, tables, colours)] : []),
  ].join("\n\n");
}

/** No colour alone says it. */
const SIGNS = { missing: "+", extra: "−", other: "≠" } as const satisfies Record<Difference["is"], string>;

function summary(
  { point, missing, others }: NonNullable<DescribeResult["beside"]>,
  tables: readonly DescribedTable[],
  colours: Colours,
): string {
  const differing = tables.reduce((sum, { differs = [] }) => sum + differs.length, 0);
  const all = differing + missing.length + others.length;
  return all === 0
    ? `${colours.green("✓")} as ${nameOf(point)} it`
    : `${count(all, "difference")} from ${point}: ${SIGNS.missing} missing here, ${SIGNS.extra} here alone, ${SIGNS.other} otherwise`;
}

/** `the models have`, `the history has`, `0003 has` */
function nameOf(point: string): string {
  if (point === "models") return "the models have";
  return point === "history" ? "the history has" : `${point} has`;
}

/** How a difference is told at the line it is about. */
function tell({ is, what }: Difference, point: string): string {
  if (is === "missing") return "missing here";
  return is === "extra" ? `not in ${point}` : `${point}: ${what}`;
}

function keyOf({ key, keyName = "" }: DescribedTable): NamedText[] {
  return key.length === 0 ? [] : [{ name: keyName, text: `(${key.join(", ")})` }];
}

/** A line of a table, and what it is about, by which differences find it. */
interface Line {
  readonly of: Difference["of"];
  readonly name: string;
  readonly cells: readonly string[];
}

function renderTable(table: DescribedTable, colours: Colours, point = ""): string {
  const { differs = [] } = table;
  const found = ({ of, name }: Pick<Line, "of" | "name">) =>
    differs.filter(each => each.of === of && each.name === name && each.is !== "missing");
  const marked = (line: Line) => {
    const own = found(line);
    // A column in which nothing stands is left out, and a colour would be something.
    if (own.length === 0) return ["", ...line.cells, ""];
    const told = own.map(each => tell(each, point)).join("; ");
    return [colours.yellow(SIGNS[own[0]!.is]), ...line.cells, colours.yellow(told)];
  };
  const missing = differs.filter(({ is }) => is === "missing");
  const columnLines = table.columns.map(({ name, type, required, default: value = "", remarks }) =>
    marked({
      of: "column",
      name,
      cells: [name, type, required ? "required" : colours.gray("may be null"), value, remarks.join(", ")],
    }),
  );
  for (const { name, column } of missing.filter(({ of }) => of === "column")) {
    const { type = "", required, default: value = "", at = columnLines.length } = column ?? {};
    const cells = [
      SIGNS.missing,
      name,
      type,
      required ? "required" : "may be null",
      value,
      "",
      "missing here",
    ];
    columnLines.splice(at, 0, cells.map(colours.yellow));
  }
  const named = (word: string, of: PartKind, list: readonly NamedText[]) => [
    ...list.map(({ name, text: what }) => marked({ of, name, cells: [word, name, what] })),
    ...missing
      .filter(each => each.of === of)
      .map(({ name, what }) => [SIGNS.missing, word, name, what, "missing here"].map(colours.yellow)),
  ];
  const facts = [
    // One column's is told beside it.
    ...(table.key.length > 1 || differs.some(({ of }) => of === "key")
      ? named("key", "key", keyOf(table))
      : []),
    ...named("unique", "unique", table.uniques),
    ...named("index", "index", table.indexes),
    ...named("check", "check", table.checks),
    ...named("refers to", "foreign key", table.refersTo),
    ...table.referredBy.map(({ name, table: from, columns: names, onDelete }) => [
      "",
      "referred by",
      name,
      `${from} (${names.join(", ")})${onDelete === "no action" ? "" : `, on delete ${onDelete}`}`,
      "",
    ]),
  ];
  const ofTable = found({ of: "table", name: "" }).map(each => `${SIGNS[each.is]} ${tell(each, point)}`);
  return [
    [`${colours.bold(table.table)} · ${count(table.rows, "row")}`, ...ofTable.map(colours.yellow)].join(
      " · ",
    ),
    columns(["", "column", "type", "", "default", "remarks", ""], columnLines, colours),
    ...(facts.length > 0 ? ["", columns(["", "", "", "", ""], facts, colours)] : []),
    ...(table.first && table.first.length > 0 ? ["", rowsText(table.first, colours)] : []),
  ].join("\n");
}
