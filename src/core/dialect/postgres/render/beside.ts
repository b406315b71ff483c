import { namesThrough } from "../../../change/names.js";
import type { AlterColumn, Change } from "../../../change/types.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { columnsOfComputed, columnsOfPart } from "../../../schema/lookups.js";
import { cutName } from "../../../schema/naming.js";
import { PART_KINDS, partsOf, type Table } from "../../../schema/types.js";
import { placeholdersInSqlText } from "../../../sql/placeholders.js";
import type { RenderPlan, SecondColumn } from "../../shared/render-plan.js";
import { NAME_LIMIT } from "../names.js";
import { keepsStored } from "../stored.js";
import { typeOf } from "../types.js";
import { renamesOf } from "./lift.js";
import { ownedSequenceOf } from "./sequences.js";

/**
 * A column whose stored values become others while people write: a second one beside it gets what they become, by a trigger
 * that also sees to what is written meanwhile, and takes its place, with all that is about it, in one step at the end. ALTER
 * COLUMN TYPE keeps everybody off until all rows are written anew:
 * https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES
 */
export type Beside = AlterColumn;

/** Whether the stored values of a column become others. */
export function rewrites(change: AlterColumn): boolean {
  return !keepsStored(change) || change.before.collation !== change.after.collation;
}

/** Why a column cannot be changed by way of a second one; undefined: it can. */
export function whyNotBeside(change: AlterColumn, plan: RenderPlan): string | undefined {
  const { before, after, convert } = change;
  const places = placesOf(change, plan);
  if (!places || before.computed || after.computed) return "it is worked out";
  if (before.identity ?? after.identity ?? ownedSequenceOf(before) ?? ownedSequenceOf(after))
    return "it counts";
  if (before.stamp ?? after.stamp) return "it is a stamp";
  const { was, now, name } = places;
  // What is made of it is asked for by these names before anything runs.
  if (addressOf(was) !== addressOf(now) || name !== after.name) return "it, or its table, gets another name";
  const spoken = convert === undefined ? [] : placeholdersInSqlText(convert);
  for (const [table, column, schema] of [
    [was, name, plan.before] as const,
    [now, after.name, plan.after] as const,
  ]) {
    const isTold = schema.tables.some(({ foreignKeys }) =>
      foreignKeys.some(
        ({ references }) => references.table === addressOf(table) && references.columns.includes(column),
      ),
    );
    if (table.key?.columns.includes(column) || isTold) return "rows are told by it";
    if (
      table.foreignKeys.some(each => each.columns.includes(column) && losesKey(each.references.table, plan))
    )
      return "what it refers to is told by something else";
    const computed = table.columns.filter(each => each.computed);
    if (computed.some(each => columnsOfComputed(each).includes(column)))
      return "a computed column is made of it";
    if (computed.some(each => spoken.includes(each.name))) return "it is made of a computed column";
    const own = table.columns.find(each => each.name === column);
    if ((own?.grants ?? []).length > 0) return "roles have rights on it";
  }
  return isNameTaken(change, plan) ? "names of what is about it are traded" : undefined;
}

/** Whether what tells the rows of a table goes, or changes: no reference may be in the way. */
function losesKey(address: string, { changes }: RenderPlan): boolean {
  const names = namesThrough(changes);
  return changes.some(change => {
    if (change.kind === "drop table") return addressOf(change.table) === address;
    if (change.kind !== "drop part" && change.kind !== "alter part") return false;
    const tells = change.what === "key" || change.what === "unique" || change.what === "index";
    return tells && [change.table, names.before(change.table)].includes(address);
  });
}

/** Where a column is, before and after. */
function placesOf({ table, after }: AlterColumn, plan: RenderPlan) {
  const names = namesThrough(plan.changes);
  const was = tablesByAddress(plan.before).get(names.before(table));
  const now = tablesByAddress(plan.after).get(table);
  return was && now && { names, was, now, name: names.before(table, after.name) };
}

/** Whether something else gets the name of what is about a column, which has it until the end. */
function isNameTaken(change: AlterColumn, plan: RenderPlan): boolean {
  const { was, name } = placesOf(change, plan)!;
  const about = PART_KINDS.flatMap(kind =>
    partsOf(was, kind).flatMap(part => (columnsOfPart(kind, part).includes(name) ? [part.name] : [])),
  );
  return withoutParts(plan, [change]).some(each => {
    if (each.kind === "rename part") return about.includes(each.to);
    if (each.kind === "add table")
      return PART_KINDS.some(kind => partsOf(each.table, kind).some(part => about.includes(part.name)));
    return each.kind === "add part" && about.includes(each.value.name);
  });
}

/** The columns that get a second one in an online plan, and what that is called. */
export function besidesIn(plan: RenderPlan): SecondColumn[] {
  return apartBeside({ ...plan, online: true }).beside.map(({ table, before, after }) => ({
    table,
    column: after.name,
    spare: spareName(after.name),
    retyped: typeOf(before) !== typeOf(after),
  }));
}

/** The columns that are changed by way of a second one, and all other changes: what is about those columns comes with them. */
export function apartBeside(plan: RenderPlan): { readonly beside: Beside[]; readonly rest: Change[] } {
  if (!plan.online) return { beside: [], rest: [...plan.changes] };
  const beside = plan.changes.filter(
    (change): change is Beside =>
      change.kind === "alter column" && rewrites(change) && whyNotBeside(change, plan) === undefined,
  );
  if (beside.length === 0) return { beside, rest: [...plan.changes] };
  const rest = withoutParts(plan, beside);
  return { beside, rest: rest.filter(change => !(beside as readonly Change[]).includes(change)) };
}

/** The changes but for those to what is about some columns, which is made anew, or goes with the column. */
function withoutParts(plan: RenderPlan, beside: readonly Beside[]): Change[] {
  const superseded = new Set<Change>();
  for (const change of beside) {
    const { was, now, name } = placesOf(change, plan)!;
    for (const { kind, part } of partsAbout(now, [change.after.name])) {
      for (const step of renamesOf(plan.changes, change.table, kind, part.name).steps) superseded.add(step);
      for (const each of plan.changes)
        if (
          ((each.kind === "add part" && each.value.name === part.name) ||
            (each.kind === "alter part" && each.after.name === part.name)) &&
          each.table === change.table &&
          each.what === kind
        )
          superseded.add(each);
    }
    for (const each of plan.changes)
      if (
        each.kind === "drop part" &&
        each.table === addressOf(was) &&
        columnsOfPart(each.what, each.value).includes(name) &&
        !goesWithColumn(plan, was, columnsOfPart(each.what, each.value))
      )
        superseded.add(each);
  }
  return plan.changes.filter(change => !superseded.has(change));
}

/** Whether one of some columns goes, and takes along, before all else, what is about it. */
export function goesWithColumn({ changes }: RenderPlan, was: Table, columns: readonly string[]): boolean {
  return changes.some(
    change =>
      change.kind === "drop column" &&
      change.table === addressOf(was) &&
      columns.includes(change.column.name),
  );
}

/** The parts of a table that are about some of its columns. */
export function partsAbout(table: Table, columns: readonly string[]) {
  return PART_KINDS.flatMap(kind =>
    partsOf(table, kind)
      .filter(part => columnsOfPart(kind, part).some(each => columns.includes(each)))
      .map(part => ({ kind, part })),
  );
}

/** What a column, a constraint or an index is called while what it takes the place of is there. */
export function spareName(name: string): string {
  return cutName(`${SPARE}${name}`, NAME_LIMIT);
}

/** How such names begin. */
export const SPARE = "emberset_new_";

/** A check or a reference that holds for what is written from now on; rows that are there are looked at later. */
export function notYetValid(sql: string): string {
  return sql.endsWith(" NOT VALID") ? sql : `${sql} NOT VALID`;
}
