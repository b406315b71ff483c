import { addressOf } from "../../schema/address.js";
import { steadySql, type AtticSyntax } from "./attic.js";
import type { Table } from "../../schema/types.js";
import type { KeptBesideKey, Numbered } from "./kept.js";
import type { Block, RenderPlan } from "./render-plan.js";

/** In the attic, of rows that nothing tells apart: their numbers, then and now, what they hold, and which of equal ones they are. */
const ROW = { number: "emberset_row", now: "emberset_now", held: "emberset_held", turn: "emberset_turn" };

/** Addresses of the tables whose rows are numbered while a migration runs, as they are called at some point of it. */
type TableOf = (numbered: Numbered) => string;

/** What numbers rows, where no column of either table is called so. */
export function freeNumber(was: Table, now: Table): string {
  const taken = new Set([...was.columns, ...now.columns].map(({ name }) => name.toLowerCase()));
  let number = ROW.number;
  while (taken.has(number)) number += "_";
  return number;
}

/** How such tables are called when a script starts, and when it ends. */
function startOf({ attic }: RenderPlan): TableOf {
  return ({ table, now }) => (attic?.direction === "back" ? now : addressOf(table));
}

function endOf({ attic }: RenderPlan): TableOf {
  return ({ table, now }) => (attic?.direction === "back" ? addressOf(table) : now);
}

/** Rows that nothing tells apart have numbers. */
export function numberRows(
  plan: RenderPlan,
  { numbers, table }: AtticSyntax,
  tableOf: TableOf = startOf(plan),
): Block[] {
  const { attic } = plan;
  return (attic?.numbered ?? []).flatMap((each): Block[] => {
    const statements = numbers.give(table(tableOf(each)), each.number);
    const title = `number the rows of ${tableOf(each)} for the while: nothing tells them apart`;
    return statements.length > 0 ? [{ title, statements }] : [];
  });
}

/** They have none any more. */
export function unnumberRows(plan: RenderPlan, { numbers, table }: AtticSyntax): Block[] {
  const { attic } = plan;
  const tableOf = endOf(plan);
  return (attic?.numbered ?? []).flatMap((each): Block[] => {
    const statements = numbers.take(table(tableOf(each)), each.number);
    return statements.length > 0
      ? [{ title: `take the numbers of the rows of ${tableOf(each)} away`, statements }]
      : [];
  });
}

/** Room in the attic for what rows hold, beside their numbers. */
export function roomForHeld({ attic }: RenderPlan, { numbers, table }: AtticSyntax): Block[] {
  if (attic?.direction !== "forward") return [];
  const { number, now, held, turn } = ROW;
  return attic.numbered.map(({ address, now: of }) => ({
    title: `make room in the attic for what tells the rows of ${of}`,
    statements: [
      `CREATE TABLE ${table(address)} (${number} bigint PRIMARY KEY, ${now} bigint, ${held} ${numbers.heldType}, ${turn} bigint)`,
    ],
  }));
}

/** When all is done: what each row holds, beside its number. */
export function keepHeld({ attic }: RenderPlan, syntax: AtticSyntax): Block[] {
  if (attic?.direction !== "forward") return [];
  const { number, held, turn } = ROW;
  return attic.numbered.map(each => ({
    title: `keep what tells the rows of ${each.now} in the attic`,
    statements: [
      `INSERT INTO ${syntax.table(each.address)} (${number}, ${held}, ${turn}) ${heldRowsSql(each, each.now, syntax, number)}`,
    ],
  }));
}

/** The rows of a table by their numbers, with what they hold and which of equal ones they are. */
function heldRowsSql(
  { columns, number }: Numbered,
  from: string,
  { numbers, table, quote }: AtticSyntax,
  as: string,
): string {
  const held = numbers.held(columns);
  const turn = `row_number() OVER (PARTITION BY ${held} ORDER BY ${quote(number)})`;
  return `SELECT ${quote(number)} AS ${as}, ${held} AS ${ROW.held}, ${turn} AS ${ROW.turn} FROM ${table(from)}`;
}

/** Before going back: the attic knows the numbers that the rows have now, of those that are as they were. */
export function findRows(plan: RenderPlan, syntax: AtticSyntax, tableOf: TableOf = startOf(plan)): Block[] {
  const { attic } = plan;
  if (attic?.direction !== "back") return [];
  const { number, now, held, turn } = ROW;
  const { table, quote, deleteFrom, updateFrom } = syntax;
  return attic.numbered.map(each => ({
    title: `find the rows of ${tableOf(each)} that are as they were, equal ones each in their turn`,
    statements: [
      updateFrom({
        table: table(each.address),
        from: `(${heldRowsSql(each, tableOf(each), syntax, now)})`,
        set: [`${quote(now)} = k.${quote(now)}`],
        where: [held, turn].map(name => `t.${quote(name)} = k.${quote(name)}`).join(" AND "),
      }),
      ...attic.kept
        .filter((kept): kept is KeptBesideKey => kept.kind !== "table" && kept.now === each.now)
        .flatMap(kept => [
          `${deleteFrom(table(kept.address))} WHERE NOT EXISTS (SELECT 1 FROM ${table(each.address)} AS t ` +
            `WHERE t.${quote(number)} = k.${quote(each.number)} AND t.${quote(now)} IS NOT NULL)`,
          updateFrom({
            table: table(kept.address),
            from: table(each.address),
            set: [`${quote(each.number)} = k.${quote(now)}`, ...steadySql(kept, syntax)],
            where: `t.${quote(each.number)} = k.${quote(number)}`,
          }),
        ]),
    ],
  }));
}

/**
 * Rows, of a table or of what the attic has of it, that are not among the other: a count, `n`.
 * @param of "attic": rows that are no more as they were; "table": rows that came or were changed since
 * @param from the table as it is called at the start
 */
export function unfoundSql(
  of: "attic" | "table",
  numbered: Numbered,
  from: string,
  syntax: AtticSyntax,
): string {
  const { held, turn } = ROW;
  const value = syntax.numbers.held(numbered.columns);
  const rows = `(SELECT ${value} AS ${held}, row_number() OVER (PARTITION BY ${value} ORDER BY ${value}) AS ${turn} FROM ${from}) AS t`;
  const attic = `${syntax.table(numbered.address)} AS k`;
  const [all, others, other] = of === "attic" ? [attic, rows, "t"] : [rows, attic, "k"];
  return `SELECT count(*) AS n FROM ${all} LEFT JOIN ${others} ON t.${held} = k.${held} AND t.${turn} = k.${turn} WHERE ${other}.${held} IS NULL`;
}

/** That a row of a table holds what no row of the attic does. */
export function unlikeAnySql(numbered: Numbered, { numbers, table }: AtticSyntax): string {
  return `${numbers.held(numbered.columns)} NOT IN (SELECT ${ROW.held} FROM ${table(numbered.address)})`;
}
