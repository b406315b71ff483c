import { namesThrough } from "../../../change/names.js";
import { isOfDefinition, type AddColumn, type AlterColumn, type Change } from "../../../change/types.js";
import { differsBeyondNote } from "../../../change/words.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { columnsOfComputed, columnsOfPart } from "../../../schema/lookups.js";
import { equal } from "../../../schema/canonical.js";
import {
  PART_KINDS,
  partsOf,
  type Check,
  type Column,
  type PartKind,
  type Schema,
  type Table,
  type Unique,
} from "../../../schema/types.js";
import { restoredTo } from "../../shared/attic.js";
import type { KeptBesideKey } from "../../shared/kept.js";
import { checkKey, type RenderPlan } from "../../shared/render-plan.js";
import { stampTriggerName } from "../names.js";
import { affinityOf, NAME, typeOf } from "../types.js";
import { defaultSql, fillSql } from "./tables.js";

/** What happens to one table that stays. */
export interface Work {
  readonly from: string;
  readonly to: string;
  readonly changes: readonly Change[];
  readonly was: Table;
  readonly now: Table;
  /** What it gets back from the attic. */
  readonly restored: readonly KeptBesideKey[];
  /** The names of its indexes and stamps that another table will have: they must be free before that is made. */
  readonly taken: ReadonlySet<string>;
  /** Whether it is built anew; else every change of it can be made where it stands. */
  readonly rebuilt: boolean;
  /** Whether what it is said to be is written anew, and no row is: constraints and types that store the same. */
  readonly restated: boolean;
  /** The names of its checks to which every row keeps that kept to what they were. */
  readonly looser: ReadonlySet<string>;
  /** How the numbers of its rows are called, where they must keep them. */
  readonly number?: string | undefined;
}

/** The changes of a plan table by table, each with how it was and will be. */
export function worksOf(plan: RenderPlan): Work[] {
  const { before, after, changes } = plan;
  const [oldTables, newTables] = [tablesByAddress(before), tablesByAddress(after)];
  return changesByTable(changes).flatMap(({ from, to, changes: own }): Work[] => {
    const [was, now] = [oldTables.get(from), newTables.get(to)];
    if (!was || !now) return [];
    const restored = restoredTo(plan, to);
    const places = own.map(change => placeOf(change, { changes: own, was, now }, changes));
    const restated = places.includes("restated") && canRestate({ changes: own, was, now });
    const rebuilt =
      restored.length > 0 || places.includes("rebuilt") || (places.includes("restated") && !restated);
    const taken = takenNames(was, to, after);
    const how = { rebuilt, restated: restated && !rebuilt };
    const isLooser = ({ name }: Check) => plan.looser?.has(checkKey(to, name)) === true;
    const looser = new Set(now.checks.filter(isLooser).map(({ name }) => name));
    return [
      { from, to, changes: own, was, now, restored, taken, ...how, looser, number: numberIn(plan, to) },
    ];
  });
}

/** How the numbers of a table's rows are called that the attic goes by. */
function numberIn({ attic }: RenderPlan, address: string): string | undefined {
  if (attic?.direction !== "forward") return undefined;
  return attic.numbered.find(({ now }) => now === address)?.number;
}

/** Indexes, and the triggers that keep stamps: SQLite drops them with their table. */
export function managedObjectNames({ tables }: Pick<Schema, "tables">): string[] {
  return tables.flatMap(({ name, indexes, columns }) => [
    ...indexes.map(index => index.name),
    ...columns.flatMap(column => (column.stamp ? [stampTriggerName(name, column.name)] : [])),
  ]);
}

/** Names are shared by all tables of the database, whatever their capitals. */
function takenNames(was: Table, to: string, { tables }: Schema): ReadonlySet<string> {
  const own = managedObjectNames({ tables: [was] });
  if (own.length === 0) return new Set();
  const others = managedObjectNames({ tables: tables.filter(table => addressOf(table) !== to) });
  const taken = new Set(others.map(name => name.toLowerCase()));
  return new Set(own.filter(name => taken.has(name.toLowerCase())));
}

/** The changes by the table that stays; what happens to the parts of tables that come or go is in those tables. */
function changesByTable(
  changes: readonly Change[],
): { readonly from: string; readonly to: string; readonly changes: readonly Change[] }[] {
  const names = namesThrough(changes);
  const [arriving, leaving] = [new Set<string>(), new Set<string>()];
  for (const change of changes) {
    if (change.kind === "add table") arriving.add(addressOf(change.table));
    if (change.kind === "drop table") leaving.add(addressOf(change.table));
  }
  const works = new Map<string, { from: string; to: string; changes: Change[] }>(
    [...names.tables].map(([from, to]) => [to, { from, to, changes: [] }]),
  );
  for (const change of changes) {
    if (
      change.kind === "add table" ||
      change.kind === "drop table" ||
      change.kind === "rename table" ||
      isOfDefinition(change)
    )
      continue;
    const early = change.kind === "drop part" || change.kind === "drop column";
    if (early ? leaving.has(change.table) : arriving.has(change.table)) continue;
    const to = early ? names.after(change.table) : change.table;
    const work = works.get(to) ?? { from: names.before(to), to, changes: [] };
    work.changes.push(change);
    works.set(to, work);
  }
  return [...works.values()];
}

/** Where a change of a table can be made: where it stands; in what the table is said to be; or by building it anew. */
type Place = "in place" | "restated" | "rebuilt";

function placeOf(
  change: Change,
  { changes, was, now }: Pick<Work, "changes" | "was" | "now">,
  all: readonly Change[],
): Place {
  const either = (isInPlace: boolean): Place => (isInPlace ? "in place" : "rebuilt");
  switch (change.kind) {
    case "rename column":
      return either(droppedAs(change.to, changes) === undefined);
    case "add column":
      return either(canAddInPlace(change, now));
    case "drop column":
      return either(canDropInPlace(change.column.name, was, all));
    case "alter column":
      // One number as a key is the row's own as an integer, and no other type.
      return now.key?.columns.includes(change.after.name) ? "rebuilt" : placeOfColumn(change);
    case "add part": {
      const added = new Map(
        changes.filter(each => each.kind === "add column").map(each => [each.column.name, each]),
      );
      if (change.what === "index" || isInline(change, added)) return "in place";
      return comesAlone(change.what) ? "restated" : "rebuilt";
    }
    case "drop part":
      if (change.what === "index") return "in place";
      return comesAlone(change.what) ? "restated" : "rebuilt";
    case "alter part":
      if (change.what === "index") return "in place";
      return isOnlySaid(change.what) ? "restated" : "rebuilt";
    case "rename part":
      return change.what === "index" ? "in place" : "restated";
    case "alter table":
    case "add table":
    case "drop table":
    case "rename table":
    case "add definition":
    case "drop definition":
    case "alter definition":
      return "rebuilt";
    default:
      return change satisfies never;
  }
}

/** For a unique constraint an index is stored, which can be made and dropped by itself. */
function comesAlone(what: PartKind): boolean {
  return isOnlySaid(what) || what === "unique";
}

/** Nothing is stored for a check or a reference. */
function isOnlySaid(what: PartKind): boolean {
  return what === "check" || what === "foreign key";
}

/**
 * A default stands for values that rows lack which were there before their column: another one would be theirs. What rows
 * get that had nothing is written, and by a rebuild no trigger runs for it.
 */
function placeOfColumn({ before, after, convert, fill }: AlterColumn): Place {
  if (convert !== undefined) return "rebuilt";
  const [was, now] = [withoutStamp(before), withoutStamp(after)];
  if (!differsBeyondNote(was, now)) return "in place";
  // A column that may not be null and had no default was never added to rows that were there: none lacks its value.
  const isWhole = !was.nullable && was.default === undefined;
  const said = { ...was, type: now.type, nullable: now.nullable, ...(isWhole && { default: now.default }) };
  const isSaid = !differsBeyondNote(said as Column, now);
  const stores = affinityOf(typeOf(before)) === affinityOf(typeOf(after));
  const isFilled = fill !== undefined && before.nullable && !after.nullable;
  return isSaid && stores && !isFilled && !before.identity && !before.computed ? "restated" : "rebuilt";
}

/**
 * SQLite finds the columns of a row by their order in what the table is said to be, which must be sure to stay, and the indexes
 * of keys and unique constraints by theirs, after which they are called: each must be told from the others by its columns.
 * https://sqlite.org/fileformat2.html#internal_schema_objects
 */
function canRestate({ changes, was, now }: Pick<Work, "changes" | "was" | "now">): boolean {
  const options = [was, now].map(({ options: own }) => own?.[NAME] ?? {});
  if (options.some(own => own["strict"] !== undefined || own["without rowid"] !== undefined)) return false;
  if (![was, now].every(isEachItsOwn)) return false;
  const names = new Map(
    changes.flatMap(change => (change.kind === "rename column" ? [[change.from, change.to]] : [])),
  );
  const gone = new Set(
    changes.flatMap(change => (change.kind === "drop column" ? [change.column.name] : [])),
  );
  const added = changes.flatMap(change => (change.kind === "add column" ? [change.column.name] : []));
  const stored = [
    ...was.columns.flatMap(({ name }) => (gone.has(name) ? [] : [names.get(name) ?? name])),
    ...added,
  ];
  return equal(
    stored,
    now.columns.map(({ name }) => name),
  );
}

/** What SQLite keeps an index for by itself, in its order: a table's key, unless that is its own number, and unique constraints. */
export function ownIndexes(table: Table): Unique[] {
  const { uniques, key } = table;
  return [...(key && !isRowNumber(table) ? [key] : []), ...uniques];
}

/** Whether the key is the number of the row, for which there is no index: https://sqlite.org/lang_createtable.html#rowid */
export function isRowNumber({ key, columns, options }: Table): boolean {
  if (columns.some(({ identity }) => identity)) return true;
  const only = key?.columns.length === 1 && columns.find(({ name }) => name === key.columns[0]);
  if (!only || options?.[NAME]?.["without rowid"] !== undefined) return false;
  // A column that says so itself in descending order is none.
  return typeOf(only).toLowerCase() === "integer" && key?.options?.[NAME]?.["terms"] === undefined;
}

/** Of two with the same columns SQLite makes one index. */
function isEachItsOwn(table: Table): boolean {
  const lists = ownIndexes(table).map(({ columns }) => columns.join("\0").toLowerCase());
  return new Set(lists).size === lists.length;
}

/** What a dropped column was called whose name another cannot take while it is there: capitals do not matter. */
export function droppedAs(name: string, changes: readonly Change[]): string | undefined {
  return changes
    .flatMap(change => (change.kind === "drop column" ? [change.column.name] : []))
    .find(dropped => dropped.toLowerCase() === name.toLowerCase());
}

function withoutStamp({ stamp: _, ...column }: Column): Column {
  return column;
}

/** The conditions of https://sqlite.org/lang_altertable.html#altertabaddcol */
function canAddInPlace(change: AddColumn, now: Table): boolean {
  const { column, at, fill } = change;
  if (
    at !== undefined ||
    column.identity ||
    column.computed?.stored ||
    now.key?.columns.includes(column.name)
  )
    return false;
  if (column.computed) return true;
  const value = column.default && defaultSql(column);
  const constant = value === undefined || (!value.startsWith("(") && !/^current_/i.test(value));
  const filledByDefault = fill === undefined || fillSql(fill) === (value ?? "NULL");
  return constant && filledByDefault && (column.nullable || (value !== undefined && !/^null$/i.test(value)));
}

/** The conditions of https://sqlite.org/lang_altertable.html#altertabdropcol; indexes are dropped before. */
function canDropInPlace(column: string, was: Table, all: readonly Change[]): boolean {
  const used = PART_KINDS.some(
    kind => kind !== "index" && partsOf(was, kind).some(part => columnsOfPart(kind, part).includes(column)),
  );
  const referred = all.some(
    change =>
      change.kind === "drop part" &&
      change.what === "foreign key" &&
      change.value.references.table === addressOf(was) &&
      change.value.references.columns.includes(column),
  );
  return !used && !referred && !was.columns.some(each => columnsOfComputed(each).includes(column));
}

/** Whether a part can be written behind the one column that brings it. */
function isInline(change: Change, added: ReadonlyMap<string, AddColumn>): boolean {
  if (change.kind !== "add part" || (change.what !== "check" && change.what !== "foreign key")) return false;
  const [column, ...others] = columnsOfPart(change.what, change.value);
  const bringer = column !== undefined && others.length === 0 ? added.get(column) : undefined;
  if (!bringer) return false;
  // With references enforced, only a column that starts as null may bring one.
  return change.what === "check" || (bringer.column.nullable && bringer.column.default === undefined);
}
